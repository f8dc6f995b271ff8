"""Long recordings: whatever was sent is there, in bounded memory; impacts as in a short one; only what is cut is a take."""

from __future__ import annotations

import io
import tracemalloc
from pathlib import Path

import numpy as np
import pytest
import soundfile
from made_loops import kit
from near_meters import RATE
from starlette.testclient import TestClient
from test_films import film
from test_takes import client, file_of, sent

from juglant.core.measure.impacts import find_impacts
from juglant.services import recordings as service
from juglant.services.recordings import Begun, Recordings

__all__ = ["client"]


def begun(client: TestClient, **about: object) -> str:
    body = {"name": "Session", "sample_rate": RATE, "said": "by the stand-in"} | about
    answer = client.post("/api/recordings", json=body)
    assert answer.status_code == 201, answer.text
    return str(answer.json()["id"])


def appended(client: TestClient, recording: str, at: int, samples: np.ndarray):  # type: ignore[no-untyped-def]
    headers = {"Content-Type": "application/octet-stream"}
    address = f"/api/recordings/{recording}/append"
    return client.post(address, params={"at_frame": at}, content=samples.astype("<f4").tobytes(), headers=headers)


def played(seconds: float, every_s: float = 1.3, seed: int = 0) -> tuple[np.ndarray, list[int]]:
    out = 1e-5 * np.random.default_rng(seed).standard_normal(round(seconds * RATE))
    sounds, places = list(kit(seed % 3).values()), []
    for number, at in enumerate(np.arange(0.4, seconds - 0.6, every_s)):
        place = round(at * RATE) + 17 * number
        sound = sounds[number % 3] * (0.4 + 0.5 * (number * 7 % 5) / 5)
        out[place : place + sound.size] += sound
        places.append(place)
    return out, places


def heard(client: TestClient, recording: str, begin_ms: float, length_ms: float) -> np.ndarray:
    params = {"sample_rate": RATE, "begin_ms": begin_ms, "length_ms": length_ms}
    answer = client.get(f"/api/recordings/{recording}/sound.wav", params=params)
    assert answer.status_code == 200, answer.text
    return np.asarray(soundfile.read(io.BytesIO(answer.content))[0])


def test_what_is_sent_piece_by_piece_is_there_once_whatever_is_sent_again(client: TestClient) -> None:
    sound, _ = played(4)
    recording = begun(client)
    assert appended(client, recording, 0, sound[:90000]).status_code == 200
    # The answer was lost: the same again, and a piece that goes on from the middle of it.
    assert appended(client, recording, 0, sound[:90000]).json()["duration_s"] == pytest.approx(90000 / RATE)
    assert appended(client, recording, 50000, sound[50000:]).status_code == 200
    gap = appended(client, recording, sound.size + 5, sound[:100])
    assert gap.status_code == 422
    assert "send what is between first" in gap.json()["detail"]
    found = client.get("/api/recordings").json()
    assert [(one["name"], one["duration_s"]) for one in found] == [("Session", pytest.approx(sound.size / RATE))]
    got = heard(client, recording, 1000, 2000)
    np.testing.assert_allclose(got[300:-300], sound[RATE : 3 * RATE][300:-300], atol=1e-5)
    # Nothing of it is a take, and nothing of it is in the database.
    assert client.get("/api/takes").json() == []


def test_a_process_that_ends_in_the_middle_leaves_what_came(client: TestClient, tmp_path: Path) -> None:
    sound, _ = played(3)
    recording = begun(client)
    appended(client, recording, 0, sound[:100001])
    path = next(tmp_path.glob("*.recordings/*.f32"))
    with path.open("ab") as file:
        file.write(b"\x01\x02")
    again = Recordings(tmp_path / "t.sqlite3")
    assert again.the(recording).duration_s == pytest.approx(100001 / RATE)
    assert appended(client, recording, 100001, sound[100001:]).json()["duration_s"] == pytest.approx(3)


@pytest.mark.parametrize("kind", ["WAV", "FLAC"])
def test_a_long_file_is_kept_whole_and_cut(client: TestClient, kind: str) -> None:
    sound, places = played(130)
    headers = {"Content-Type": "application/octet-stream"}
    data = file_of(0.5 * sound, RATE, kind)
    assert sent(client, data).status_code == 422
    made = client.post("/api/recordings/file", params={"name": "Long night.wav"}, content=data, headers=headers)
    assert made.status_code == 201, made.text
    recording = made.json()["id"]
    assert made.json()["duration_s"] == pytest.approx(130, abs=0.01)
    found = client.get(f"/api/recordings/{recording}/impacts", params={"role": "snare"}).json()
    begins = sorted(one["impact"]["onset_s"] for one in found["found"])
    matched = [min(abs(one - place / RATE) for one in begins) for place in places]
    assert sum(one < 0.005 for one in matched) >= 0.97 * len(places)
    assert len(begins) <= 1.05 * len(places)
    # The best for the role is one of that role's own.
    best = found["found"][0]["impact"]
    number = int(np.argmin([abs(best["onset_s"] - place / RATE) for place in places]))
    assert number % 3 == 1
    cut = client.post(
        f"/api/recordings/{recording}/cuts",
        json={"cuts": [{"begin_s": best["begin_s"], "end_s": best["end_s"], "name": "Best"}]},
    )
    assert cut.status_code == 201, cut.text
    row = client.get("/api/takes").json()[0]
    assert (row["name"], row["made_of"]["said"]) == ("Best", "from Long night")
    assert row["duration_ms"] == pytest.approx(1000 * (best["end_s"] - best["begin_s"]), abs=0.1)


def test_impacts_in_pieces_are_those_of_the_whole() -> None:
    sound, _ = played(75, every_s=0.61)
    from juglant.core.measure.impacts import long_impacts

    whole = find_impacts(sound, sample_rate=RATE)
    pieces = long_impacts(lambda first, last: sound[first:last], sound.size, sample_rate=RATE)
    assert len(pieces) == len(whole)
    for one, other in zip(pieces, whole, strict=True):
        assert one.begin_s == pytest.approx(other.begin_s, abs=2 / RATE)
        assert one.level_db == pytest.approx(other.level_db, abs=1.2)
        assert one.end_s == pytest.approx(other.end_s, abs=0.02)
        assert (one.before_s is None) == (other.before_s is None)


def test_twenty_minutes_are_searched_and_drawn_in_bounded_memory(tmp_path: Path) -> None:
    recordings = Recordings(tmp_path / "long.sqlite3")
    made = recordings.begin(Begun(name="Session", sample_rate=16000))
    piece, _ = played(60)
    piece = piece[::3]
    for minute in range(20):
        recordings.append(made.id, minute * piece.size, piece.astype("<f4").tobytes())
    assert recordings.the(made.id).duration_s == pytest.approx(1200)
    tracemalloc.start()
    try:
        found = recordings.impacts(made.id, "kick")
        peak = tracemalloc.get_traced_memory()[1]
    finally:
        tracemalloc.stop()
    # All of it as it is computed with, 64-bit floats, would be 154 MB.
    assert peak < 90e6
    assert len(found.found) > 700
    assert max(one.impact.begin_s for one in found.found) > 1190


def test_the_sound_of_a_video_is_a_recording_too(client: TestClient) -> None:
    data = film("matroska", "pcm_s16le", np.stack([np.random.default_rng(1).uniform(-0.3, 0.3, 3 * RATE)] * 2))
    headers = {"Content-Type": "application/octet-stream"}
    made = client.post("/api/recordings/file", params={"name": "Film.mkv"}, content=data, headers=headers).json()
    assert (made["channels"], made["duration_s"]) == (2, pytest.approx(3, abs=0.05))


def test_put_away_it_is_there_and_only_then_removed_and_what_was_cut_stays(client: TestClient) -> None:
    sound, _ = played(4)
    recording = begun(client)
    appended(client, recording, 0, sound)
    cut = {"cuts": [{"begin_s": 0.4, "end_s": 0.9, "name": "Kept"}]}
    assert client.post(f"/api/recordings/{recording}/cuts", json=cut).status_code == 201
    assert client.delete(f"/api/recordings/{recording}").status_code == 422
    client.post(f"/api/recordings/{recording}/away", json={"away": True})
    assert client.get("/api/recordings").json() == []
    assert len(client.get("/api/recordings", params={"away": True}).json()) == 1
    client.post(f"/api/recordings/{recording}/away", json={"away": False})
    assert len(client.get("/api/recordings").json()) == 1
    client.post(f"/api/recordings/{recording}/away", json={"away": True})
    assert client.delete(f"/api/recordings/{recording}").status_code == 200
    assert client.get(f"/api/recordings/{recording}/wave").status_code == 404
    assert [one["name"] for one in client.get("/api/takes").json()] == ["Kept"]


def test_where_the_disk_is_full_it_is_said_before_and_what_is_recorded_stays(
    client: TestClient, monkeypatch: pytest.MonkeyPatch
) -> None:
    sound, _ = played(2)
    recording = begun(client)
    appended(client, recording, 0, sound[:RATE])
    monkeypatch.setattr(service, "KEPT_FREE_BYTES", 1 << 60)
    refused = appended(client, recording, RATE, sound[RATE:])
    assert refused.status_code == 507
    assert "make room" in refused.json()["detail"]
    assert client.post("/api/recordings", json={"name": "B", "sample_rate": RATE}).status_code == 507
    headers = {"Content-Type": "application/octet-stream"}
    file = client.post("/api/recordings/file", params={"name": "A"}, content=file_of(sound, RATE), headers=headers)
    assert file.status_code == 507
    monkeypatch.undo()
    assert client.get("/api/recordings").json()[0]["duration_s"] == pytest.approx(1)
    assert appended(client, recording, RATE, sound[RATE:]).json()["duration_s"] == pytest.approx(2)


@pytest.mark.parametrize(
    ("data", "why"),
    [(b"", "not audio"), (b"Dear diary" * 50, "not audio"), (b"\0\0\0\x18ftypmp42" + bytes(999), "cannot be read")],
)
def test_what_is_no_sound_leaves_nothing(client: TestClient, tmp_path: Path, data: bytes, why: str) -> None:
    headers = {"Content-Type": "application/octet-stream"}
    answer = client.post("/api/recordings/file", params={"name": "X"}, content=data, headers=headers)
    assert answer.status_code == 422
    assert why in answer.json()["detail"]
    assert list(tmp_path.glob("*.recordings/*")) == []


@pytest.mark.parametrize("cut", [{"begin_s": 3, "end_s": 2}, {"begin_s": 50, "end_s": 51}, {"begin_s": 0, "end_s": 200}])
def test_cuts_that_cannot_be_are_refused_all_together(client: TestClient, cut: dict) -> None:
    sound, _ = played(4)
    recording = begun(client)
    appended(client, recording, 0, sound)
    both = {"cuts": [{"begin_s": 0.4, "end_s": 0.9, "name": "Good"}, cut | {"name": "Bad"}]}
    assert client.post(f"/api/recordings/{recording}/cuts", json=both).status_code == 422
    assert client.get("/api/takes").json() == []
    assert client.get(f"/api/recordings/{'0' * 24}/impacts").status_code == 404

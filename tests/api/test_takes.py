"""Sound files: read, asked about or refused; rendered, tuned, delivered, and loaded back sample for sample."""

from __future__ import annotations

import io
import json
import struct
import zipfile
from pathlib import Path

import httpx
import mido
import numpy as np
import pytest
import soundfile
from starlette.testclient import TestClient
from support import described, order, part_of

from juglant.api.app import make_app
from juglant.api.settings import Settings
from juglant.core.measure.landing import measure_landing
from juglant.core.synth.takes import take_id
from juglant.formats.takes import read_take
from juglant.services.takes import TakesFolder, plain_name

RATE = 44100


def tone(hz: float, seconds: float = 0.6, rate: int = RATE, decay: float = 7) -> np.ndarray:
    time = np.arange(round(seconds * rate)) / rate
    return 0.8 * np.sin(2 * np.pi * hz * time) * np.exp(-decay * time)


def file_of(audio: np.ndarray, rate: int = RATE, kind: str = "WAV", subtype: str | None = None) -> bytes:
    out = io.BytesIO()
    soundfile.write(out, np.atleast_2d(audio).T, rate, format=kind, subtype=subtype)
    return out.getvalue()


@pytest.fixture
def client(tmp_path: Path) -> TestClient:
    return TestClient(make_app(Settings(tmp_path / "t.sqlite3", page=None)), base_url="http://localhost")


def sent(client: TestClient, data: bytes, name: str = "Found.wav", **asked: object):  # type: ignore[no-untyped-def]
    headers = {"Content-Type": "application/octet-stream"}
    return client.post("/api/takes", params={"name": name, **asked}, content=data, headers=headers)


@pytest.mark.parametrize(
    ("kind", "subtype", "cents"),
    [("WAV", "PCM_16", 1), ("WAV", "PCM_24", 1), ("WAV", "FLOAT", 1), ("AIFF", "PCM_16", 1), ("FLAC", "PCM_24", 1),
     ("OGG", "VORBIS", 2), ("MP3", "MPEG_LAYER_III", 2)],
)  # fmt: skip
@pytest.mark.parametrize("rate", [44100, 48000])
def test_every_kind_of_file_is_read_and_measured(
    client: TestClient, kind: str, subtype: str, cents: float, rate: int
) -> None:
    answer = sent(client, file_of(tone(58.27, rate=rate), rate, kind, subtype))
    assert answer.status_code == 201, answer.text
    found = answer.json()
    assert 1200 * np.log2(found["landing_hz"] / 58.27) == pytest.approx(0, abs=cents)
    assert found["verdict"] == "firm"
    assert found["sample_rate"] == rate
    assert found["channels"] == 1


def lying() -> bytes:
    """A header that promises a hundred times what is there."""
    data = bytearray(file_of(tone(58.27)))
    data[40:44] = struct.pack("<I", 100 * len(data))
    return bytes(data)


def with_nan() -> bytes:
    audio = tone(58.27)
    audio[100:103] = (np.nan, np.inf, -np.inf)
    return file_of(audio, subtype="FLOAT")


BROKEN = [
    ("empty", b"", "0 bytes"),
    ("a film", b"\0\0\0\x18ftypmp42" + bytes(range(256)) * 8, "this is a video"),
    ("text", b"Dear diary" * 40, "not audio"),
    ("cut off in its header", file_of(tone(58.27))[:30], "not audio"),
    ("no samples", file_of(np.zeros(0)), "no samples"),
    ("silent", file_of(np.zeros(RATE)), "silent"),
    ("one sample", file_of(np.ones(1)), "at least 1 ms"),
    ("5 Hz", file_of(tone(1, 9, 5), 5), "5 Hz"),
    ("three channels", file_of(np.stack([tone(60)] * 3)), "3 channels"),
    ("32 channels", file_of(np.stack([tone(60)] * 32)), "32 channels"),
]


@pytest.mark.parametrize(("data", "says"), [(data, says) for _, data, says in BROKEN], ids=[one[0] for one in BROKEN])
def test_what_cannot_be_used_as_it_is_is_said(client: TestClient, data: bytes, says: str) -> None:
    answer = sent(client, data)
    assert answer.status_code == 422, answer.text
    assert says in answer.json()["detail"]
    assert client.get("/api/takes").json() == []


@pytest.mark.parametrize(
    ("data", "asked", "channels", "note"),
    [
        (lying(), {}, 1, None),
        (with_nan(), {}, 1, "3 samples were no numbers"),
        (file_of(30 * tone(58.27), subtype="FLOAT"), {}, 1, "over +24 dBFS"),
        (file_of(np.stack([tone(58.27)] * 2)), {}, 1, "the same"),
        (file_of(np.stack([tone(58.27), 0.5 * tone(58.27)])), {}, 2, None),
        (file_of(tone(58.27, rate=768000), 768000), {}, 1, None),
        (file_of(np.stack([tone(58.27)] * 3)), {"channels": "mono"}, 1, "3 channels mixed"),
        (file_of(np.stack([tone(58.27), 0.9 * tone(58.27), tone(90)])), {"channels": "first two"}, 2, "first two of 3"),
    ],
    ids=["a lying header", "NaN", "far too loud", "twice the same", "stereo", "768 kHz", "mixed", "first two"],
)
def test_what_can_be_used_says_what_was_done_to_it(
    client: TestClient, data: bytes, asked: dict[str, str], channels: int, note: str | None
) -> None:
    answer = sent(client, data, **asked)
    assert answer.status_code == 201, answer.text
    found = answer.json()
    assert found["channels"] == channels
    assert 1200 * np.log2(found["landing_hz"] / 58.27) == pytest.approx(0, abs=2)
    assert (note in " ".join(found["notes"])) if note else found["notes"] == []


def test_a_long_file_is_asked_about_and_the_part_is_taken(client: TestClient) -> None:
    """Twenty minutes: loud only from 15:00 on, where the offered part begins."""
    rate = 8000
    audio = np.zeros(1200 * rate)
    audio[900 * rate : 902 * rate] = tone(58.27, 2, rate, 1)
    data = file_of(audio, rate)
    answer = sent(client, data).json()
    assert answer["type"] == "juglant:take-too-long"
    assert "20:00 long" in answer["detail"]
    offered = {one["field"]: one["message"] for one in answer["fields"]}
    assert offered["from_s"] == "must be 0 to 1100.000"
    assert float(offered["loudest_s"]) == pytest.approx(900, abs=70000 / rate)
    taken = sent(client, data, from_s=899.9).json()
    assert taken["duration_ms"] == pytest.approx(100000, abs=1)
    assert 1200 * np.log2(taken["landing_hz"] / 58.27) == pytest.approx(0, abs=2)


@pytest.mark.parametrize(
    ("name", "plain"),
    [("C:\\kit\\Big kick.wav", "Big kick"), ("../../etc/x.wav", "x"), (".wav", ".wav"), ("a" * 90, "a" * 40),
     ("\n\t", "Take")],
)  # fmt: skip
def test_names_of_files_become_names_of_layers(name: str, plain: str) -> None:
    assert plain_name(name) == plain


def with_takes(client: TestClient) -> dict:
    """An untouched demo whose kick, bass and two toms are recorded and out of tune."""
    state = client.post("/api/tracks", json={"start": "untouched"}).json()
    sounds = {"kick": tone(56.9), "bass": tone(52.1, 2, decay=1.5), "low": tone(96, 0.5), "high": tone(151, 0.4)}
    ids = {name: sent(client, file_of(audio), f"{name}.wav").json()["id"] for name, audio in sounds.items()}
    track = state["track"]

    def layer(name: str) -> list[dict]:
        return [{"id": "take-1", "name": name, "source": {"engine": "take", "take": ids[name]}}]

    part_of(track, "kick")["hit"]["layers"] = layer("kick")
    track["parts"][2:] = [
        {"id": name, "name": name, "role": "tom", "hit": {"layers": layer(name)}, "strokes": [{"at_beats": at}]}
        for name, at in (("low", 0.75), ("high", 1.75))
    ]
    part_of(track, "bass")["instrument"] |= {"source": "recorded note", "take": ids["bass"], "root_hz": 52.1}
    body = described(state["edition"], track, "Load 4 sounds")
    return client.post(f"/api/tracks/{state['id']}/commands", json=body).json()


def ladder(client: TestClient, state: dict) -> dict[str, dict]:
    found = client.get(f"/api/tracks/{state['id']}/revisions/{state['revision']}/ladder").json()
    return {one["id"]: one for one in found["hits"]}


def test_a_kit_is_tuned_as_one_step_and_delivered_with_its_root_notes(client: TestClient, tmp_path: Path) -> None:
    state = with_takes(client)
    address = f"/api/tracks/{state['id']}"
    before = ladder(client, state)
    assert {name: round(one["off_cents"]) for name, one in before.items()} == {"kick": -41, "low": 64, "high": -52}
    tuned = client.post(f"{address}/commands", json=order(state["edition"], "tune-all")).json()
    assert tuned["undo_label"] == "Tune 3 hits"
    assert all(abs(one["off_cents"]) < 0.6 for one in ladder(client, tuned).values())
    again = client.post(f"{address}/commands", json=order(tuned["edition"], "tune-all"))
    assert again.status_code == 422
    assert "nothing to tune" in again.json()["detail"]

    data = client.get(f"{address}/revisions/{tuned['revision']}/bundle.zip").content
    with zipfile.ZipFile(io.BytesIO(data)) as archive:
        files = {name: archive.read(name) for name in archive.namelist()}
    for name, note in (("kick.wav", 34), ("hits/low.wav", 42), ("hits/high.wav", 51)):
        at = files[name].index(b"smpl")
        assert struct.unpack("<II", files[name][at + 20 : at + 28]) == (note, 0), name
    # The line is in tune too: each note is the recording at another speed.
    bass, rate = soundfile.read(io.BytesIO(files["stems/bass-before.wav"]))
    first = bass[: round(0.45 * 60 / 126 * rate)]
    assert measure_landing(first, sample_rate=rate).landing_hz == pytest.approx(58.27, rel=0.004)

    # Back in another database, bit for bit; beside its takes on the command line too.
    other = TestClient(make_app(Settings(tmp_path / "other.sqlite3", page=None)), base_url="http://localhost")
    headers = {"Content-Type": "application/octet-stream"}
    loaded = other.post("/api/tracks/load", content=data, headers=headers).json()
    assert loaded["track"] == tuned["track"]
    again = other.get(f"/api/tracks/{loaded['id']}/revisions/1/bundle.zip").content
    assert again == data
    (tmp_path / "takes").mkdir()
    name = next(one for one in files if one.startswith("takes/"))
    (tmp_path / name).write_bytes(files[name])
    folder = TakesFolder(tmp_path)
    assert folder.find(Path(name).stem) is not None
    (tmp_path / name).write_bytes(files[name][:-4] + b"\1\2\3\4")
    assert folder.find(Path(name).stem) is None


@pytest.mark.parametrize(("way", "length_stays"), [("playback speed", False), ("length kept", True)])
def test_a_recorded_hit_is_moved_by_speed_or_with_its_length_kept(client: TestClient, way: str, length_stays: bool) -> None:
    state = with_takes(client)
    address = f"/api/tracks/{state['id']}"
    before = ladder(client, state)["low"]
    target = next(one for one in before["targets"] if one["name"] == "Ab2")
    move = {"hit_id": "low", "frequency_hz": target["frequency_hz"], "way": way}
    heard = client.get(f"{address}/revisions/{state['revision']}/hits/low/retuned.wav", params=move)
    audio, rate = soundfile.read(io.BytesIO(heard.content))
    assert measure_landing(audio, sample_rate=rate).landing_hz == pytest.approx(target["frequency_hz"], rel=0.002)
    state = client.post(f"{address}/commands", json=order(state["edition"], "tune", moves=[move])).json()
    after = ladder(client, state)["low"]
    assert after["used_hz"] == pytest.approx(target["frequency_hz"], rel=0.0005)
    wanted = before["length_ms"] if length_stays else target["speed_length_ms"]
    # With its length kept the moved tail begins up to a period later than the recorded one ended.
    assert after["length_ms"] == pytest.approx(wanted, abs=1000 / 96)


def test_a_hit_is_tuned_by_one_figure_also_where_moving_it_makes_it_short(client: TestClient) -> None:
    """A tom of 310 ms whose landing and heard pitch differ: shorter than 300 ms once it is tuned up."""
    time = np.arange(round(0.4 * RATE)) / RATE
    turn = np.cumsum(151 * (1 + 0.25 * np.exp(-time / 0.03))) / RATE
    sound = 0.8 * np.sin(2 * np.pi * turn) * np.exp(-9.05 * time)
    take = sent(client, file_of(sound), "High tom.wav").json()
    assert 300 < take["length_ms"] < 300 * 155.56 / 151 + 2
    assert take["heard_hz"] > 1.03 * take["landing_hz"]
    state = client.post("/api/tracks", json={"start": "untouched"}).json()
    track = state["track"]
    layers = [{"id": "t", "name": "T", "source": {"engine": "take", "take": take["id"]}}]
    track["parts"][2:] = [{"id": "tom", "name": "Tom", "role": "tom", "hit": {"layers": layers}}]
    body = described(state["edition"], track, "Load")
    state = client.post(f"/api/tracks/{state['id']}/commands", json=body).json()
    state = client.post(f"/api/tracks/{state['id']}/commands", json=order(state["edition"], "tune-all")).json()
    found = ladder(client, state)["tom"]
    assert (found["used"], found["note_name"]) == ("landing", "Eb3")
    assert abs(found["off_cents"]) < 0.6
    assert found["length_ms"] < 300 * 1.01


def test_what_was_said_by_hand_is_kept_and_moves_along(client: TestClient) -> None:
    state = with_takes(client)
    address = f"/api/tracks/{state['id']}"
    track = json.loads(json.dumps(state["track"]))
    track["parts"][2]["hit"]["landing_by_hand_hz"] = 48
    body = described(state["edition"], track, "By hand")
    state = client.post(f"{address}/commands", json=body).json()
    found = ladder(client, state)["low"]
    assert (found["used"], found["used_hz"], found["note_name"]) == ("by hand", 48, "Gb1")
    move = {"hit_id": "low", "frequency_hz": 51.913, "way": "playback speed"}
    state = client.post(f"{address}/commands", json=order(state["edition"], "tune", moves=[move])).json()
    found = ladder(client, state)["low"]
    assert found["used_hz"] == pytest.approx(51.913, rel=1e-4)
    assert found["landing_hz"] == pytest.approx(96 * 51.913 / 48, rel=1e-3)


def test_a_missing_sound_is_silent_said_and_heard_once_it_is_there(client: TestClient) -> None:
    data = file_of(tone(77))
    read = read_take(data, from_s=None, channels="as they are").take
    state = client.post("/api/tracks", json={"start": "untouched"}).json()
    track = state["track"]
    source = {"engine": "take", "take": take_id(read.audio, read.sample_rate)}
    part_of(track, "kick")["hit"]["layers"] = [{"id": "t", "name": "Found", "source": source}]
    body = described(state["edition"], track, "Load")
    state = client.post(f"/api/tracks/{state['id']}/commands", json=body).json()
    address = f"/api/tracks/{state['id']}/revisions/{state['revision']}"

    def said() -> list[str]:
        findings = client.get(f"{address}/view").json()["report"]["findings"]
        return [one["severity"] for one in findings if one["id"].startswith("take-missing")]

    def peak() -> float:
        return float(np.max(np.abs(soundfile.read(io.BytesIO(client.get(f"{address}/stems/kick/heard.wav").content))[0])))

    assert (said(), peak()) == (["fix"], 0)
    assert sent(client, data).status_code == 201
    assert said() == []
    assert peak() > 0.1


def test_the_line_is_heard_evened_and_cured_as_steps(client: TestClient) -> None:
    state = client.post("/api/tracks", json={"start": "untouched"}).json()
    address = f"/api/tracks/{state['id']}"
    line = client.get(f"{address}/revisions/1/line").json()
    assert line["longest_cut_ms"] > 0
    most = max(line["meetings"], key=lambda one: one["beats_heard"])
    asked = {"from_beats": most["from_beats"], "to_beats": most["to_beats"]}
    audio, rate = soundfile.read(io.BytesIO(client.get(f"{address}/revisions/1/moment.wav", params=asked).content))
    assert audio.size == pytest.approx((most["to_beats"] - most["from_beats"]) * 60 / 126 * rate, abs=2)
    assert np.max(np.abs(audio)) > 0.05
    state = client.post(f"{address}/commands", json=order(state["edition"], "shorten-kick")).json()
    assert state["undo_label"] == "Shorten the kick"
    line = client.get(f"{address}/revisions/{state['revision']}/line").json()
    assert line["longest_cut_ms"] is None
    assert client.post(f"{address}/commands", json=order(state["edition"], "shorten-kick")).status_code == 422
    before = line["even_spread_db"]
    state = client.post(f"{address}/commands", json=order(state["edition"], "even-line", way="K-weighted")).json()
    gains = {note["note"]: note["gain_db"] for note in part_of(state["track"], "bass")["notes"]}
    rows = client.get(f"{address}/revisions/{state['revision']}/line").json()["notes"]
    levels = [row["loudness_db"] + gains[row["note"]] for row in rows]
    assert max(levels) - min(levels) < 0.05 < before


def test_a_hit_is_made_as_long_as_asked_and_what_cannot_be_is_refused(client: TestClient) -> None:
    state = client.post("/api/tracks", json={"start": "untouched"}).json()
    address, edition = f"/api/tracks/{state['id']}", state["edition"]

    def asked(edition: int, **more: object) -> httpx.Response:
        return client.post(f"{address}/commands", json=order(edition, "length", **more))

    made = asked(edition, length_ms=357.14).json()
    assert made["undo_label"] == "Kick: 357 ms long, 0.75 beats"
    view = client.get(f"{address}/revisions/{made['revision']}/view").json()
    assert view["report"]["kick"]["length_ms"] == pytest.approx(357.14, rel=0.01)
    refused = {
        "gets no shorter than": {"length_ms": 15},
        "must be at least 10": {"length_ms": 0.001},
        "must be at most 4000": {"length_ms": 1e9},
        "there is no hit": {"length_ms": 100, "part": "nobody"},
    }
    for said, body in refused.items():
        answer = asked(made["edition"], **body)
        assert answer.status_code in (404, 422)
        assert said in answer.text
    # Another tab's edition: nothing is lost, and nothing is changed.
    assert asked(edition, length_ms=200).status_code == 409
    assert client.get(address).json()["revision"] == made["revision"]


def test_a_key_is_found_heard_and_nothing_is_changed(client: TestClient) -> None:
    time = np.arange(4 * RATE) / RATE
    # B flat minor, F, E flat minor, B flat minor: triads, a second each.
    chords = ((46, 49, 53), (53, 56, 60), (51, 54, 58), (46, 49, 53))
    loop = sum(
        np.sin(2 * np.pi * 440 * 2 ** ((note - 69) / 12) * time) * ((time >= at) & (time < at + 1)) / 6
        for at, chord in enumerate(chords)
        for note in chord
    )
    headers = {"Content-Type": "application/octet-stream"}
    found = client.post("/api/key", params={"a4_hz": 440}, content=file_of(loop), headers=headers).json()
    assert (found["guesses"][0]["tonic"], found["guesses"][0]["scale"]) == ("Bb", "natural minor")
    assert found["a4_hz"] == pytest.approx(440, abs=0.3)
    asked = {"tonic": "Bb", "scale": "natural minor", "sample_rate": 48000, "a4_hz": 440}
    heard = client.post("/api/key/heard", params=asked, content=file_of(loop), headers=headers)
    audio, rate = soundfile.read(io.BytesIO(heard.content))
    assert (rate, audio.size) == (48000, 4 * 48000)
    level = np.abs(np.fft.rfft(audio * np.hanning(audio.size)))
    # The triad's third, which the second chord does not have, is held through all of it.
    third = round(440 * 2 ** ((61 - 69) / 12) * 4)
    assert level[third - 1 : third + 2].max() > 20 * np.median(level)
    # The same chords as a MIDI file: heard with the triad, and its lowest notes offered as a line.
    file = mido.MidiFile(ticks_per_beat=480)
    struck = [
        (note, at * 960, kind) for at, chord in enumerate(chords) for note in chord for kind in ("note_on", "note_off")
    ]
    events = sorted((at + 960 * (kind == "note_off"), kind, note) for note, at, kind in struck)
    before = [0, *(at for at, _, _ in events)]
    file.tracks.append(
        mido.MidiTrack(
            mido.Message(kind, note=note, time=at - last) for (at, kind, note), last in zip(events, before, strict=False)
        )
    )
    out = io.BytesIO()
    file.save(file=out)
    written = client.post("/api/key", params={"a4_hz": 440}, content=out.getvalue(), headers=headers).json()
    assert (written["source"], written["notes"], written["bars"]) == ("notes", 12, 2)
    assert [note["note"] for note in written["line"]] == [34, 41, 39, 34]
    heard = client.post("/api/key/heard", params=asked, content=out.getvalue(), headers=headers)
    audio, _ = soundfile.read(io.BytesIO(heard.content))
    level = np.abs(np.fft.rfft(audio * np.hanning(audio.size)))
    assert level[2 * third - 1 : 2 * third + 2].max() > 20 * np.median(level)
    assert client.get("/api/takes").json() == []
    for bad in (b"", b"MThd" + b"x" * 40, file_of(np.zeros(RATE))):
        assert client.post("/api/key", params={"a4_hz": 440}, content=bad, headers=headers).status_code == 422

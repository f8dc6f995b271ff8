"""The shelf of takes over the API, and the stand-in for a microphone.

1. a take tells what it is called, tagged, made of and used in; what is used stays, the rest is put away and comes back;
2. a recording says so; the stand-in's things are struck softly and hard, no two alike, in a room with hum and hiss.
"""

from __future__ import annotations

import io

import numpy as np
import pytest
import soundfile
from near_meters import RATE, made_tom
from starlette.testclient import TestClient
from test_takes import client, file_of, sent

__all__ = ["client"]


def listed(client: TestClient) -> dict[str, dict]:
    return {one["id"]: one for one in client.get("/api/takes").json()}


def archived(client: TestClient, take: str, away: bool):  # type: ignore[no-untyped-def]
    return client.post(f"/api/takes/{take}/archived", json={"archived": away})


def test_a_take_is_named_tagged_and_tells_what_it_is_made_of(client: TestClient) -> None:
    take = sent(client, file_of(made_tom(98), RATE, subtype="FLOAT")).json()["id"]
    assert client.post(f"/api/takes/{take}/label", json={"name": "Low", "tags": ["warm", "dry", "warm"]}).status_code == 200
    cuts = {"cuts": [{"begin_s": 0.1, "end_s": 0.4, "name": "Middle"}]}
    cut = client.post(f"/api/takes/{take}/cuts", json=cuts).json()[0]["id"]
    found = listed(client)
    assert (found[take]["name"], found[take]["tags"], found[take]["made_of"]) == ("Low", ["warm", "dry"], None)
    of = {"way": "cut", "take": take, "begin_s": pytest.approx(0.1, abs=1e-4), "said": ""}
    assert found[cut]["made_of"] == of | {"track": None, "printed": None, "key": None}
    assert (found[take]["tracks"], found[take]["kept"]) == ([], [])
    # The same samples loaded once more keep what they are called.
    assert sent(client, file_of(made_tom(98), RATE, subtype="FLOAT")).json()["id"] == take
    assert listed(client)[take]["name"] == "Low"


@pytest.mark.parametrize(
    "label",
    [
        {"name": "", "tags": []},
        {"name": "x" * 41},
        {"name": "x", "tags": [""]},
        {"name": "x", "tags": ["t" * 25]},
        {"name": "x", "tags": [str(n) for n in range(9)]},
        {"name": "x", "colour": "red"},
    ],
)
def test_a_label_that_cannot_be_is_refused_and_nothing_changes(label: dict, client: TestClient) -> None:
    take = sent(client, file_of(made_tom(98), RATE, subtype="FLOAT")).json()["id"]
    before = listed(client)
    assert client.post(f"/api/takes/{take}/label", json=label).status_code == 422
    assert listed(client) == before
    assert client.post(f"/api/takes/{'0' * len(take)}/label", json={"name": "x"}).status_code == 404


def test_what_is_used_stays_and_the_rest_is_put_away_and_back(client: TestClient) -> None:
    take = sent(client, file_of(made_tom(98), RATE, subtype="FLOAT")).json()["id"]
    state = client.post("/api/tracks", json={"start": "untouched"}).json()
    track = state["track"]
    kick = next(one for one in track["parts"] if one["id"] == "kick")
    before = kick["hit"]["layers"]
    kick["hit"]["layers"] = [{"id": "take-1", "name": "Tom", "source": {"engine": "take", "take": take}, "chain": []}]

    def described(edition: int) -> dict:
        command = {"kind": "describe", "track": track, "label": "Kick"}
        body = {"edition": edition, "command": command, "gesture": f"g{edition}"}
        answer = client.post(f"/api/tracks/{state['id']}/commands", json=body)
        assert answer.status_code == 200, answer.text
        found: dict = answer.json()
        return found

    now = described(state["edition"])
    assert listed(client)[take]["tracks"] == [track["name"]]
    refused = archived(client, take, True)
    assert refused.status_code == 409
    assert track["name"] in refused.json()["detail"]
    assert take in listed(client)
    # Taken out of the track it is put away; undone, the track is made of it as before.
    kick["hit"]["layers"] = before
    now = described(now["edition"])
    assert archived(client, take, True).status_code == 200
    assert take not in listed(client)
    away = next(one for one in client.get("/api/data").json()["unused"] if one["id"] == take)
    assert away["archived"]
    assert client.delete(f"/api/takes/{take}").status_code == 409
    back = client.post(
        f"/api/tracks/{state['id']}/undo", json={"edition": now["edition"], "revision": now["revision"]}
    ).json()
    assert take in str(back["track"])
    assert client.get(f"/api/takes/{take}/sound.wav", params={"sample_rate": RATE}).status_code == 200
    assert archived(client, take, False).status_code == 200
    assert listed(client)[take]["tracks"] == [track["name"]]


def test_a_recording_says_how_it_was_made(client: TestClient) -> None:
    asked = {"name": "Recorded 1", "recorded": "by the stand-in, as it was held"}
    body = file_of(made_tom(110), RATE, subtype="FLOAT")
    made = client.post("/api/takes", params=asked, content=body, headers={"Content-Type": "application/octet-stream"})
    assert made.status_code == 201, made.text
    assert listed(client)[made.json()["id"]]["made_of"]["said"] == asked["recorded"]


@pytest.mark.parametrize(
    "head",
    [
        b"\x00\x00\x00\x20ftypmp42",
        b"\x1aE\xdf\xa3\x01\x00\x00\x00",
        b"RIFF\x24\x00\x00\x00AVI LIST",
        b"\x00\x00\x01\xba\x44\x00",
    ],
    ids=["ISO media", "Matroska", "AVI", "MPEG"],
)
def test_a_video_says_what_to_do(head: bytes, client: TestClient) -> None:
    answer = sent(client, head + bytes(2000))
    assert answer.status_code == 422
    assert "export its sound as WAV or FLAC" in answer.json()["detail"]
    assert client.get("/api/takes").json() == []


def sound_of(client: TestClient, address: str, **asked: int) -> np.ndarray:
    answer = client.get(address, params={"sample_rate": RATE, **asked})
    assert answer.status_code == 200, answer.text
    audio, rate = soundfile.read(io.BytesIO(answer.content))
    assert rate == RATE
    return np.asarray(audio)


def test_every_thing_is_struck_softly_and_hard_and_no_two_strikes_are_one(client: TestClient) -> None:
    about = client.get("/api/recorder").json()
    assert len(about["things"]) == len({one["name"] for one in about["things"]}) >= 12
    assert about["free_bytes"] > 0
    for number, thing in enumerate(about["things"]):
        address = f"/api/recorder/things/{number}.wav"
        hard, soft, other = (
            sound_of(client, address, strength=strength, turn=turn) for strength, turn in ((127, 0), (40, 0), (127, 999))
        )
        peak_db = [20 * np.log10(np.max(np.abs(one))) for one in (hard, soft, other)]
        assert -12 < peak_db[0] < -3, thing["name"]
        assert peak_db[1] < peak_db[0] - 12, thing["name"]
        size = min(hard.size, other.size)
        assert np.max(np.abs(hard[:size] - other[:size])) > 0.01, thing["name"]
    assert client.get(f"/api/recorder/things/{len(about['things'])}.wav", params={"sample_rate": RATE}).status_code == 404


@pytest.mark.parametrize("name", ["Table", "Cushion"])
def test_a_strike_rings_on_in_the_room(name: str, client: TestClient) -> None:
    """A knock that is over in a tenth of a second: what follows is the room, falling, and far under the stroke."""
    number = [one["name"] for one in client.get("/api/recorder").json()["things"]].index(name)
    sound = sound_of(client, f"/api/recorder/things/{number}.wav", strength=127)
    begin = int(np.argmax(np.abs(sound) > 0.05))

    def level_db(first_s: float, last_s: float) -> float:
        part = sound[begin + round(first_s * RATE) : begin + round(last_s * RATE)]
        return float(10 * np.log10(np.mean(part**2)))

    assert -60 < level_db(0.25, 0.3) - level_db(0, 0.05) < -15
    assert level_db(0.4, 0.45) < level_db(0.25, 0.3) - 5


def test_the_room_hums_and_hisses_as_it_is_made_and_goes_on_where_it_begins(client: TestClient) -> None:
    room = sound_of(client, "/api/recorder/room.wav")
    spectrum = np.abs(np.fft.rfft(room * np.hanning(room.size))) / (room.size / 4)
    hum_db = 20 * np.log10(spectrum[round(50 * room.size / RATE)] / np.sqrt(2))
    assert hum_db == pytest.approx(-62, abs=1)
    high = np.fft.irfft(np.where(np.fft.rfftfreq(room.size, 1 / RATE) > 200, np.fft.rfft(room), 0))
    assert 10 * np.log10(np.mean(high**2)) == pytest.approx(-74, abs=0.5)
    steps = np.abs(np.diff(room))
    assert abs(room[0] - room[-1]) <= steps.max()

"""Sounds heard before they are used, as they are and in their place; layers that join a hit through the API."""

from __future__ import annotations

import io

import numpy as np
import pytest
import soundfile
from fastapi.testclient import TestClient
from support import described, order, part_of

RATE = 48000
LEAD_MS = 300.0


@pytest.fixture
def client(tmp_path):  # type: ignore[no-untyped-def]
    from juglant.api.app import make_app
    from juglant.api.settings import DATABASE_NAME, Settings

    return TestClient(make_app(Settings(tmp_path / DATABASE_NAME, page=None)), base_url="http://localhost")


def thump_file() -> bytes:
    time = np.arange(RATE // 2) / RATE
    sound = 0.7 * np.sin(2 * np.pi * 63 * time) * np.minimum(1000 * time, 1) * np.exp(-9 * time)
    out = io.BytesIO()
    soundfile.write(out, np.append(np.zeros(round(LEAD_MS * RATE / 1000)), sound), RATE, format="WAV", subtype="FLOAT")
    return out.getvalue()


def loaded(client: TestClient) -> dict:
    headers = {"Content-Type": "application/octet-stream"}
    answer = client.post("/api/takes?name=thump-heard.wav", content=thump_file(), headers=headers)
    assert answer.status_code == 201
    found: dict = answer.json()
    return found


def audio_of(answer) -> np.ndarray:  # type: ignore[no-untyped-def]
    assert answer.status_code == 200, answer.text
    audio, rate = soundfile.read(io.BytesIO(answer.content), always_2d=True)
    assert rate == RATE
    return np.asarray(audio.mean(axis=1))


def onset(audio: np.ndarray) -> float:
    return float(1000 * np.argmax(np.abs(audio) > 0.01 * np.max(np.abs(audio))) / RATE)


def test_a_loaded_sound_has_a_picture_and_its_onset_and_is_heard_as_it_is(client: TestClient) -> None:
    take = loaded(client)
    assert take["onset_ms"] == pytest.approx(LEAD_MS, abs=1)
    assert take["span_ms"] == pytest.approx(800, abs=1)
    assert len(take["low"]) == len(take["high"]) == 180
    # Its lead-in is in the picture and in the sound.
    lead = round(180 * LEAD_MS / 800) - 2
    assert max(take["high"][:lead]) == 0 < max(take["high"])
    whole = audio_of(client.get(f"/api/takes/{take['id']}/sound.wav?sample_rate={RATE}"))
    assert onset(whole) == pytest.approx(LEAD_MS, abs=2)
    cut = audio_of(client.get(f"/api/takes/{take['id']}/sound.wav?sample_rate={RATE}&begin_ms={take['onset_ms']}"))
    assert onset(cut) < 2
    assert client.get(f"/api/takes/{'0' * 24}/sound.wav?sample_rate={RATE}").status_code == 404
    # It is there for any other track without its file.
    assert [one["id"] for one in client.get("/api/takes").json()] == [take["id"]]


def test_a_sound_is_heard_in_its_place_no_louder_and_nothing_is_stored(client: TestClient) -> None:
    take, state = loaded(client), client.post("/api/tracks", json={"start": "untouched"}).json()
    where = f"/api/tracks/{state['id']}/in-place.wav"
    now = audio_of(client.post(where, json={"track": state["track"]}))
    layers = [{"id": "t", "name": "T", "source": {"engine": "take", "take": take["id"], "begin_ms": take["onset_ms"]}}]
    part_of(state["track"], "kick")["hit"] |= {"layers": layers, "locked": [], "front": []}
    made = audio_of(client.post(where, json={"track": state["track"]}))
    assert made.size == now.size
    assert np.max(np.abs(made - now)) > 0.05
    # The new kick sounds on the beat: with the one-shot's own first half wave.
    assert np.sqrt(np.mean(made**2)) <= 1.6 * np.sqrt(np.mean(now**2))
    assert client.get(f"/api/tracks/{state['id']}").json()["edition"] == state["edition"]


def test_a_loop_without_a_kick_in_it_is_refused_before_it_is_used(client: TestClient) -> None:
    take, state = loaded(client), client.post("/api/tracks", json={"start": "empty"}).json()
    where = f"/api/tracks/{state['id']}/in-place.wav"
    answer = client.post(where, json={"track": state["track"], "kick_loop": {"take": "0" * 23 + "1"}})
    assert answer.status_code == 422
    assert "no sound" in answer.json()["detail"]
    assert audio_of(client.post(where, json={"track": state["track"], "kick_loop": {"take": take["id"]}})).any()


def test_a_bass_loop_is_read_to_the_grid_and_what_was_read_is_said(client: TestClient) -> None:
    state = client.post("/api/tracks", json={"start": "empty"}).json()
    beat, out = round(60 / state["track"]["sheet"]["bpm"] * RATE), []
    for number in (33, 33, 40, 36):
        time = np.arange(beat) / RATE
        edges = np.minimum(1, np.minimum(time / 0.005, (beat / RATE - time) / 0.02))
        out.append(0.5 * edges * np.sin(2 * np.pi * 440 * 2 ** ((number - 69) / 12) * time))
    file = io.BytesIO()
    soundfile.write(file, np.concatenate(out), RATE, format="WAV", subtype="FLOAT")
    headers = {"Content-Type": "application/octet-stream"}
    take = client.post("/api/takes?name=bass-loop.wav", content=file.getvalue(), headers=headers).json()["id"]
    address = f"/api/tracks/{state['id']}/commands"
    done = client.post(address, json=order(state["edition"], "bass-loop", take=take)).json()
    read = [(note["at_beats"], note["note"]) for note in part_of(done["track"], "bass")["notes"]]
    assert read[:4] == [(0, 33), (1, 33), (2, 40), (3, 36)]
    assert done["said"] == ["4 notes of the bass loop are read to the grid"]
    assert (done["undo_label"], part_of(done["track"], "bass")["instrument"]["source"]) == (
        "Bass from a loop",
        "recorded line",
    )
    gone = client.post(address, json=order(done["edition"], "bass-loop", take="1" * 24))
    assert gone.status_code == 422
    assert client.post(address, json=order(state["edition"], "bass-loop", take=take)).status_code == 409


def test_a_layer_joins_through_the_api_and_says_what_was_done(client: TestClient) -> None:
    state = client.post("/api/tracks", json={"start": "untouched"}).json()
    layer = {"id": "new", "name": "Low skins", "source": {"engine": "skins"}}
    body = order(state["edition"], "add-layer", layer=layer)
    done = client.post(f"/api/tracks/{state['id']}/commands", json=body).json()
    assert done["undo_label"] == "Add Low skins"
    assert [one["id"] for one in part_of(done["track"], "kick")["hit"]["layers"]][-1] == "new"
    (said,) = done["said"]
    assert said.startswith("Low skins is added: on ")
    assert "dB" in said
    assert client.get(f"/api/tracks/{state['id']}").json()["said"] == []
    assert client.post(f"/api/tracks/{state['id']}/commands", json=body).status_code == 409


def test_new_tracks_begin_with_the_floor_filter_and_stored_ones_keep_what_they_have(client: TestClient) -> None:
    for start in ("empty", "untouched"):
        assert client.post("/api/tracks", json={"start": start}).json()["track"]["carve"]["floor_on"] is True
    state = client.post("/api/tracks", json={"start": "empty"}).json()
    track = {**state["track"], "carve": {**state["track"]["carve"], "floor_on": False}}
    body = described(state["edition"], track, "Off")
    assert client.post(f"/api/tracks/{state['id']}/commands", json=body).json()["track"]["carve"]["floor_on"] is False
    # A description that was written before there was a choice opens as it sounded.
    del track["carve"]["floor_on"]
    body = described(state["edition"] + 1, track, "Older")
    assert client.post(f"/api/tracks/{state['id']}/commands", json=body).json()["track"]["carve"]["floor_on"] is False

"""A take cut by hand, over the API: drawn at any scale, heard as it is kept, kept beside the take, refused in words."""

from __future__ import annotations

import io

import numpy as np
import pytest
import soundfile
from near_meters import RATE, made_tom
from starlette.testclient import TestClient
from test_takes import client, file_of, sent

__all__ = ["client"]
SOUND = np.concatenate((np.zeros(RATE // 2), made_tom(98)))


@pytest.fixture
def take(client: TestClient) -> str:
    return str(sent(client, file_of(SOUND, RATE, subtype="FLOAT")).json()["id"])


def samples(client: TestClient, take: str) -> np.ndarray:
    answer = client.get(f"/api/takes/{take}/sound.wav", params={"sample_rate": RATE})
    return np.asarray(soundfile.read(io.BytesIO(answer.content))[0])


def test_a_cut_is_what_was_asked_to_the_sample_and_is_heard_so(client: TestClient, take: str) -> None:
    begin, end = 30011, 44123
    how = {"begin_s": begin / RATE, "end_s": end / RATE, "turn": False, "fade_out_ms": 0}
    made = client.post(f"/api/takes/{take}/recut", json=how | {"name": "Part"})
    assert made.status_code == 201, made.text
    assert made.json()["duration_ms"] == pytest.approx(1000 * (end - begin) / RATE, abs=0.02)
    inside = slice(300, end - begin - 300)
    assert np.allclose(samples(client, made.json()["id"])[inside], SOUND[begin:end][inside], atol=1e-6)
    heard = client.post(f"/api/takes/{take}/recut.wav", params={"sample_rate": RATE}, json=how)
    audio = np.asarray(soundfile.read(io.BytesIO(heard.content))[0])
    assert np.allclose(audio[inside], SOUND[begin:end][inside], atol=1e-6)
    row = next(one for one in client.get("/api/takes").json() if one["id"] == made.json()["id"])
    assert (row["made_of"]["take"], row["made_of"]["said"]) == (take, "kept")


def test_at_a_turn_of_the_wave_it_begins_near_nothing(client: TestClient, take: str) -> None:
    how = {"begin_s": 0.6303, "end_s": 0.9, "turn": True, "peak_db": -1, "name": "Turned"}
    made = client.post(f"/api/takes/{take}/recut", json=how).json()
    audio = samples(client, made["id"])
    assert np.max(np.abs(audio)) == pytest.approx(10 ** (-1 / 20), rel=0.01)
    assert abs(audio[0]) < 0.02


def test_the_waveform_is_drawn_at_any_scale(client: TestClient, take: str) -> None:
    whole = client.get(f"/api/takes/{take}/wave").json()
    assert (whole["from_s"], whole["to_s"]) == (0, pytest.approx(SOUND.size / RATE))
    assert max(whole["high"]) == pytest.approx(SOUND.max(), abs=1e-3)
    near = client.get(f"/api/takes/{take}/wave", params={"from_s": 0.5, "to_s": 0.5}).json()
    assert round((near["to_s"] - near["from_s"]) * RATE) == len(near["low"]) == 16
    end = client.get(f"/api/takes/{take}/wave", params={"from_s": 900}).json()
    assert 0 <= end["from_s"] < end["to_s"] <= SOUND.size / RATE


@pytest.mark.parametrize(
    "how",
    [
        {"begin_s": 0.5, "end_s": 0.4},
        {"begin_s": 50, "end_s": 60},
        {"begin_s": 0, "end_s": 0.3},
        {"begin_s": -1, "end_s": 0.3},
        {"begin_s": 0, "end_s": 1, "peak_db": 3},
        {"begin_s": 0, "end_s": 1, "fade_in_ms": -1},
        {"begin_s": 0, "end_s": 1, "what": "burn"},
        {"begin_s": 0, "end_s": 10, "what": "silence", "turn": False},
    ],
)
def test_what_cannot_be_cut_is_refused_and_nothing_is_kept(how: dict, client: TestClient, take: str) -> None:
    before = client.get("/api/takes").json()
    assert client.post(f"/api/takes/{take}/recut", json=how | {"name": "x"}).status_code == 422
    assert client.post(f"/api/takes/{take}/recut.wav", params={"sample_rate": RATE}, json=how).status_code == 422
    assert client.get("/api/takes").json() == before

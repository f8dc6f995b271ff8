"""What a take carries, over the API: told, heard both ways, kept as a take of its own, refused where there is nothing."""

from __future__ import annotations

import io

import numpy as np
import pytest
import soundfile
from near_meters import RATE, made_tom
from starlette.testclient import TestClient
from test_takes import client, file_of, sent

__all__ = ["client"]


def recording() -> np.ndarray:
    time = np.arange(4 * RATE) / RATE
    out = 0.002 * np.sin(2 * np.pi * 50 * time) + 0.0004 * np.random.default_rng(1).standard_normal(time.size)
    for begin in (0.6, 2.2):
        sound = made_tom(98)
        out[round(begin * RATE) : round(begin * RATE) + sound.size] += sound
    return out


@pytest.fixture
def take(client: TestClient) -> str:
    return str(sent(client, file_of(recording(), RATE, subtype="FLOAT")).json()["id"])


def heard(client: TestClient, take: str, **asked: object) -> np.ndarray:
    answer = client.get(f"/api/takes/{take}/cleaned.wav", params={"sample_rate": RATE, **asked})
    assert answer.status_code == 200, answer.text
    audio, _ = soundfile.read(io.BytesIO(answer.content))
    return np.asarray(audio)


def test_what_is_left_and_what_is_taken_make_up_the_take(client: TestClient, take: str) -> None:
    found = client.get(f"/api/takes/{take}/carried").json()
    assert found["hum_db"] == pytest.approx(20 * np.log10(0.002 / np.sqrt(2)), abs=1)
    assert found["hum_hz"] == pytest.approx(50, abs=0.05)
    left, taken = (heard(client, take, hum=True, hiss_down_db=6, heard=part) for part in ("left", "taken"))
    inside = slice(round(0.01 * RATE), -round(0.01 * RATE))
    assert np.allclose((left + taken)[inside], recording()[inside], atol=2e-6)
    assert np.max(np.abs(taken)) < 0.01


def test_it_is_kept_as_a_take_of_its_own_that_says_so(client: TestClient, take: str) -> None:
    made = client.post(f"/api/takes/{take}/cleaned", json={"hum": True, "name": "Without hum"})
    assert made.status_code == 201, made.text
    row = next(one for one in client.get("/api/takes").json() if one["id"] == made.json()["id"])
    assert (row["name"], row["made_of"]["way"], row["made_of"]["take"]) == ("Without hum", "cleaned", take)
    assert client.get(f"/api/takes/{row['id']}/carried").json()["hum_db"] is None
    assert any(one["id"] == take for one in client.get("/api/takes").json())


@pytest.mark.parametrize(
    ("body", "status"),
    [
        ({"name": "Same"}, 422),
        ({"hum": True, "name": ""}, 422),
        ({"hiss_down_db": 60, "name": "x"}, 422),
        ({"hiss_down_db": -1, "name": "x"}, 422),
        ({"hum": True, "name": "x", "also": 1}, 422),
    ],
)
def test_nothing_to_take_out_is_said(body: dict, status: int, client: TestClient, take: str) -> None:
    before = client.get("/api/takes").json()
    assert client.post(f"/api/takes/{take}/cleaned", json=body).status_code == status
    assert client.get("/api/takes").json() == before


def test_a_gate_is_heard_and_said_and_what_it_takes_is_heard_alone(client: TestClient) -> None:
    time = np.arange(2 * RATE) / RATE
    noise = np.random.default_rng(3).standard_normal(time.size)
    sound = 0.3 * noise * np.exp(-time / 0.012) + 0.03 * noise[::-1] * 10 ** (-3 * time / 0.8)
    sound = np.concatenate((1e-5 * noise[: RATE // 2], sound))
    take = sent(client, file_of(sound, RATE, subtype="FLOAT"), name="Wall.wav").json()["id"]
    found = client.get(f"/api/takes/{take}/carried").json()
    assert found["rings"]["room_ms"] == pytest.approx(800, rel=0.2)
    both = [
        client.get(f"/api/takes/{take}/cleaned.wav", params={"sample_rate": RATE, "gate_db": 30, "heard": heard}).content
        for heard in ("left", "taken")
    ]
    left, taken = (np.asarray(soundfile.read(io.BytesIO(one))[0]) for one in both)
    np.testing.assert_allclose((left + taken)[10:-300], sound[10:-300], atol=1e-4)
    assert np.sum(left[RATE:] ** 2) < 1e-3 * np.sum(taken[RATE:] ** 2)
    made = client.post(f"/api/takes/{take}/cleaned", json={"gate_db": 30, "name": "Closed"})
    assert made.status_code == 201, made.text
    row = next(one for one in client.get("/api/takes").json() if one["name"] == "Closed")
    assert row["made_of"]["said"] == "what is left once each has fallen by 30 dB"
    assert client.get(f"/api/takes/{take}/cleaned.wav", params={"sample_rate": RATE, "gate_db": 5}).status_code == 422

"""Impacts over the API: found in a loaded sound, ranked, cut into sounds of their own, refused in words."""

from __future__ import annotations

import io

import numpy as np
import pytest
import soundfile
from near_meters import RATE, made_snare, made_tom
from starlette.testclient import TestClient
from test_takes import client, file_of, sent

__all__ = ["client"]


def recording() -> tuple[np.ndarray, list[float]]:
    """Three toms and two snares two seconds apart, and where each begins, s."""
    sounds = [made_tom(98), made_snare(205), made_tom(110), made_snare(190), made_tom(87)]
    audio, begins = np.zeros(round(10.5 * RATE)), [0.25 + 2 * place for place in range(5)]
    for begin, sound in zip(begins, sounds, strict=True):
        part = sound[: round(1.8 * RATE)]
        audio[round(begin * RATE) : round(begin * RATE) + part.size] += 0.7 * part / np.max(np.abs(part))
    return audio, begins


def test_impacts_are_ranked_heard_and_cut_to_the_sample(client: TestClient) -> None:
    audio, begins = recording()
    take = sent(client, file_of(audio, RATE, subtype="FLOAT")).json()["id"]
    answer = client.get(f"/api/takes/{take}/impacts", params={"role": "tom"})
    assert answer.status_code == 200, answer.text
    found = answer.json()["found"]
    assert [one["number"] for one in sorted(found, key=lambda one: one["impact"]["begin_s"])] == [1, 2, 3, 4, 5]
    by_number = {one["number"]: one for one in found}
    for number, begin in enumerate(begins, 1):
        assert by_number[number]["impact"]["onset_s"] == pytest.approx(begin, abs=0.002)
    # The toms are the best toms, the snares the best snares.
    assert {one["number"] for one in found[:3]} == {1, 3, 5}
    snares = client.get(f"/api/takes/{take}/impacts", params={"role": "snare"}).json()["found"]
    assert {one["number"] for one in snares[:2]} == {2, 4}
    assert all(0 <= one["asked"]["share"] <= 1 for one in found)
    # Low skins that fall within half a second may serve as kicks too.
    assert {by_number[number]["read"]["role"] for number in (1, 3, 5)} <= {"tom", "kick"}
    # What goes on hissing is no skin without wires; how much body a made snare has is a matter of taste.
    assert {by_number[number]["read"]["role"] for number in (2, 4)} <= {"snare", "hat"}
    assert all(by_number[number]["read"]["because"] for number in by_number)

    one = by_number[3]["impact"]
    asked = {"begin_ms": 1000 * one["begin_s"], "length_ms": 1000 * (one["end_s"] - one["begin_s"]), "sample_rate": RATE}
    heard = soundfile.read(io.BytesIO(client.get(f"/api/takes/{take}/sound.wav", params=asked).content))[0]
    assert heard.size == pytest.approx((one["end_s"] - one["begin_s"]) * RATE, abs=2)
    cuts = [{"begin_s": one["begin_s"], "end_s": one["end_s"], "name": "Third"}]
    made = client.post(f"/api/takes/{take}/cuts", json={"cuts": cuts})
    assert made.status_code == 201, made.text
    (cut,) = made.json()
    assert (cut["name"], cut["sample_rate"], cut["channels"]) == ("Third", RATE, 1)
    stored = soundfile.read(
        io.BytesIO(client.get(f"/api/takes/{cut['id']}/sound.wav", params={"sample_rate": RATE}).content)
    )[0]
    first = round(one["begin_s"] * RATE)
    middle = slice(round(0.002 * RATE), stored.size - round(0.012 * RATE))
    assert np.allclose(stored[middle], audio[first : first + stored.size][middle], atol=1e-6)
    assert next(row["name"] for row in client.get("/api/takes").json()) == "Third"


@pytest.mark.parametrize(("cuts", "status", "says"), [
    ([], 422, "at least 1"),
    ([{"begin_s": 1, "end_s": 1, "name": "x"}], 422, "x is empty"),
    ([{"begin_s": 0, "end_s": 1, "name": "good"}, {"begin_s": 99, "end_s": 100, "name": "late"}], 422, "late is empty"),
    ([{"begin_s": -1, "end_s": 1, "name": "x"}], 422, "at least 0"),
    ([{"begin_s": 0, "end_s": 1, "name": ""}], 422, "name"),
    ([{"begin_s": 0, "end_s": 1, "name": "x"}] * 33, 422, "at most 32"),
])  # fmt: skip
def test_a_cut_that_cannot_be_is_refused_and_none_is_made(
    client: TestClient, cuts: list[dict], status: int, says: str
) -> None:
    take = sent(client, file_of(made_tom(98), RATE, subtype="FLOAT")).json()["id"]
    answer = client.post(f"/api/takes/{take}/cuts", json={"cuts": cuts})
    assert (answer.status_code, says in answer.text) == (status, True), answer.text
    assert len(client.get("/api/takes").json()) == 1


def test_a_sound_that_is_not_there_and_a_role_nobody_recorded_are_named(client: TestClient) -> None:
    take = sent(client, file_of(made_tom(98), RATE, subtype="FLOAT")).json()["id"]
    unknown = "0" * len(take)
    assert client.get(f"/api/takes/{unknown}/impacts").status_code == 404
    refused = client.get(f"/api/takes/{take}/impacts", params={"role": "rumble"})
    assert refused.status_code == 422
    assert "ask for kick" in refused.text

"""The pattern of a sound over the API: read with the track's tempo in view, by a tempo that is said, refused in words."""

from __future__ import annotations

import pytest
from made_loops import made_loop
from near_meters import RATE, made_tom
from starlette.testclient import TestClient
from test_takes import client, file_of, sent

__all__ = ["client"]


def pattern(client: TestClient, take: str, **asked: float):  # type: ignore[no-untyped-def]
    return client.get(f"/api/takes/{take}/pattern", params=asked)


def test_a_pattern_is_read_and_read_anew_at_a_tempo_that_is_said(client: TestClient) -> None:
    loop, truth = made_loop("two-step", 128)
    take = sent(client, file_of(loop, RATE, subtype="FLOAT")).json()["id"]
    found = pattern(client, take, hint_bpm=128).json()
    assert found["pattern"]["bpm"] == pytest.approx(128, rel=0.002)
    read = {(one["row"], one["at_beats"]) for one in found["pattern"]["hits"]}
    assert {one for one in read if one[0] != "hat"} == {one for one in truth if one[0] != "hat"}
    assert len(found["low"]) == len(found["high"]) > 100
    half = pattern(client, take, bpm=64).json()["pattern"]
    assert (half["bpm"], half["bars"]) == (64, 1)
    assert ("snare", 0.5) in {(one["row"], one["at_beats"]) for one in half["hits"]}


def test_one_stroke_is_no_pattern_and_says_so(client: TestClient) -> None:
    take = sent(client, file_of(made_tom(90), RATE, subtype="FLOAT")).json()["id"]
    assert "hardly anything begins" in pattern(client, take).json()["pattern"]["refused"]


@pytest.mark.parametrize("asked", [{"bpm": 0}, {"bpm": 5000}, {"hint_bpm": -1}])
def test_a_tempo_that_cannot_be_is_refused(asked: dict, client: TestClient) -> None:
    take = sent(client, file_of(made_tom(90), RATE, subtype="FLOAT")).json()["id"]
    assert pattern(client, take, **asked).status_code == 422
    assert pattern(client, "0" * len(take)).status_code == 404

"""A recorded hit made to serve as a role, over the API: shown, switched, taken as one step, undone, refused in words."""

from __future__ import annotations

import numpy as np
import pytest
from near_meters import RATE, made_tom
from starlette.testclient import TestClient
from test_takes import client, file_of, sent

__all__ = ["client"]


@pytest.fixture
def state(client: TestClient) -> dict:
    """A track whose kick is a recorded tom."""
    take = sent(client, file_of(made_tom(110), RATE, subtype="FLOAT")).json()["id"]
    state = client.post("/api/tracks", json={"start": "untouched"}).json()
    kick = next(one for one in state["track"]["parts"] if one["id"] == "kick")
    kick["hit"]["layers"] = [{"id": "take-1", "name": "Tom", "source": {"engine": "take", "take": take}, "chain": []}]
    found: dict = ordered(client, state, kind="describe", track=state["track"], label="Kick").json()
    return found


def ordered(client: TestClient, state: dict, **command: object):  # type: ignore[no-untyped-def]
    body = {"edition": state["edition"], "command": command, "gesture": f"g{state['edition']}"}
    return client.post(f"/api/tracks/{state['id']}/commands", json=body)


def made(client: TestClient, state: dict, **asked: object):  # type: ignore[no-untyped-def]
    return client.get(f"/api/tracks/{state['id']}/revisions/{state['revision']}/hits/kick/made", params=asked)


def test_what_is_shown_is_what_is_made_and_taken_back(client: TestClient, state: dict) -> None:
    shown = made(client, state, role="kick").json()
    needed = [one["id"] for one in shown["moves"] if one["on"]]
    assert {"tune", "level"} <= set(needed)
    off = needed[-1]
    without = made(client, state, role="kick", off=off).json()
    assert [one["id"] for one in without["moves"] if one["on"]] == needed[:-1]
    after = ordered(client, state, kind="make-it", part="kick", role="kick", off=[off])
    assert after.status_code == 200, after.text
    now = after.json()
    kick = next(one for one in now["track"]["parts"] if one["id"] == "kick")
    assert kick["hit"] == without["hit"]
    assert now["undo_label"].startswith("Make Kick a kick")
    assert any("tune" in one for one in now["said"])
    back = client.post(f"/api/tracks/{state['id']}/undo", json={"edition": now["edition"], "revision": now["revision"]})
    assert back.json()["track"] == state["track"]
    # Sounds of before and after are heard equally loud.
    for hit in (shown["hit"], without["hit"]):
        assert client.post(f"/api/tracks/{state['id']}/hits/kick/sound", json=hit).status_code == 200


@pytest.mark.parametrize(
    ("asked", "status"),
    [
        ({}, 422),
        ({"role": "drum"}, 422),
        ({"role": "kick", "off": "everything"}, 422),
        ({"role": "rumble"}, 422),
        ({"role": "bass"}, 422),
    ],
)
def test_what_cannot_be_is_refused(asked: dict, status: int, client: TestClient, state: dict) -> None:
    assert made(client, state, **asked).status_code == status


def test_made_once_more_it_finds_little_left_to_do(client: TestClient, state: dict) -> None:
    now = ordered(client, state, kind="make-it", part="kick", role="kick").json()
    again = made(client, now, role="kick").json()
    assert len(again["outside"]) <= again["outside_before"]
    tuned = next(one for one in again["moves"] if one["id"] == "tune")
    assert not tuned["needed"], tuned["said"]
    assert np.isfinite([one["after"] for one in again["figures"]]).all()

"""Where a part stands over the API: measured, balanced, heard on its pad as in the loop, refused in words."""

from __future__ import annotations

import io

import numpy as np
import pytest
import soundfile
from starlette.testclient import TestClient
from support import described, part_of
from test_takes import client

__all__ = ["client"]


def standing(client: TestClient, state: dict, part: str) -> dict:
    answer = client.get(f"/api/tracks/{state['id']}/revisions/{state['revision']}/hits/{part}/standing")
    assert answer.status_code == 200, answer.text
    return answer.json()


def far(client: TestClient, **distances: dict) -> dict:
    state = client.post("/api/tracks", json={"start": "untouched"}).json()
    for part, distance in distances.items():
        part_of(state["track"], part)["distance"] = distance
    answer = client.post(f"/api/tracks/{state['id']}/commands", json=described(state["edition"], state["track"]))
    assert answer.status_code == 200, answer.text
    return answer.json()


def test_a_part_far_away_is_measured_heard_on_its_pad_and_balanced(client: TestClient) -> None:
    state = far(client, clap={"far_pct": 50}, hat={"far_pct": 20, "behind": "clap"})
    clap, hat = standing(client, state, "clap"), standing(client, state, "hat")
    assert clap["away"]["direct_to_room_db"] == pytest.approx(6, abs=0.1)
    assert (hat["away"]["far_pct"], hat["apart"]["front"], hat["apart"]["held_pct"]) == (70, "clap", 20)
    assert hat["apart"]["drier_db"] == pytest.approx(4.8, abs=0.1)
    near = far(client)
    where = "/api/tracks/{}/revisions/{}/hits/clap/stroke.wav"
    sounds = []
    for one in (near, state):
        answer = client.get(where.format(one["id"], one["revision"]))
        sounds.append(soundfile.read(io.BytesIO(answer.content))[0])
    # Quieter, and rung on behind the end of the near one.
    longest = min(one.shape[0] for one in sounds)
    assert sounds[1].shape[0] > sounds[0].shape[0]
    assert np.mean(sounds[1][:longest] ** 2) < np.mean(sounds[0][:longest] ** 2) / 2
    asked = {"edition": state["edition"], "command": {"kind": "balance", "part": "clap", "beside_kick_lu": -15}}
    after = client.post(f"/api/tracks/{state['id']}/commands", json=asked)
    assert after.status_code == 200, after.text
    assert standing(client, after.json(), "clap")["beside_kick_lu"] == pytest.approx(-15, abs=0.1)
    # Kick and bass stay near; what is measured of them is their loudness.
    assert standing(client, state, "bass")["away"] is None
    assert standing(client, state, "kick")["beside_kick_lu"] == pytest.approx(0, abs=1e-6)


@pytest.mark.parametrize(("part", "distance", "says"), [
    ("clap", {"far_pct": 101}, "at most 100"),
    ("clap", {"far_pct": -1}, "at least 0"),
    ("clap", {"ring_ms": 99}, "at least 100"),
    ("clap", {"behind": "clap"}, "cannot be kept behind"),
    ("clap", {"behind": "nobody"}, "nobody"),
    ("kick", {"far_pct": 1}, "has no distance"),
])  # fmt: skip
def test_a_place_that_cannot_be_is_refused_in_words(client: TestClient, part: str, distance: dict, says: str) -> None:
    state = client.post("/api/tracks", json={"start": "untouched"}).json()
    part_of(state["track"], part)["distance"] = distance
    answer = client.post(f"/api/tracks/{state['id']}/commands", json=described(state["edition"], state["track"]))
    assert answer.status_code == 422
    assert says in answer.text
    assert client.get(f"/api/tracks/{state['id']}").json()["revision"] == state["revision"]

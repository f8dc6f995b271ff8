"""A recorded layer rebuilt over the API: both sides equally loud, its place in the sum no part of it, refusals said."""

from __future__ import annotations

import io

import numpy as np
import pyloudnorm
import pytest
import soundfile
from near_meters import RATE, bands_apart_db, made_snare
from starlette.testclient import TestClient
from support import described, part_of
from test_takes import client, file_of, sent

from juglant.core.synth.takes import NO_TAKE

__all__ = ["client"]


def with_layer(client: TestClient, part: str, **layer: object) -> tuple[dict, str]:
    """The demo with one part of one recorded layer, a made snare, and where it is rebuilt."""
    take = sent(client, file_of(made_snare(205), RATE, subtype="FLOAT")).json()["id"]
    state = client.post("/api/tracks", json={"start": "untouched"}).json()
    source = {"engine": "take", "take": take}
    made = {"id": "found", "name": "Found", "source": source, **layer}
    part_of(state["track"], part)["hit"]["layers"] = [made]
    state = client.post(f"/api/tracks/{state['id']}/commands", json=described(state["edition"], state["track"])).json()
    return state, f"/api/tracks/{state['id']}/revisions/{state['revision']}/hits/{part}/layers/"


def test_both_are_heard_equally_loud_wherever_the_layer_stands_in_the_sum(client: TestClient) -> None:
    chain = [{"kind": "drive", "drive_db": 24}]
    state, where = with_layer(client, "clap", gain_db=-20, pan_pct=60, chain=chain, muted=True)
    answer = client.get(f"{where}found/near")
    assert answer.status_code == 200, answer.text
    near = answer.json()
    assert near["found"]["bands_db"] < 2
    # A level of its own that is far down, a pan, a chain and a mute are no part of the sound that is rebuilt.
    heard = []
    for side in ("recorded_heard", "rebuilt_heard"):
        wav = client.post(f"/api/tracks/{state['id']}/hits/clap/sound", json=near[side])
        assert wav.status_code == 200, wav.text
        heard.append(soundfile.read(io.BytesIO(wav.content))[0])
    recorded, rebuilt = (one if one.ndim == 1 else one.mean(axis=1) for one in heard)
    assert np.max(np.abs(bands_apart_db(recorded, made_snare(205), RATE))) < 0.2
    meter = pyloudnorm.Meter(RATE, block_size=0.1)
    span = min(recorded.size, rebuilt.size)
    levels = [meter.integrated_loudness(np.tile(one[:span], 4)) for one in (recorded, rebuilt)]
    assert levels[0] == pytest.approx(levels[1], abs=1)


@pytest.mark.parametrize(
    ("layer", "asked", "status", "says"),
    [
        ({}, "nowhere", 404, "has no layer nowhere"),
        ({"source": {"engine": "beater"}}, "found", 422, "only a recorded sound"),
        ({"source": {"engine": "take", "take": NO_TAKE}}, "found", 422, "not here"),
    ],
)
def test_what_cannot_be_rebuilt_is_said(layer: dict, asked: str, status: int, says: str, client: TestClient) -> None:
    _, where = with_layer(client, "clap", **layer)
    answer = client.get(f"{where}{asked}/near")
    assert answer.status_code == status, answer.text
    assert says in answer.json()["detail"]

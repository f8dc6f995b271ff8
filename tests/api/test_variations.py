"""Rolls, kept sounds and live sounds over the API: there before the answer, there after a restart, never overwritten."""

from __future__ import annotations

import io
import json
import zipfile
from pathlib import Path

import numpy as np
import pyloudnorm
import pytest
import soundfile
from starlette.testclient import TestClient
from support import described, order, part_of
from test_tracks import client_on

from juglant.core.hit.levelled import rolled_levelled
from juglant.core.hit.roll import Roll
from juglant.core.model.hit import Hit
from juglant.core.model.track import Track

RATE = 48000


@pytest.fixture
def client(tmp_path: Path) -> TestClient:
    return client_on(tmp_path)


@pytest.fixture
def state(client: TestClient) -> dict:
    return client.post("/api/tracks", json={"start": "untouched"}).json()


def heard(data: bytes) -> np.ndarray:
    audio, rate = soundfile.read(io.BytesIO(data), always_2d=True)
    assert rate == RATE
    return audio


def roll(client: TestClient, state: dict, hit_id: str = "kick", **asked: object) -> dict:
    answer = client.post(f"/api/tracks/{state['id']}/hits/{hit_id}/rolls", json=asked)
    assert answer.status_code == 201, answer.text
    return answer.json()


def sheet_path(state: dict, row: dict, tail: str = "") -> str:
    asked = f"seed={row['seed']}&amount_pct={row['amount_pct']}&only_front={str(row['only_front']).lower()}"
    return f"/api/tracks/{state['id']}/revisions/{row['revision']}/hits/{row['hit_id']}/sheet{tail}?{asked}"


def test_how_far_variations_are_from_one_that_is_liked_is_measured(client: TestClient, state: dict) -> None:
    row = roll(client, state, amount_pct=60)
    sheet = client.get(sheet_path(state, row)).json()
    assert all(one["away_db"] > 0 for one in sheet)
    away = [client.get(sheet_path(state, row, f"/{index}/away")).json() for index in range(3)]
    for index, distances in enumerate(away):
        assert len(distances) == 16
        assert distances[index] == 0
        assert min(distances[:index] + distances[index + 1 :]) > 0
    # As far there as back, and never further than by way of a third.
    assert away[0][1] == away[1][0]
    assert away[0][1] <= away[0][2] + away[2][1] + 0.02
    assert client.get(sheet_path(state, row, "/16/away")).status_code == 422


def test_rolls_are_a_history_that_a_restart_keeps(client: TestClient, state: dict, tmp_path: Path) -> None:
    first, second = roll(client, state, amount_pct=20), roll(client, state, amount_pct=80)
    assert (first["number"], second["number"]) == (1, 2)
    assert first["seed"] != second["seed"]
    assert roll(client, state, "clap")["hit_id"] == "clap"
    sheet = client.get(sheet_path(state, first)).json()
    again = client_on(tmp_path)
    rows = again.get(f"/api/tracks/{state['id']}/hits/kick/rolls").json()
    assert [row["number"] for row in rows] == [2, 1]
    assert again.get(sheet_path(state, rows[1])).json() == sheet
    # What the sheet holds is what the roll makes of the revision it was rolled on, also after the hit has changed.
    hit = Track.model_validate(state["track"]).kick
    asked = Roll(first["seed"], 20, False)
    made = [rolled_levelled(hit, asked, index, sample_rate=RATE, bpm=126).hit for index in range(16)]
    assert [Hit.model_validate(place["hit"]) for place in sheet] == made


def test_auditions_of_a_sheet_are_equally_loud(client: TestClient, state: dict) -> None:
    """Library: pyloudnorm, on each variation struck on every beat, each stroke cutting the last; its own filter differs by
    0.3 dB in the sub. Without matching they differ by much more."""
    row = roll(client, state, amount_pct=70)
    places = client.get(sheet_path(state, row)).json()
    loudness, meter, beat = [], pyloudnorm.Meter(RATE), round(60 / 126 * RATE)
    for place in places:
        audio = heard(client.get(sheet_path(state, row, f"/{place['index']}.wav")).content)[:beat, 0]
        loudness.append(meter.integrated_loudness(np.tile(np.pad(audio, (0, beat - audio.size)), 16)))
    assert max(loudness) - min(loudness) < 0.8
    plain = [place["small"]["features"]["loudness_db"] for place in places]
    assert max(plain) - min(plain) > 3


def test_what_is_kept_is_not_overwritten_without_saying_so(client: TestClient, state: dict, tmp_path: Path) -> None:
    kick = part_of(state["track"], "kick")["hit"]
    body = {"kind": "hit", "name": "Lower", "role": "kick", "hit": kick}
    path = f"/api/tracks/{state['id']}/kept"
    assert client.post(path, json=body).status_code == 201
    refused = client.post(path, json={**body, "hit": {**kick, "layers": kick["layers"][:1]}})
    assert refused.status_code == 409
    assert "Lower" in refused.json()["detail"]
    assert [len(one["hit"]["layers"]) for one in client.get("/api/kept").json()] == [3]
    replaced = client.post(path, json={**body, "hit": {**kick, "layers": kick["layers"][:1]}, "replace": True})
    assert replaced.status_code == 201
    layer = client.post(path, json={**body, "kind": "layer"})
    assert layer.status_code == 201
    after = client_on(tmp_path).get("/api/kept").json()
    assert sorted((one["kind"], one["name"], len(one["hit"]["layers"])) for one in after) == [
        ("hit", "Lower", 1),
        ("layer", "Lower", 1),
    ]
    empty = client.post(path, json={**body, "name": "Nothing", "hit": {"layers": []}})
    assert empty.status_code == 422
    assert "add a layer" in empty.json()["detail"]


def test_a_morph_is_an_edit_that_can_be_undone(client: TestClient, state: dict) -> None:
    row = roll(client, state, amount_pct=60)
    other = client.get(sheet_path(state, row)).json()[5]["hit"]
    kick = part_of(state["track"], "kick")["hit"]
    body = order(state["edition"], "morph", part="kick", one=kick, other=other, share=0.4)
    made = client.post(f"/api/tracks/{state['id']}/commands", json=body).json()
    assert part_of(made["track"], "kick")["hit"] != part_of(state["track"], "kick")["hit"]
    assert part_of(made["track"], "kick")["hit"] != other
    undone = client.post(f"/api/tracks/{state['id']}/undo", json={"edition": made["edition"]}).json()
    assert part_of(undone["track"], "kick")["hit"] == part_of(state["track"], "kick")["hit"]


def test_strokes_layers_and_live_sounds_are_what_the_core_renders(client: TestClient, state: dict) -> None:
    base = f"/api/tracks/{state['id']}/revisions/{state['revision']}/hits/clap"
    hard, soft = (heard(client.get(f"{base}/stroke.wav?velocity={v}").content) for v in (127, 40))
    clap = next(one for one in state["track"]["parts"][2:] if one["id"] == "clap")
    ratio = np.sqrt(np.mean(hard**2) / np.mean(soft[: hard.shape[0]] ** 2))
    assert 20 * np.log10(ratio) > 0.5 * clap["hit"]["velocity"]["range_db"] * 87 / 126
    layers = [layer["id"] for layer in clap["hit"]["layers"]]
    parts = [heard(client.get(f"{base}/stroke.wav?layer={layer}").content) for layer in layers]
    assert len({part.tobytes() for part in parts}) == len(parts)
    assert client.get(f"{base}/stroke.wav?layer=none").status_code == 404
    first = client.get(f"{base}/stroke.wav?velocity=90")
    assert client.get(f"{base}/stroke.wav?velocity=90", headers={"If-None-Match": first.headers["etag"]}).status_code == 304
    louder = json.loads(json.dumps(clap["hit"]))
    for layer in louder["layers"]:
        layer["gain_db"] += 5
    live = f"/api/tracks/{state['id']}/hits/clap"
    # Only its level was changed: at matched loudness it is the stroke as it is.
    assert heard(client.post(f"{live}/sound", json=louder).content) == pytest.approx(hard, abs=2e-6)
    picture = client.post(f"{live}/preview?from_ms=-1&span_ms=10", json=louder).json()
    assert (picture["start_ms"], picture["span_ms"]) == pytest.approx((-1, 10), abs=0.05)
    stored = client.get(f"{base}?from_ms=-1&span_ms=10").json()["picture"]
    assert max(picture["sum"]["high"]) > 1.5 * max(stored["sum"]["high"])


def test_many_layers_long_and_empty_hits_are_answered_plainly(client: TestClient, state: dict) -> None:
    def edit(kick: dict) -> tuple[int, dict]:
        track = json.loads(json.dumps(state["track"]))
        part_of(track, "kick")["hit"] = kick
        body = described(state["edition"], track, "Edit")
        answer = client.post(f"/api/tracks/{state['id']}/commands", json=body)
        return answer.status_code, answer.json()

    layer = part_of(state["track"], "kick")["hit"]["layers"][1]
    status, said = edit({"layers": [{**layer, "id": f"l{index}"} for index in range(64)]})
    assert status == 422
    assert said["fields"] == [{"field": "track.parts.0.hit.layers", "message": "must have at most 16 items, got 64"}]
    long = {**layer, "source": {**layer["source"], "decay_ms": 2000, "release_ms": 2000}}
    echo = {"kind": "delay", "every": "1/4", "feedback_pct": 90, "level_db": 0, "low_cut_hz": 20}
    status, made = edit({"layers": [{**long, "chain": [echo, echo]}]})
    assert status == 200, made
    stroke = f"/api/tracks/{made['id']}/revisions/{made['revision']}/hits/kick/stroke.wav"
    audio = heard(client.get(stroke).content)
    assert 5 * RATE < audio.shape[0] <= 30 * RATE + 1
    assert abs(audio[-1, 0]) < 1e-4
    state.update(client.get(f"/api/tracks/{state['id']}").json())
    status, made = edit({"layers": []})
    assert status == 200
    view = client.get(f"/api/tracks/{made['id']}/revisions/{made['revision']}/hits/kick").json()
    assert (view["figures"], view["picture"]["sum"]["job"]) == (None, "silent")
    silent = heard(client.get(f"/api/tracks/{made['id']}/revisions/{made['revision']}/hits/kick/stroke.wav").content)
    assert not np.any(silent)


def test_a_kit_is_delivered_whole(client: TestClient, state: dict) -> None:
    answer = client.get(f"/api/tracks/{state['id']}/revisions/{state['revision']}/bundle.zip")
    with zipfile.ZipFile(io.BytesIO(answer.content)) as archive:
        names = set(archive.namelist())
        loop, _ = soundfile.read(io.BytesIO(archive.read("loop.wav")), always_2d=True)
        stems = [
            soundfile.read(io.BytesIO(archive.read(name)), always_2d=True)[0]
            for name in names
            if name.startswith(("stems/kit-", "stems/kick.wav", "stems/bass.wav"))
            and not name.endswith(("-before.wav", "-unducked.wav"))
        ]
    for one in state["track"]["parts"][2:]:
        robins = one["hit"]["velocity"]["robins"]
        assert {f"stems/kit-{one['id']}.wav", f"hits/{one['id']}.wav"} <= names
        assert {f"hits/{one['id']}_{turn}.wav" for turn in range(2, robins + 1)} <= names
    wide = [stem if stem.shape[1] == 2 else np.repeat(stem, 2, axis=1) for stem in stems]
    assert loop == pytest.approx(sum(wide), abs=1e-5)

"""Ducks over the API: fitted again as part of the step that left them behind, ways heard and taken, the sheet for print."""

from __future__ import annotations

import io
import json
from pathlib import Path

import numpy as np
import pytest
import soundfile
from starlette.testclient import TestClient
from support import described, first_curve_of, part_of, post

from juglant.api.app import make_app
from juglant.api.settings import Settings
from juglant.core.loop.render import heard_stem
from juglant.core.measure.level import loop_loudness
from juglant.core.model.stem import StemRef
from juglant.core.model.track import Track


@pytest.fixture
def client(tmp_path: Path) -> TestClient:
    return TestClient(make_app(Settings(tmp_path / "t.sqlite3", page=None)), base_url="http://localhost")


@pytest.fixture
def state(client: TestClient) -> dict:
    return client.post("/api/tracks", json={"start": "demo"}).json()


def get(client: TestClient, state: dict, where: str) -> TestClient:
    answer = client.get(f"/api/tracks/{state['id']}/revisions/{state['revision']}/{where}")
    assert answer.status_code == 200, answer.text
    return answer


def faster(client: TestClient, state: dict, gesture: str | None, bpm: float = 140) -> dict:
    track = json.loads(json.dumps(state["track"]))
    track["sheet"]["bpm"] = bpm
    return post(client, state, "describe", track=track, label="Tempo", gesture=gesture)


@pytest.mark.parametrize("gesture", [None, "a-hand"])
def test_what_is_fitted_again_is_undone_with_what_asked_for_it(
    gesture: str | None, client: TestClient, state: dict
) -> None:
    before = first_curve_of(state["track"])
    state = faster(client, state, gesture)
    assert state["refit"] == ["bass", "pad", "stab"]
    assert first_curve_of(state["track"]) == before
    state = post(client, state, "fit-ducks")
    duck = first_curve_of(state["track"])
    assert duck["fitted"]["because"] == ["tempo"]
    assert duck["hold_ms"] != before["hold_ms"] or duck["return_ms"] != before["return_ms"]
    assert state["refit"] == []
    assert state["undo_label"] == "Tempo, ducks fitted again"
    # Asked twice it is one step still.
    again = post(client, state, "fit-ducks")
    assert again["revision"] == state["revision"]
    state = post(client, again, "undo")
    assert (first_curve_of(state["track"]), state["track"]["sheet"]["bpm"]) == (before, 126)
    state = post(client, state, "redo")
    assert (first_curve_of(state["track"]), state["track"]["sheet"]["bpm"]) == (duck, 140)


def test_edits_of_their_own_are_steps_of_their_own(client: TestClient, state: dict) -> None:
    for bpm in (140, 150):
        state = faster(client, state, None, bpm)
    state = post(client, state, "undo")
    assert state["track"]["sheet"]["bpm"] == 140


@pytest.mark.parametrize(
    ("kind", "part", "way"),
    [
        ("returns", "bass", "tight"),
        ("returns", "pad", "late"),
        ("returns", "stab", "tight"),
        ("orders", "bass", "duck-lightly"),
    ],
)
def test_a_way_is_heard_no_louder_and_taken_as_it_was_measured(
    kind: str, part: str, way: str, client: TestClient, state: dict
) -> None:
    where = f"proposals/{kind}"
    asked = f"?part={part}" if kind == "returns" else ""
    cost = next(one for one in get(client, state, f"{where}{asked}").json() if one["id"] == way)
    audio, rate = soundfile.read(io.BytesIO(get(client, state, f"{where}/{way}/loop.wav{asked}").content))
    track = Track.model_validate(state["track"])
    refs = [StemRef(one) for one in dict.fromkeys(("kick", "bass", part))]
    now = sum(stem if stem.ndim == 1 else stem.mean(axis=0) for stem in (heard_stem(track, ref) for ref in refs))
    assert audio.shape == np.shape(now)
    assert loop_loudness(audio, sample_rate=rate) <= loop_loudness(np.asarray(now), sample_rate=rate) + 0.05
    state = post(client, state, "proposal", of=kind, part=part, id=way)
    assert state["undo_label"].endswith(cost["title"][-20:])
    parts = {one["part"]: one for one in get(client, state, "ducks").json()["parts"]}
    wanted = cost["reached_db"] if kind == "orders" else cost["clearance_db"]
    assert parts[part]["after_db"] == (None if wanted is None else pytest.approx(wanted, abs=0.01))


@pytest.mark.parametrize(
    ("kind", "part", "way"),
    [
        ("returns", "bass", "nothing"),
        ("returns", "gone", "late"),
        ("returns", "pad", "carve-first"),
        ("returns", "kick", "tight"),
        ("orders", "bass", "tight"),
        ("owners", "bass", "nobody"),
        ("ways", "bass", "pass"),
        ("kick-ways", "bass", "pass"),
        ("evening", "bass", "never"),
    ],
)
def test_what_is_no_way_is_refused_and_nothing_changes(
    kind: str, part: str, way: str, client: TestClient, state: dict
) -> None:
    said = post(client, state, "proposal", expected=404, of=kind, part=part, id=way)
    assert "there is no" in said["detail"]
    query = f"?part={part}"
    address = f"/api/tracks/{state['id']}/revisions/{state['revision']}/proposals/{kind}/{way}/loop.wav{query}"
    assert client.get(address).status_code == 404
    assert client.get(f"/api/tracks/{state['id']}").json()["edition"] == state["edition"]


def test_a_compressor_is_put_in_place_of_a_curve_and_matched_anew(client: TestClient, state: dict) -> None:
    state = post(client, state, "compressor", part="pad")
    curve = part_of(state["track"], "pad")["ducked"]["curves"][0]
    assert curve["drive"] == "compressor"
    rows = get(client, state, "ducks/pad/compressor").json()
    closest = next(one for one in rows if one["name"] == "closest")
    assert curve["compressor"]["threshold_db"] == closest["settings"]["threshold_db"]
    # Its make-up, computed, is what each row says it would be.
    curve["compressor"]["make_up"] = "computed"
    state = post(client, state, "describe", track=state["track"], label="Make-up")
    shown = next(one for one in get(client, state, "ducks").json()["parts"] if one["part"] == "pad")
    assert shown["make_up_db"] == pytest.approx(closest["make_up_db"], abs=0.05)
    # Computed again it stays a compressor, with its make-up.
    state = post(client, state, "ducks")
    curve = part_of(state["track"], "pad")["ducked"]["curves"][0]
    assert (curve["drive"], curve["compressor"]["make_up"]) == ("compressor", "computed")


def test_a_follower_is_not_solved_and_says_whom_it_follows(client: TestClient, state: dict) -> None:
    part_of(state["track"], "pad")["ducked"] |= {"follows": "bass", "scale_pct": 50}
    state = post(client, state, "describe", track=state["track"], label="Follow")
    after = post(client, state, "ducks")
    pad = part_of(after["track"], "pad")["ducked"]
    assert (pad["follows"], pad["scale_pct"]) == ("bass", 50)
    text = get(client, after, "ducks/settings.txt")
    assert text.headers["content-type"].startswith("text/plain")
    assert "Bass, 50 % of its gain" in text.text
    # With its kit part comes the stem as its gain finds it.
    stems = {(one["part"], one["state"]) for one in after["stems"]}
    assert ("pad", "unducked") in stems
    assert ("hat", "unducked") not in stems


def with_duck(track: dict, **changes: object) -> dict:
    made: dict = json.loads(json.dumps(track))
    first_curve_of(made).update(changes)
    return made


def with_pad(track: dict, **changes: object) -> dict:
    made: dict = json.loads(json.dumps(track))
    part_of(made, "pad")["ducked"] |= changes
    return made


def place(at_ms: float, gain_db: float) -> dict:
    return {"at_ms": at_ms, "gain_db": gain_db}


BAD = {
    "one point": (lambda t: with_duck(t, drawn=[place(0, 0)]), "duck", "two points or more"),
    "backwards": (lambda t: with_duck(t, drawn=[place(0, 0), place(-5, 0)]), "duck", "forward in time"),
    "never back": (lambda t: with_duck(t, drawn=[place(0, 0), place(9, -6)]), "duck", "end at 0 dB"),
    "a point too deep": (
        lambda t: with_duck(t, drawn=[place(0, 0), place(9, -90), place(12, 0)]),
        "gain_db",
        "at least -24",
    ),
    "too many points": (lambda t: with_duck(t, drawn=[place(i, 0) for i in range(25)]), "drawn", "at most 24"),
    "ratio 0": (lambda t: with_duck(t, compressor={"ratio": 0}), "ratio", "at least 1.1"),
    "no such make-up": (lambda t: with_duck(t, compressor={"make_up": "loud"}), "make_up", "computed"),
    "five times the depth": (lambda t: with_pad(t, scale_pct=500), "scale_pct", "at most 200"),
    "a part with a slash": (lambda t: with_pad(t, follows="../kick"), "follows", "pattern"),
    "a goal out of reach": (lambda t: with_pad(t, goal_db=90), "goal_db", "at most 30"),
    "six curves": (lambda t: with_pad(t, curves=[{}] * 6), "curves", "at most 5"),
}


@pytest.mark.parametrize("what", list(BAD))
def test_what_is_no_duck_is_refused_by_its_field_and_nothing_is_lost(what: str, client: TestClient, state: dict) -> None:
    make, field, said = BAD[what]
    body = described(state["edition"], make(state["track"]), "Bad")
    answer = client.post(f"/api/tracks/{state['id']}/commands", json=body)
    assert answer.status_code == 422
    problems = answer.json()["fields"]
    assert any(field in one["field"] and said in one["message"] for one in problems), problems
    kept = client.get(f"/api/tracks/{state['id']}").json()
    assert (kept["edition"], kept["track"]) == (state["edition"], state["track"])

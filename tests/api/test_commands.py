"""Every change of a track is a command: one address, one step, said, undone in one, and never carried out twice."""

from __future__ import annotations

import json
from collections.abc import Callable
from pathlib import Path
from typing import Any, get_args

import pytest
from starlette.testclient import TestClient
from support import described, first_curve_of, order, part_of, post

from juglant.api.app import make_app
from juglant.api.settings import Settings
from juglant.core.commands.command import Asked
from juglant.core.commands.registry import Command


@pytest.fixture
def client(tmp_path: Path) -> TestClient:
    return TestClient(make_app(Settings(tmp_path / "t.sqlite3", page=None)), base_url="http://localhost")


def begun(client: TestClient, start: str) -> dict:
    found: dict = client.post("/api/tracks", json={"start": start}).json()
    return found


SKINS = {"id": "new", "name": "Low skins", "source": {"engine": "skins"}}
# Kind: what the track begins as, what is asked (of the track as it is), and how the step is called.
COMMANDS: dict[str, tuple[str, Callable[[dict], dict[str, Any]], str]] = {
    "describe": ("untouched", lambda t: {"track": t | {"name": "Other"}, "label": "Rename"}, "Rename"),
    "fix": ("untouched", lambda t: {"finding": "landing-out-of-key", "fix": 0}, "Land on"),
    "proposal": ("untouched", lambda t: {"of": "ways", "id": "carve"}, ""),
    "swap": ("demo", lambda t: {"swap": {"bpm": 132}, "parts": ["duck"]}, "Swap tempo"),
    "carve": ("untouched", lambda t: {}, "Compute the carve"),
    "duck": ("untouched", lambda t: {}, "Compute the duck"),
    "part-duck": ("untouched", lambda t: {"part": "pad"}, "Compute a part's duck"),
    "ducks": ("untouched", lambda t: {}, "Compute every duck"),
    "new-duck": ("demo", lambda t: {"part": "hat"}, "Duck another part"),
    "compressor": ("demo", lambda t: {"part": "pad"}, "Compressor in place of the curve"),
    "room": ("untouched", lambda t: {}, "Carve and duck"),
    "no-room": ("demo", lambda t: {}, "Remove carve and duck"),
    "share": ("untouched", lambda t: {"share_pct": 30}, "Share of the carve 30 %"),
    "order": ("demo", lambda t: {"order": "duck first"}, "Duck first"),
    "clear": ("demo", lambda t: {"part": "clap"}, "High-pass"),
    "pair-cut": ("demo", lambda t: {"owner": "pad", "yielder": "stab", "zone": "box"}, "Stab clear of Pad in box"),
    "give-zone": ("demo", lambda t: {"owner": "bass", "yielder": "kick", "zone": "boom"}, "Bass over Kick in boom"),
    "feature": ("demo", lambda t: {"part": "tom"}, "Room for Tom"),
    "levels": ("demo", lambda t: {}, "Levels with headroom"),
    "add-layer": ("untouched", lambda t: {"layer": SKINS}, "Add Low skins"),
    "copy-hit": ("demo", lambda t: {"part": "tom", "role": "percussion"}, "Copy Tom as percussion"),
    "start-from": ("demo", lambda t: {"part": "tom", "hit": part_of(t, "hat")["hit"], "name": "Hat"}, "Start from Hat"),
    "drive-highs": ("untouched", lambda t: {"part": "bass"}, "Drive the highs"),
    "swell": ("demo", lambda t: {"part": "clap", "at_beats": 8, "length_beats": 4}, "Clap as a swell"),
    "reinforce": ("demo", lambda t: {"by": "tom", "share_pct": 40}, "Tom under Kick, 40 %"),
    "morph": (
        "untouched",
        lambda t: {"one": part_of(t, "kick")["hit"], "other": t["parts"][2]["hit"], "share": 0.3},
        "Morph 30 %",
    ),
    "length": ("untouched", lambda t: {"length_ms": 250}, "Kick: 250 ms long"),
    "click-to-body": ("untouched", lambda t: {"click_db": -25}, "Kick: click -25.0 dB over body"),
    "balance": ("demo", lambda t: {"part": "hat", "beside_kick_lu": -20}, "Hat -20.0 LU beside the kick"),
    "shorten-kick": ("untouched", lambda t: {}, "Shorten the kick"),
    "tune": ("untouched", lambda t: {"moves": [{"hit_id": "kick", "frequency_hz": 58.27}]}, "Land Kick on B"),
    "tune-all": ("untouched", lambda t: {}, "Land Kick on B"),
    "school": ("untouched", lambda t: {"school": "tonic"}, "Kick on the tonic"),
    "even-line": ("untouched", lambda t: {"way": "K-weighted"}, "Even the line, K-weighted"),
}
# These need a track that the demo is not, and are tried where that is: takes, loops, links, layers, phase.
ELSEWHERE = {
    "fit-ducks",
    "unlink",
    "phase",
    "fit-layers",
    "cure",
    "kick-loop",
    "loop-stroke",
    "make-it",
    "dissect",
    "bass-loop",
    "low-group",
    "align-low",
    "line-on-roots",
    "double-line",
    "line-in-turn",
}


def kinds() -> set[str]:
    union = get_args(get_args(Command)[0])
    return {one.model_fields["kind"].default for one in union}


def test_every_kind_is_tried() -> None:
    assert kinds() == COMMANDS.keys() | ELSEWHERE
    assert all(issubclass(one, Asked) and one.__doc__ for one in get_args(get_args(Command)[0]))


@pytest.mark.parametrize("kind", COMMANDS)
def test_a_command_is_one_step_that_is_said_and_undone_and_not_carried_out_twice(kind: str, client: TestClient) -> None:
    start, asked, label = COMMANDS[kind]
    before = begun(client, start)
    if kind == "clear":
        # Something that takes from the low end's owner.
        track = json.loads(json.dumps(before["track"]))
        clap = next(one for one in track["parts"][2:] if one["id"] == "clap")
        clap["hit"]["layers"] = [{"id": "low", "name": "Low", "source": {"engine": "sweep", "landing_hz": 63}}]
        clap["strokes"] = [{"at_beats": one["at_beats"]} for one in part_of(track, "kick")["strokes"]]
        clap["gain_db"] = -8
        before = post(client, before, "describe", track=track, label="Low clap")
    address = f"/api/tracks/{before['id']}/commands"
    body = order(before["edition"], kind, gesture="a-press", fit=kind != "describe", **asked(before["track"]))
    after = client.post(address, json=body)
    assert after.status_code == 200, after.text[:300]
    state = after.json()
    assert state["edition"] == before["edition"] + 1
    assert state["track"] != before["track"]
    assert state["undo_label"].startswith(label)
    # The answer was lost and the same is sent again: it is there already.
    again = client.post(address, json=body)
    assert (again.status_code, again.json()["edition"], again.json()["track"]) == (200, state["edition"], state["track"])
    # Another tab's, on what it knew: refused, with the track as it stands.
    stale = client.post(address, json=body | {"gesture": "another"})
    assert (stale.status_code, stale.json()["edition"]) == (409, state["edition"])
    back = post(client, state, "undo")
    assert back["track"] == before["track"]


@pytest.mark.parametrize("fit", [True, False])
def test_ducks_that_a_command_leaves_behind_are_fitted_in_its_own_step_where_that_is_asked(
    fit: bool, client: TestClient
) -> None:
    before = begun(client, "demo")
    track = json.loads(json.dumps(before["track"]))
    track["sheet"]["bpm"] = 140
    body = order(before["edition"], "describe", fit=fit, track=track, label="Tempo")
    state = client.post(f"/api/tracks/{before['id']}/commands", json=body).json()
    assert (state["refit"] == []) is fit
    assert (first_curve_of(state["track"]) != first_curve_of(before["track"])) is fit
    assert state["revision"] == before["revision"] + 1
    assert state["undo_label"] == ("Tempo, ducks fitted again" if fit else "Tempo")
    back = post(client, state, "undo")
    assert back["track"] == before["track"]


@pytest.mark.parametrize("kind", ["room", "carve", "ducks", "fit-ducks"])
def test_what_is_as_it_would_be_made_is_no_step_and_is_said(kind: str, client: TestClient) -> None:
    state = begun(client, "untouched")
    state = post(client, state, "room")
    state = post(client, state, "ducks")
    state = post(client, state, kind)
    again = post(client, state, kind)
    assert again["revision"] == state["revision"]
    if kind != "fit-ducks":
        assert again["said"], "an act with nothing to do says so"


@pytest.mark.parametrize(
    ("command", "field", "says"),
    [
        ({"kind": "nothing"}, "command", "nothing"),
        ({}, "command", "kind"),
        ({"kind": "share"}, "share_pct", "required"),
        ({"kind": "share", "share_pct": 120}, "share_pct", "at most 100"),
        ({"kind": "share", "share_pct": None}, "share_pct", "number"),
        ({"kind": "share", "share_pct": 20, "also": 1}, "also", ""),
        ({"kind": "order", "order": "both"}, "order", "duck first"),
        ({"kind": "length", "length_ms": "long"}, "length_ms", "number"),
        ({"kind": "proposal", "of": "nothing", "id": "x"}, "of", "owners"),
        ({"kind": "part-duck", "part": "../x"}, "part", ""),
        ({"kind": "kick-loop", "take": "x"}, "take", ""),
        ({"kind": "tune", "moves": []}, "moves", ""),
        ("carve", "command", ""),
    ],
)
def test_what_is_no_command_is_refused_by_its_field_and_changes_nothing(
    command: object, field: str, says: str, client: TestClient
) -> None:
    state = begun(client, "untouched")
    body = {"edition": state["edition"], "command": command}
    answer = client.post(f"/api/tracks/{state['id']}/commands", json=body)
    assert answer.status_code == 422
    problems = answer.json()["fields"]
    assert any(one["field"].startswith(field) and says in one["message"] for one in problems), problems
    assert client.get(f"/api/tracks/{state['id']}").json() == state


@pytest.mark.parametrize(
    ("kind", "fields", "status"),
    [
        ("fix", {"finding": "not-there", "fix": 0}, 404),
        ("fix", {"finding": "landing-out-of-key", "fix": 20}, 404),
        ("cure", {"note": 0, "cure": "nothing"}, 404),
        ("proposal", {"of": "ways", "id": "nothing"}, 404),
        ("part-duck", {"part": "nobody"}, 404),
        ("fit-layers", {"part": "nobody"}, 404),
        ("add-layer", {"part": "nobody", "layer": SKINS}, 404),
        ("clear", {"part": "nobody"}, 404),
        ("pair-cut", {"owner": "kick", "yielder": "nobody", "zone": "box"}, 404),
        ("pair-cut", {"owner": "kick", "yielder": "kick", "zone": "box"}, 422),
        ("pair-cut", {"owner": "kick", "yielder": "hat", "zone": "nowhere"}, 422),
        ("kick-loop", {"take": "0" * 23 + "1"}, 422),
        ("bass-loop", {"take": "0" * 23 + "1"}, 422),
    ],
)
def test_what_cannot_be_done_is_said_and_nothing_is_stored(
    kind: str, fields: dict, status: int, client: TestClient
) -> None:
    state = begun(client, "untouched")
    said = client.post(f"/api/tracks/{state['id']}/commands", json=order(state["edition"], kind, **fields))
    assert said.status_code == status, said.text[:300]
    assert said.json()["detail"]
    assert client.get(f"/api/tracks/{state['id']}").json() == state


def test_a_track_that_is_not_there_takes_no_command(client: TestClient) -> None:
    body = described(1, begun(client, "empty")["track"])
    assert client.post(f"/api/tracks/{'0' * 16}/commands", json=body).status_code == 404

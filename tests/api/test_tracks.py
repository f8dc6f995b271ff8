"""Tracks over the API: edits stored before they are answered, undo across restarts, stale tabs, files."""

from __future__ import annotations

import io
import json
import sqlite3
import zipfile
from contextlib import closing
from pathlib import Path

import numpy as np
import pytest
import soundfile
from starlette.testclient import TestClient
from support import described, first_curve_of, order, part_of, version_one_of

from juglant.api.app import make_app
from juglant.api.settings import Settings
from juglant.core.loop.render import heard_stem
from juglant.core.model.stem import StemRef
from juglant.core.model.track import Track


def client_on(path: Path) -> TestClient:
    return TestClient(make_app(Settings(path / "t.sqlite3", page=None)), base_url="http://localhost")


@pytest.fixture
def client(tmp_path: Path) -> TestClient:
    return client_on(tmp_path)


@pytest.fixture
def state(client: TestClient) -> dict:
    return client.post("/api/tracks", json={"start": "untouched"}).json()


def edit(client: TestClient, state: dict, gesture: str | None = None, **sheet: object) -> dict:
    track = json.loads(json.dumps(state["track"]))
    track["sheet"].update(sheet)
    body = described(state["edition"], track, "Edit", gesture)
    answer = client.post(f"/api/tracks/{state['id']}/commands", json=body)
    assert answer.status_code == 200, answer.text
    return answer.json()


def move(client: TestClient, state: dict, where: str) -> dict:
    answer = client.post(f"/api/tracks/{state['id']}/{where}", json={"edition": state["edition"]})
    assert answer.status_code == 200, answer.text
    return answer.json()


def test_edits_undo_and_redo_survive_a_restart(client: TestClient, state: dict, tmp_path: Path) -> None:
    for bpm in (127, 128, 129):
        state = edit(client, state, bpm=bpm)
    again = client_on(tmp_path)
    state = again.get(f"/api/tracks/{state['id']}").json()
    assert state["track"]["sheet"]["bpm"] == 129
    seen = []
    for _ in range(3):
        state = move(again, state, "undo")
        seen.append(state["track"]["sheet"]["bpm"])
    assert seen == [128, 127, 126]
    assert state["undo_label"] is None
    for wanted in (127, 128, 129):
        state = move(again, state, "redo")
        assert state["track"]["sheet"]["bpm"] == wanted
    assert state["redo_label"] is None


@pytest.mark.parametrize("where", ["undo", "redo"])
def test_nothing_to_undo_or_redo_is_said(where: str, client: TestClient, state: dict) -> None:
    answer = client.post(f"/api/tracks/{state['id']}/{where}", json={"edition": 1})
    assert answer.status_code == 409
    assert f"nothing to {where}" in answer.json()["detail"]


def test_one_movement_of_the_hand_is_one_undo(client: TestClient, state: dict) -> None:
    state = edit(client, state, bpm=100)
    for bpm in (101, 102, 103):
        state = edit(client, state, gesture="drag", bpm=bpm)
    state = move(client, state, "undo")
    assert state["track"]["sheet"]["bpm"] == 100
    assert move(client, state, "redo")["track"]["sheet"]["bpm"] == 103


def test_a_step_that_went_on_after_it_was_seen_is_what_a_step_back_means(client: TestClient, state: dict) -> None:
    first = edit(client, state, bpm=100)
    seen = edit(client, first, gesture="drag", bpm=101)
    edit(client, edit(client, seen, gesture="drag", bpm=102), gesture="drag", bpm=103)
    back = {"edition": seen["edition"], "revision": seen["revision"]}
    # Not where another step came after it, nor where the page saw another one.
    for stale in ({**back, "revision": first["revision"]}, {"edition": first["edition"], "revision": first["revision"]}):
        answer = client.post(f"/api/tracks/{state['id']}/undo", json=stale)
        assert answer.status_code == 409, answer.text
    answer = client.post(f"/api/tracks/{state['id']}/undo", json=back)
    assert answer.status_code == 200, answer.text
    assert answer.json()["track"]["sheet"]["bpm"] == 100
    # Taken back by another tab meanwhile: it is not taken back twice.
    assert client.post(f"/api/tracks/{state['id']}/undo", json=back).status_code == 409


def test_editing_after_undo_keeps_what_was_undone_in_the_file(client: TestClient, state: dict) -> None:
    state = edit(client, state, bpm=140)
    state = move(client, state, "undo")
    state = edit(client, state, bpm=90)
    assert state["redo_label"] is None
    view = client.get(f"/api/tracks/{state['id']}/revisions/2/stems/kick/heard.wav")
    assert soundfile.info(io.BytesIO(view.content)).frames == round(16 * 60 / 140 * 48000)


def test_a_stale_tab_is_refused_and_nothing_is_overwritten(client: TestClient, state: dict) -> None:
    newer = edit(client, state, bpm=140)
    edition = state["edition"]
    for path, body in [
        ("undo", {"edition": edition}),
        ("start-over", {"edition": edition}),
        ("commands", described(edition, state["track"], "Late")),
        ("commands", order(edition, "carve")),
        ("commands", order(edition, "tune", moves=[{"hit_id": "kick", "frequency_hz": 55}])),
        ("commands", order(edition, "tune-all")),
    ]:
        answer = client.post(f"/api/tracks/{state['id']}/{path}", json=body)
        assert answer.status_code == 409, path
        assert "nothing was overwritten" in answer.json()["detail"]
    assert client.get(f"/api/tracks/{state['id']}").json() == newer


def test_the_whole_job_by_its_actions(client: TestClient, state: dict) -> None:
    address = f"/api/tracks/{state['id']}"
    moves = [{"hit_id": "kick", "frequency_hz": 58.27}]
    state = client.post(f"{address}/commands", json=order(state["edition"], "tune", moves=moves)).json()
    view = client.get(f"{address}/revisions/{state['revision']}/view").json()
    assert view["report"]["kick"]["note"] == "Bb1"
    assert abs(view["report"]["kick"]["cents"]) < 1
    for action in ("carve", "duck"):
        answer = client.post(f"{address}/commands", json=order(state["edition"], action))
        assert answer.status_code == 200, answer.text
        state = answer.json()
    figures = client.get(f"{address}/revisions/{state['revision']}/view").json()["report"]
    assert figures["clearance"]["after_db"] == pytest.approx(10, abs=0.15)
    assert not [one for one in figures["findings"] if one["severity"] == "fix"]
    state = move(client, state, "start-over")
    assert not state["track"]["carve"]["on"]
    assert first_curve_of(move(client, state, "undo")["track"])["on"]


def test_a_fix_is_applied_and_a_finding_that_is_gone_is_refused(client: TestClient, state: dict) -> None:
    address = f"/api/tracks/{state['id']}/commands"
    asked = {"finding": "landing-out-of-key", "fix": 0}
    fixed = client.post(address, json=order(state["edition"], "fix", **asked)).json()
    assert fixed["undo_label"].startswith("Land on")
    answer = client.post(address, json=order(fixed["edition"], "fix", **asked))
    assert answer.status_code == 404
    assert "nothing was done" in answer.json()["detail"]


def test_stems_are_what_the_core_renders_and_are_sent_once(client: TestClient, state: dict) -> None:
    track = Track.model_validate(state["track"])
    for stem in state["stems"]:
        part, way = stem["part"], stem["state"]
        answer = client.get(f"/api/tracks/{state['id']}/revisions/1/stems/{part}/{way}.wav")
        audio, rate = soundfile.read(io.BytesIO(answer.content))
        assert rate == 48000
        assert np.array_equal(audio.T, heard_stem(track, StemRef(part, way)).astype(np.float32))
        assert answer.headers["etag"] == f'"{stem["key"]}"'
        known = client.get(answer.url.path, headers={"If-None-Match": answer.headers["etag"]})
        assert known.status_code == 304


def test_keys_of_stems_change_with_their_sound_only(client: TestClient, state: dict) -> None:
    renamed = json.loads(json.dumps(state["track"]))
    renamed["name"], renamed["sheet"]["tonic"] = "Other", "C"
    body = described(state["edition"], renamed, "Name")
    same = client.post(f"/api/tracks/{state['id']}/commands", json=body).json()
    assert same["stems"] == state["stems"]
    part_of(renamed, "kick")["hit"]["layers"][0]["gain_db"] = -20
    other = client.post(f"/api/tracks/{state['id']}/commands", json=described(same["edition"], renamed, "Level")).json()
    keys = {(one["part"], one["state"]): one["key"] for one in state["stems"]}
    changed = {(one["part"], one["state"]) for one in other["stems"] if keys[one["part"], one["state"]] != one["key"]}
    assert changed == {("kick", "heard"), ("kick", "before"), ("kick", "unducked")}


def test_a_bundle_loads_back_identically(client: TestClient, state: dict) -> None:
    answer = client.get(f"/api/tracks/{state['id']}/revisions/1/bundle.zip")
    assert 'filename="tidewater-loop.zip"' in answer.headers["content-disposition"]
    with zipfile.ZipFile(io.BytesIO(answer.content)) as archive:
        assert archive.testzip() is None
        plain = archive.read("track.json")
    for data in (answer.content, plain):
        loaded = client.post("/api/tracks/load", content=data, headers={"Content-Type": "application/octet-stream"})
        assert loaded.status_code == 201, loaded.text
        assert loaded.json()["track"] == state["track"]
        assert loaded.json()["id"] != state["id"]
    # The same description gives the same bundle, byte for byte.
    again = client.get(f"/api/tracks/{loaded.json()['id']}/revisions/1/bundle.zip")
    assert again.content == answer.content
    assert len(client.get("/api/tracks").json()) == 3


def test_parameters_are_served_from_the_models(client: TestClient) -> None:
    sweep = client.get("/api/parameters").json()["$defs"]["Sweep"]["properties"]["decay_ms"]
    assert (sweep["minimum"], sweep["maximum"], sweep["unit"], sweep["scale"]) == (5, 3000, "ms", "log")


def edited(client: TestClient, state: dict, track: dict):  # type: ignore[no-untyped-def]
    body = described(state["edition"], track, "Edit")
    return client.post(f"/api/tracks/{state['id']}/commands", json=body)


def test_a_hit_that_is_removed_takes_its_ducks_along_whoever_asks(client: TestClient) -> None:
    state = client.post("/api/tracks", json={"start": "demo"}).json()
    track = json.loads(json.dumps(state["track"]))
    assert part_of(track, "pad")["ducked"]["curves"]
    first_curve_of(track)["key"] = {**first_curve_of(track)["key"], "kind": "hits", "hit_ids": ["clap", "kick"]}
    state = edited(client, state, track).json()
    track = json.loads(json.dumps(state["track"]))
    track["parts"][2:] = [one for one in track["parts"][2:] if one["id"] not in ("pad", "clap")]
    answer = edited(client, state, track)
    assert answer.status_code == 200
    now = answer.json()["track"]
    assert "pad" not in {one["id"] for one in now["parts"]}
    assert first_curve_of(now)["key"]["hit_ids"] == ["kick"]
    assert client.get(f"/api/tracks/{state['id']}/revisions/{answer.json()['revision']}/ducks").status_code == 200
    # Undo brings all of it back.
    back = move(client, answer.json(), "undo")["track"]
    assert back == state["track"]


@pytest.mark.parametrize(
    ("part_id", "said"),
    [
        ("bass", "has the role"),
        ("kick", "has the role"),
        ("hat-before", "choose another"),
        ("hat-unducked", "choose another"),
    ],
)
def test_an_id_that_could_be_taken_for_another_part_is_refused_over_the_api(
    part_id: str, said: str, client: TestClient, state: dict
) -> None:
    track = json.loads(json.dumps(state["track"]))
    track["parts"][2:] = [{"id": part_id, "name": "Hat", "role": "hat"}]
    answer = edited(client, state, track)
    assert answer.status_code == 422
    assert said in answer.json()["detail"]
    track["parts"][2:] = []
    part_of(track, "kick")["ducked"]["follows"] = "gone"
    refused = edited(client, state, track)
    assert (refused.status_code, "'gone', which" in refused.json()["detail"]) == (422, True)


def test_what_was_stored_under_older_rules_opens_with_its_id_changed_and_a_word_said(
    client: TestClient, state: dict, tmp_path: Path
) -> None:
    track = json.loads(json.dumps(state["track"]))
    track["parts"][2:] = [{"id": "hat-new", "name": "Hat", "role": "hat"}]
    state = edited(client, state, track).json()
    # As version 1 would have stored it: the trigger against rewriting is put back after.
    older = json.dumps(version_one_of(Track.model_validate(state["track"]))).replace('"hat-new"', '"hat-before"')
    with closing(sqlite3.connect(tmp_path / "t.sqlite3")) as connection, connection:
        (rule,) = connection.execute("SELECT sql FROM sqlite_master WHERE name = 'revision_is_never_changed'").fetchone()
        connection.execute("DROP TRIGGER revision_is_never_changed")
        connection.execute("UPDATE revision SET body = ? WHERE number = 2", (older,))
        connection.execute(rule)
    opened = client_on(tmp_path).get(f"/api/tracks/{state['id']}").json()
    assert [one["id"] for one in opened["track"]["parts"][2:]] == ["hat-before-part"]
    assert len(opened["said"]) == 1
    assert "'hat-before' is called 'hat-before-part' now" in opened["said"][0]
    # It is edited and stored under its new id, and has nothing more to say.
    after = edit(client_on(tmp_path), opened, bpm=97)
    assert after["said"] == []
    assert [one["id"] for one in after["track"]["parts"][2:]] == ["hat-before-part"]

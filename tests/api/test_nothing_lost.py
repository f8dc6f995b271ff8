"""What the database refuses, what a page sends as it goes away, and what is put away, removed, backed up and exported.

1. a refusal of the database says which in plain words, and the same request passes once its cause is gone;
2. a change on an older edition is answered with the track as it stands;
3. what a page had not stored when it was left is stored, once, whether or not the change on its way arrived;
4. tracks and unused sounds are put away first, removed only then; everything leaves and comes back in one file;
5. an error inside ends its own request and no other, and is logged once.
"""

from __future__ import annotations

import gc
import http.client
import io
import json
import logging
import sqlite3
import threading
import warnings
import zipfile
from collections.abc import Callable, Iterator
from contextlib import closing, contextmanager
from pathlib import Path

import numpy as np
import pytest
import soundfile
import uvicorn
from starlette.testclient import TestClient
from support import described, part_of

from juglant.api import serve
from juglant.api.app import make_app
from juglant.api.settings import Settings
from juglant.store import database

HOST = "http://localhost"


@pytest.fixture
def path(tmp_path: Path) -> Path:
    return tmp_path / "t.sqlite3"


@pytest.fixture
def client(path: Path) -> TestClient:
    return TestClient(make_app(Settings(path, page=None)), base_url=HOST, raise_server_exceptions=False)


@pytest.fixture
def state(client: TestClient) -> dict:
    found: dict = client.post("/api/tracks", json={"start": "untouched"}).json()
    return found


def changed(state: dict, **sheet: object) -> dict:
    track = json.loads(json.dumps(state["track"]))
    track["sheet"].update(sheet)
    return track


def edit(client: TestClient, state: dict, gesture: str | None = None, **sheet: object):  # type: ignore[no-untyped-def]
    body = described(state["edition"], changed(state, **sheet), "Edit", gesture)
    return client.post(f"/api/tracks/{state['id']}/commands", json=body)


@contextmanager
def locked(path: Path, monkeypatch: pytest.MonkeyPatch) -> Iterator[None]:
    """Another program writes to the file."""
    monkeypatch.setattr(database, "BUSY_MS", 50)
    with closing(sqlite3.connect(path, isolation_level=None)) as other:
        other.execute("BEGIN IMMEDIATE")
        yield
        other.execute("ROLLBACK")


@contextmanager
def full(path: Path, monkeypatch: pytest.MonkeyPatch) -> Iterator[None]:
    """The disk has no page left: the database's own limit of pages gives the same error."""
    connect = database.connect

    def without_room(where: Path) -> sqlite3.Connection:
        found = connect(where)
        found.execute(f"PRAGMA max_page_count = {found.execute('PRAGMA page_count').fetchone()[0]}")
        return found

    with monkeypatch.context() as patch:
        patch.setattr(database, "connect", without_room)
        yield


@contextmanager
def read_only(path: Path, monkeypatch: pytest.MonkeyPatch) -> Iterator[None]:
    with monkeypatch.context() as patch:
        patch.setattr(database, "may_write", lambda _: False)
        yield


@pytest.mark.parametrize(
    ("cause", "status", "said"),
    [(locked, 503, "in use by another program"), (full, 507, "full or failing"), (read_only, 507, "may only be read")],
)
def test_a_refusal_of_the_database_is_plain_and_passes(
    cause: Callable, status: int, said: str, client: TestClient, state: dict, path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    with cause(path, monkeypatch):
        # Large enough to need a page of its own.
        refused = edit(client, state, bpm=97)
        seen = client.get(f"/api/tracks/{state['id']}")
    assert (refused.status_code, refused.json()["status"]) == (status, status)
    assert said in refused.json()["detail"]
    assert "Traceback" not in refused.text
    # What is stored can be read all the while.
    assert seen.json()["track"] == state["track"]
    stored = edit(client, state, bpm=97)
    assert stored.status_code == 200
    assert stored.json()["track"]["sheet"]["bpm"] == 97


def test_a_stale_change_is_answered_with_the_track_as_it_stands(client: TestClient, state: dict) -> None:
    newer = edit(client, state, bpm=97).json()
    answer = edit(client, state, bpm=98)
    assert answer.status_code == 409
    body = answer.json()
    assert body["type"] == "juglant:stale"
    assert {name: body[name] for name in newer} == newer


def test_an_edit_that_was_stored_and_not_answered_is_taken_for_what_it_is(client: TestClient, state: dict) -> None:
    first = edit(client, state, gesture="mine", bpm=97)
    again = edit(client, state, gesture="mine", bpm=97)
    assert (again.status_code, again.json()) == (200, first.json())
    # Another tab's, or another of the same movement, is none.
    assert edit(client, state, gesture="other", bpm=97).status_code == 409
    assert edit(client, state, gesture="mine", bpm=98).status_code == 409


def finish(client: TestClient, state: dict, bpm: float, gestures: list[str], **more: str):  # type: ignore[no-untyped-def]
    body = more | {
        "edition": state["edition"],
        "revision": state["revision"],
        "patch": [{"op": "replace", "path": "/sheet/bpm", "value": bpm}],
        "label": "Tempo",
        "gestures": gestures,
    }
    return client.post(f"/api/tracks/{state['id']}/finish", json=body)


@pytest.mark.parametrize("arrived", [False, True], ids=["lost on its way", "arrived"])
def test_what_a_page_had_not_stored_is_stored_once(arrived: bool, client: TestClient, state: dict) -> None:
    if arrived:
        assert edit(client, state, gesture="mine", bpm=97).status_code == 200
    assert finish(client, state, 98, ["mine", "next"]).status_code == 200
    now = client.get(f"/api/tracks/{state['id']}").json()
    assert now["track"]["sheet"]["bpm"] == 98
    assert now["revision"] == state["revision"] + 1 + arrived
    assert now["undo_label"] == "Tempo"
    # Sent again it changes nothing, whatever it says.
    assert finish(client, state, 98, ["mine", "next"]).status_code in (200, 409)
    assert client.get(f"/api/tracks/{state['id']}").json()["track"]["sheet"]["bpm"] == 98


@pytest.mark.parametrize(
    "ordered", [{"kind": "fit-ducks"}, {"kind": "share", "share_pct": 20}], ids=lambda one: one["kind"]
)
def test_what_the_hand_had_set_is_stored_over_what_was_computed_meanwhile(
    ordered: dict, client: TestClient, state: dict
) -> None:
    """The page has not heard of what it had ordered: neither of the two is lost."""

    def order(now: dict, command: dict, gesture: str):  # type: ignore[no-untyped-def]
        body = {"edition": now["edition"], "command": command, "gesture": gesture}
        return client.post(f"/api/tracks/{state['id']}/commands", json=body)

    known = edit(client, order(state, {"kind": "ducks"}, "all").json(), gesture="mine", bpm=97).json()
    computed = order(known, ordered, "ordered")
    assert computed.status_code == 200
    assert computed.json()["track"] != known["track"]
    assert finish(client, known, 98, ["next"], ordered="ordered").status_code == 200
    now = client.get(f"/api/tracks/{state['id']}").json()
    want = computed.json()["track"]
    want["sheet"]["bpm"] = 98
    assert now["track"] == want
    assert now["undo_label"] == "Tempo"


def test_what_a_page_had_not_stored_overwrites_nobody(client: TestClient, state: dict) -> None:
    assert edit(client, state, gesture="other tab", bpm=97).status_code == 200
    assert finish(client, state, 98, ["mine"]).status_code == 409
    assert client.get(f"/api/tracks/{state['id']}").json()["track"]["sheet"]["bpm"] == 97


@pytest.mark.parametrize(
    "change",
    [
        {"op": "replace", "path": "/sheet/bpm", "value": -4},
        {"op": "remove", "path": "/nothing/there"},
        {"op": "replace", "path": "no pointer", "value": 1},
        {"op": "add", "path": "/parts/9", "value": {}},
        {"op": "remove", "path": ""},
    ],
)
def test_changes_that_do_not_fit_are_refused(change: dict, client: TestClient, state: dict) -> None:
    body = {"edition": 1, "revision": 1, "patch": [change], "label": "Tempo", "gestures": []}
    assert client.post(f"/api/tracks/{state['id']}/finish", json=body).status_code == 422
    assert client.get(f"/api/tracks/{state['id']}").json() == state


def archived(client: TestClient, what: str, away: bool = True):  # type: ignore[no-untyped-def]
    return client.post(f"/api/{what}/archived", json={"archived": away})


def test_a_track_is_put_away_comes_back_and_is_removed_only_from_there(client: TestClient, state: dict) -> None:
    state = edit(client, state, bpm=97).json()
    address = f"tracks/{state['id']}"
    refused = client.delete(f"/api/{address}")
    assert (refused.status_code, refused.json()["type"]) == (409, "juglant:still-used")
    assert [one["id"] for one in archived(client, address).json()["archived"]] == [state["id"]]
    assert client.get("/api/tracks").json() == []
    assert archived(client, address, away=False).json()["archived"] == []
    assert client.get(f"/api/{address}").json() == state
    archived(client, address)
    assert client.delete(f"/api/{address}").status_code == 200
    assert client.get(f"/api/{address}").status_code == 404
    assert client.delete(f"/api/{address}").status_code == 404


def sent(client: TestClient, hz: float, name: str) -> str:
    time = np.arange(22050) / 44100
    out = io.BytesIO()
    soundfile.write(out, 0.5 * np.sin(2 * np.pi * hz * time) * np.exp(-8 * time), 44100, format="WAV", subtype="FLOAT")
    headers = {"Content-Type": "application/octet-stream"}
    answer = client.post("/api/takes", params={"name": name}, content=out.getvalue(), headers=headers)
    assert answer.status_code == 201
    return str(answer.json()["id"])


def with_take(client: TestClient, state: dict, take: str) -> dict:
    track = json.loads(json.dumps(state["track"]))
    part_of(track, "kick")["hit"]["layers"] = [{"id": "t", "name": "Found", "source": {"engine": "take", "take": take}}]
    body = described(state["edition"], track, "Load")
    found: dict = client.post(f"/api/tracks/{state['id']}/commands", json=body).json()
    return found


def test_only_what_nothing_ever_used_of_a_track_is_removed(client: TestClient, state: dict) -> None:
    used, unused = sent(client, 60, "used.wav"), sent(client, 70, "unused.wav")
    state = with_take(client, state, used)
    # Undone it is still a step away.
    client.post(f"/api/tracks/{state['id']}/undo", json={"edition": state["edition"]})
    assert [one["id"] for one in client.get("/api/data").json()["unused"]] == [unused]
    # It may be off the shelf, and is not removed.
    assert archived(client, f"takes/{used}").status_code == 200
    assert client.delete(f"/api/takes/{used}").status_code == 409
    assert archived(client, f"takes/{used}", away=False).status_code == 200
    assert client.delete(f"/api/takes/{unused}").status_code == 409
    assert archived(client, f"takes/{unused}").status_code == 200
    assert [one["id"] for one in client.get("/api/takes").json()] == [used]
    # Loaded again it is back.
    assert sent(client, 70, "again.wav") == unused
    assert {one["id"] for one in client.get("/api/takes").json()} == {used, unused}
    archived(client, f"takes/{unused}")
    assert client.delete(f"/api/takes/{unused}").json()["unused"] == []
    # With its track gone for good nothing uses the other.
    archived(client, f"tracks/{state['id']}")
    assert client.get("/api/data").json()["unused"] == []
    client.delete(f"/api/tracks/{state['id']}")
    assert [one["id"] for one in client.get("/api/data").json()["unused"]] == [used]


def test_the_newest_five_backups_are_kept(client: TestClient, state: dict, path: Path) -> None:
    for _ in range(7):
        answer = client.post("/api/backups").json()
    assert len(answer["backups"]) == len(list(path.parent.glob("*.bak"))) == 5
    name = answer["backups"][0]["name"]
    assert name not in [one["name"] for one in client.delete(f"/api/backups/{name}").json()["backups"]]
    assert client.delete(f"/api/backups/{name}").status_code == 404
    assert client.delete("/api/backups/t.sqlite3").status_code == 404
    assert path.exists()


def test_an_export_of_every_track_loads_back_as_they_are(client: TestClient, state: dict, tmp_path: Path) -> None:
    take = sent(client, 60, "found.wav")
    first = with_take(client, state, take)
    second = edit(client, client.post("/api/tracks", json={"start": "empty"}).json(), bpm=97).json()
    away = client.post("/api/tracks", json={"start": "empty"}).json()
    archived(client, f"tracks/{away['id']}")
    data = client.get("/api/export.zip").content
    with zipfile.ZipFile(io.BytesIO(data)) as archive:
        assert archive.testzip() is None
        names = archive.namelist()
    assert sum(name.endswith("/track.json") for name in names) == 2
    assert f"takes/{take}.wav" in names
    other = TestClient(make_app(Settings(tmp_path / "other" / "t.sqlite3", page=None)), base_url=HOST)
    loaded = other.post("/api/tracks/load", content=data, headers={"Content-Type": "application/octet-stream"}).json()
    assert "2 tracks were loaded" in loaded["said"]
    tracks = [other.get(f"/api/tracks/{one['id']}").json()["track"] for one in other.get("/api/tracks").json()]
    assert sorted(tracks, key=str) == sorted((first["track"], second["track"]), key=str)
    assert [one["id"] for one in other.get("/api/takes").json()] == [take]


def test_after_an_error_inside_the_connection_goes_on_and_it_is_logged_once(
    client: TestClient, path: Path, monkeypatch: pytest.MonkeyPatch, caplog: pytest.LogCaptureFixture
) -> None:
    from juglant.services.tracks import Workspace

    def broken(_: Workspace) -> list:
        raise RuntimeError("a fault of this program's own")

    monkeypatch.setattr(Workspace, "listed", broken)
    listening = serve._bound(0)
    port = listening.getsockname()[1]
    app = make_app(Settings(path, page=None, port=port))
    server = uvicorn.Server(uvicorn.Config(app, log_level="warning", lifespan="off"))
    thread = threading.Thread(target=server.run, kwargs={"sockets": [listening]}, daemon=True)
    with caplog.at_level(logging.ERROR):
        thread.start()
        while not server.started and thread.is_alive():
            thread.join(0.02)
        with closing(http.client.HTTPConnection("127.0.0.1", port, timeout=30)) as connection:
            for _ in range(20):
                connection.request("GET", "/api/tracks")
                answer = connection.getresponse()
                assert answer.status == 500
                assert b"fault of this" not in answer.read()
                # The same connection, at once.
                socket = connection.sock
                connection.request("GET", "/api/parameters")
                answer = connection.getresponse()
                assert answer.status == 200
                answer.read()
                assert connection.sock is socket
        server.should_exit = True
        thread.join(10)
    listening.close()
    # What the server's own loop left open goes here, and not in whatever test is next.
    del server
    with warnings.catch_warnings():
        warnings.simplefilter("ignore", ResourceWarning)
        gc.collect()
    assert sum("fault of this" in str(record.exc_info) for record in caplog.records) == 20

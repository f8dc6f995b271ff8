"""What an earlier version stored, zipped or wrote to disk: it opens, and is not rewritten until it is edited."""

from __future__ import annotations

import io
import json
import sqlite3
import zipfile
from contextlib import closing
from pathlib import Path

import pytest
from starlette.testclient import TestClient
from support import ROOT, juglant, order

from juglant.api.app import make_app
from juglant.api.settings import Settings
from juglant.core.model.track import track_from_json

FOLDER = ROOT / "tests" / "version_one"
NAMES = sorted(path.stem for path in FOLDER.glob("*.json") if path.stem != "stems")
OCTETS = {"Content-Type": "application/octet-stream"}


@pytest.fixture
def client(tmp_path: Path) -> TestClient:
    return TestClient(make_app(Settings(tmp_path / "t.sqlite3", page=None)), base_url="http://localhost")


def bodies(path: Path) -> list[str]:
    with closing(sqlite3.connect(path)) as connection:
        return [body for (body,) in connection.execute("SELECT body FROM revision ORDER BY number")]


@pytest.mark.parametrize("name", NAMES)
def test_a_file_and_a_zip_open_as_the_same_track(name: str, client: TestClient) -> None:
    text = (FOLDER / f"{name}.json").read_bytes()
    zipped = io.BytesIO()
    with zipfile.ZipFile(zipped, "w") as archive:
        archive.writestr("track.json", text)
    opened = [client.post("/api/tracks/load", content=data, headers=OCTETS).json() for data in (text, zipped.getvalue())]
    wanted = json.loads(track_from_json(text).model_dump_json())
    for state in opened:
        assert state["track"] == wanted
        assert state["track"]["version"] == 2
        assert state["said"] == []


def test_what_is_stored_stays_as_it_was_until_it_is_edited(client: TestClient, tmp_path: Path) -> None:
    state = client.post("/api/tracks", json={"start": "empty"}).json()
    older = (FOLDER / "everything.json").read_text().strip()
    path = tmp_path / "t.sqlite3"
    with closing(sqlite3.connect(path)) as connection, connection:
        (rule,) = connection.execute("SELECT sql FROM sqlite_master WHERE name = 'revision_is_never_changed'").fetchone()
        connection.execute("DROP TRIGGER revision_is_never_changed")
        connection.execute("UPDATE revision SET body = ?", (older,))
        connection.execute(rule)
    again = TestClient(make_app(Settings(path, page=None)), base_url="http://localhost")
    where = f"/api/tracks/{state['id']}"
    opened = again.get(where).json()
    assert opened["track"] == json.loads(track_from_json(older).model_dump_json())
    assert again.get(f"{where}/revisions/{opened['revision']}/view").status_code == 200
    assert again.get(f"{where}/revisions/{opened['revision']}/stems/kick/heard.wav").status_code == 200
    assert bodies(path) == [older]
    # The same written another way is no change.
    same = again.post(
        f"{where}/commands", json=order(opened["edition"], "describe", track=opened["track"], label="Nothing")
    )
    assert bodies(path) == [older]
    assert same.json()["edition"] == opened["edition"]
    renamed = opened["track"] | {"name": "Other"}
    edited = again.post(f"{where}/commands", json=order(opened["edition"], "describe", track=renamed, label="Name")).json()
    first, second = bodies(path)
    assert first == older
    assert (json.loads(second)["version"], json.loads(second)["name"]) == (2, "Other")
    back = again.post(f"{where}/undo", json={"edition": edited["edition"]}).json()
    assert back["track"] == opened["track"]
    assert bodies(path)[0] == older


def test_a_file_on_disk_renders(tmp_path: Path) -> None:
    ran = juglant("render", str(FOLDER / "octaves, 140.json"), "--out", str(tmp_path / "out"))
    assert ran.returncode == 0, ran.stderr[:300]
    written = json.loads((tmp_path / "out" / "track.json").read_text())
    assert written["version"] == 2
    assert (tmp_path / "out" / "stems" / "kick.wav").exists()

"""A server that begins: databases it cannot open, ports that are taken, and one that runs already; what lies on the disk.

Each is started as a user would, by the command line; what it prints is the test.
"""

from __future__ import annotations

import os
import socket
import sqlite3
import stat
import subprocess
import sys
import urllib.error
import urllib.request
from collections.abc import Callable
from contextlib import closing
from pathlib import Path

import pytest
from support import ROOT, Server

from juglant.api.serve import serve_forever
from juglant.api.settings import DATABASE_NAME
from juglant.core.model.track import Track
from juglant.services.tracks import Workspace
from juglant.store import database
from juglant.store.database import migrate

NAMED = {
    "newer": "newer Juglant",
    "junk": "no database of Juglant's",
    "damaged": "damaged",
    "folder": "a folder has its name",
    "locked": "in use by another program",
    "no folder": "cannot be made",
}
REMEDY = {"newer": "use that one", "junk": "restore FILE", "damaged": "restore FILE", "folder": "move it away",
          "locked": "try again", "no folder": "--data"}  # fmt: skip


def command(*arguments: str, timeout: float = 120) -> subprocess.CompletedProcess[str]:
    env = {**os.environ, "PYTHONPATH": str(ROOT / "src")}
    line = [sys.executable, "-m", "juglant.cli", *arguments]
    return subprocess.run(line, cwd=ROOT, env=env, capture_output=True, text=True, timeout=timeout)


def filled(path: Path) -> None:
    store = Workspace(path)
    store.prepare()
    for _ in range(20):
        store.create(Track(), label="New")


def spoil(kind: str, folder: Path) -> Path:
    path = folder / DATABASE_NAME
    if kind == "no folder":
        (folder / "file").write_text("")
        return folder / "file" / "below"
    if kind == "folder":
        path.mkdir()
    elif kind == "junk":
        path.write_bytes(b"This is a shopping list, and no database at all. " * 100)
    else:
        filled(path)
        with closing(sqlite3.connect(path, isolation_level=None)) as connection:
            connection.execute("PRAGMA journal_mode = DELETE")
            if kind == "newer":
                connection.execute("PRAGMA user_version = 99")
        if kind == "damaged":
            data = bytearray(path.read_bytes())
            data[4096 * 3 : 4096 * 9] = bytes(range(256)) * (4096 * 6 // 256)
            path.write_bytes(data)
    return folder


def test_the_command_ends_with_one_line_and_no_traceback(tmp_path: Path) -> None:
    done = command("serve", "--data", str(spoil("junk", tmp_path)), "--no-browser", "--port", "0")
    assert (done.returncode, done.stdout, len(done.stderr.strip().splitlines())) == (1, "", 1)
    assert NAMED["junk"] in done.stderr


@pytest.mark.parametrize("kind", NAMED)
def test_a_database_that_cannot_be_opened_is_one_line_and_stays_as_it_is(
    kind: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    folder = spoil(kind, tmp_path)
    path = folder / DATABASE_NAME
    before = path.read_bytes() if path.is_file() else None
    monkeypatch.setattr(database, "BUSY_MS", 100)
    holder = sqlite3.connect(path, isolation_level=None) if kind == "locked" else None
    if holder:
        holder.execute("BEGIN EXCLUSIVE")
    ended = serve_forever(port=0, folder=folder, demo=False, open_browser=False)
    if holder:
        holder.close()
    assert ended == 1
    done = capsys.readouterr()
    lines = done.err.strip().splitlines()
    # A lock is waited for, and each try is told.
    assert len(lines) == (4 if kind == "locked" else 1)
    assert str(path) in lines[-1]
    assert NAMED[kind] in lines[-1]
    assert REMEDY[kind] in lines[-1]
    assert done.out == ""
    assert (path.read_bytes() if path.is_file() else None) == before


def test_a_lock_that_ends_is_waited_for(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    from juglant.api.serve import _prepared

    filled(tmp_path / DATABASE_NAME)
    monkeypatch.setattr(database, "BUSY_MS", 100)
    holder = sqlite3.connect(tmp_path / DATABASE_NAME, isolation_level=None, check_same_thread=False)
    holder.execute("PRAGMA journal_mode = DELETE")
    holder.execute("BEGIN EXCLUSIVE")
    said: list[str] = []

    def heard(text: str) -> None:
        said.append(text)
        holder.close()

    monkeypatch.setattr("juglant.api.serve._say", heard)
    _prepared(tmp_path / DATABASE_NAME)
    assert len(said) == 1
    assert "trying again" in said[0]


def test_a_taken_port_is_said(tmp_path: Path) -> None:
    with socket.socket() as taken:
        taken.bind(("127.0.0.1", 0))
        taken.listen()
        port = taken.getsockname()[1]
        server = Server(tmp_path / "data")
        server.start(port=port)
    try:
        assert f":{port}/" not in server.address
        assert f"port {port} is taken" in server.said()
    finally:
        server.kill()


def test_a_second_server_opens_the_one_that_runs(make_server: Callable[..., Server]) -> None:
    server = make_server(solved=False)
    address = server.start()
    done = command("demo", "--data", str(server.data), "--no-browser", "--port", "0")
    assert done.returncode == 0
    assert f"Juglant is at {address} already" in done.stdout
    # Killed without warning, it is not taken for running.
    server.kill()
    assert server.start() != ""
    with urllib.request.urlopen(f"{server.address}api/tracks", timeout=30) as answer:  # noqa: S310
        assert answer.status == 200


def test_only_this_account_reads_what_is_stored(make_server: Callable[..., Server]) -> None:
    server = make_server(solved=False)
    server.start()
    # As long as somebody reads, what is new lies beside the file.
    reader = sqlite3.connect(server.data / DATABASE_NAME)
    reader.execute("SELECT COUNT(*) FROM track").fetchone()
    with urllib.request.urlopen(urllib.request.Request(f"{server.address}api/backups", method="POST"), timeout=30):  # noqa: S310
        pass
    assert stat.S_IMODE(server.data.stat().st_mode) == 0o700
    modes = {one.name: stat.S_IMODE(one.stat().st_mode) for one in server.data.iterdir()}
    assert {DATABASE_NAME, f"{DATABASE_NAME}-wal"} <= modes.keys()
    assert any(name.endswith(".bak") for name in modes)
    reader.close()
    assert set(modes.values()) == {0o600}


def test_an_older_file_of_looser_rights_is_closed_to_others(tmp_path: Path) -> None:
    path = tmp_path / DATABASE_NAME
    migrate(path)
    path.chmod(0o644)
    migrate(path)
    assert stat.S_IMODE(path.stat().st_mode) == 0o600


def test_a_folder_that_may_only_be_read_opens_for_reading_and_says_so(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    from starlette.testclient import TestClient

    from juglant.api.app import make_app
    from juglant.api.settings import Settings

    path = tmp_path / DATABASE_NAME
    filled(path)
    size = path.stat().st_size
    # The account of the tests may write anywhere: what the system would answer another is said here.
    monkeypatch.setattr(database, "may_write", lambda _: False)
    monkeypatch.setattr("juglant.services.data.may_write", lambda _: False)
    monkeypatch.setattr("juglant.services.tracks.may_write", lambda _: False)
    client = TestClient(make_app(Settings(path, page=None)), base_url="http://localhost")
    tracks = client.get("/api/tracks").json()
    assert len(tracks) == 20
    assert "may only be read" in client.get(f"/api/tracks/{tracks[0]['id']}").json()["said"][0]
    assert client.get("/api/data").json()["read_only"] is True
    refused = client.post("/api/tracks", json={"start": "empty"})
    assert (refused.status_code, refused.json()["type"]) == (507, "juglant:read-only")
    assert path.stat().st_size == size


OUTSIDE = ["assets/%00", "assets/x%0Ay", ".juglant-stamp", "assets/.hidden", "%2e%2e/src", "..%2f..%2fREADME.md"]


@pytest.mark.parametrize("where", OUTSIDE)
def test_only_the_pages_own_files_are_served(where: str, one_server: Server) -> None:
    request = urllib.request.Request(f"{one_server.address}{where}")  # noqa: S310
    with pytest.raises(urllib.error.HTTPError, match="404") as refused:
        urllib.request.urlopen(request, timeout=30)  # noqa: S310
    refused.value.close()


def test_a_backup_comes_back_and_what_was_there_is_kept(tmp_path: Path) -> None:
    data, file = tmp_path / "data", tmp_path / "kept.juglant"
    store = Workspace(data / DATABASE_NAME)
    store.prepare()
    first = store.create(Track(name="First"), label="New")
    done = command("backup", str(file), "--data", str(data))
    assert done.returncode == 0, done.stderr
    assert stat.S_IMODE(file.stat().st_mode) == 0o600
    assert "already" in command("backup", str(file), "--data", str(data)).stderr
    store.create(Track(name="Second"), label="New")
    done = command("restore", str(file), "--data", str(data))
    assert done.returncode == 0, done.stderr
    assert [name for _, name in store.list_tracks()] == ["First"]
    assert store.state(first.id) == first
    kept = next(data.glob("*.before-restore.*.bak"))
    assert str(kept) in done.stdout
    assert {name for _, name in Workspace(kept).list_tracks()} == {"First", "Second"}


@pytest.mark.parametrize(
    ("content", "said"), [(None, "is not there"), (b"junk " * 999, "no database of Juglant's"), (b"", "holds no tracks")]
)
def test_what_is_no_backup_is_refused_and_nothing_changes(content: bytes | None, said: str, tmp_path: Path) -> None:
    data, file = tmp_path / "data", tmp_path / "file"
    store = Workspace(data / DATABASE_NAME)
    store.prepare()
    state = store.create(Track(), label="New")
    if content is not None:
        file.write_bytes(content)
    done = command("restore", str(file), "--data", str(data))
    assert done.returncode == 1
    assert said in done.stderr
    assert len(done.stderr.strip().splitlines()) == 1
    assert store.state(state.id) == state


def test_a_database_that_is_served_is_not_replaced(make_server: Callable[..., Server], tmp_path: Path) -> None:
    server = make_server(solved=False)
    server.start()
    file = tmp_path / "kept"
    # A copy may be made all the while.
    assert command("backup", str(file), "--data", str(server.data)).returncode == 0
    done = command("restore", str(file), "--data", str(server.data))
    assert done.returncode == 1
    assert "stop Juglant" in done.stderr

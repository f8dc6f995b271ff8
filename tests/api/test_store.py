"""The database: migrations, append-only history, and a server killed in the middle of its work."""

from __future__ import annotations

import json
import sqlite3
import threading
import urllib.error
import urllib.request
from collections.abc import Callable
from contextlib import closing
from pathlib import Path

import pytest
from support import Server, described

from juglant.demo.track import untouched_track
from juglant.services.tracks import Last, Workspace
from juglant.services.variations import add_roll
from juglant.store.database import connect, migrate, scripts, statements, version_of
from juglant.store.errors import NewerDatabase, NothingThere, Stale

NEXT = "CREATE TABLE mark (id INTEGER PRIMARY KEY, text TEXT NOT NULL) STRICT;"


def schema_of(path: Path) -> list[tuple[str, str]]:
    with closing(sqlite3.connect(path)) as connection:
        rows = connection.execute("SELECT name, sql FROM sqlite_master WHERE sql IS NOT NULL ORDER BY name").fetchall()
    return [(str(name), str(sql)) for name, sql in rows]


def test_every_old_version_ends_equal_to_a_fresh_file(tmp_path: Path) -> None:
    wanted = [*scripts(), NEXT]
    migrate(tmp_path / "fresh.sqlite3", wanted)
    for old in range(1, len(wanted)):
        path = tmp_path / f"old-{old}.sqlite3"
        migrate(path, wanted[:old])
        migrate(path, wanted)
        assert schema_of(path) == schema_of(tmp_path / "fresh.sqlite3")


def test_a_backup_is_made_before_a_migration_and_holds_everything(tmp_path: Path) -> None:
    store = Workspace(tmp_path / "t.sqlite3")
    store.prepare()
    state = store.create(untouched_track(), label="New")
    migrate(store.path, [*scripts(), NEXT])
    copies = list(tmp_path.glob("*.bak"))
    assert len(copies) == 1
    with closing(connect(copies[0])) as connection:
        assert version_of(connection) == len(scripts())
        assert connection.execute("SELECT COUNT(*) FROM revision").fetchone()[0] == 1
    assert store.state(state.id) == state


def test_a_failing_migration_leaves_nothing(tmp_path: Path) -> None:
    path = tmp_path / "t.sqlite3"
    migrate(path)
    before = schema_of(path)
    with pytest.raises(sqlite3.OperationalError, match="syntax error"):
        migrate(path, [*scripts(), NEXT + "\nCREATE NONSENSE;"])
    assert schema_of(path) == before
    with closing(connect(path)) as connection:
        assert version_of(connection) == len(scripts())


def test_a_newer_file_is_refused_in_plain_words(tmp_path: Path) -> None:
    path = tmp_path / "t.sqlite3"
    migrate(path, [*scripts(), NEXT])
    with pytest.raises(NewerDatabase, match=r"newer Juglant.*nothing was changed"):
        migrate(path)


def test_a_trigger_is_one_statement() -> None:
    found = [one for script in scripts() for one in statements(script)]
    assert sum(one.startswith("CREATE TRIGGER") for one in found) == "".join(scripts()).count("CREATE TRIGGER") > 1
    with pytest.raises(ValueError, match="ends in the middle"):
        statements("CREATE TABLE x (")


@pytest.mark.parametrize("sql", ["UPDATE revision SET label = 'x'", "DELETE FROM revision"])
def test_history_cannot_be_rewritten(sql: str, tmp_path: Path) -> None:
    store = Workspace(tmp_path / "t.sqlite3")
    store.prepare()
    store.create(untouched_track(), label="New")
    with closing(connect(store.path)) as connection, pytest.raises(sqlite3.IntegrityError, match="append-only"):
        connection.execute(sql)


def test_the_file_is_wal_and_strict(tmp_path: Path) -> None:
    path = tmp_path / "t.sqlite3"
    migrate(path)
    with closing(connect(path)) as connection:
        assert connection.execute("PRAGMA journal_mode").fetchone()[0] == "wal"
        assert connection.execute("PRAGMA synchronous").fetchone()[0] == 2  # FULL
        assert connection.execute("PRAGMA foreign_keys").fetchone()[0] == 1
    assert all("STRICT" in sql for name, sql in schema_of(path) if sql.startswith("CREATE TABLE"))


def _post(address: str, body: dict) -> dict:
    request = urllib.request.Request(  # noqa: S310
        address, json.dumps(body).encode(), {"Content-Type": "application/json"}, method="POST"
    )
    with urllib.request.urlopen(request, timeout=30) as answer:  # noqa: S310
        found: dict = json.load(answer)
        return found


def test_kill_9_loses_nothing_that_was_acknowledged(make_server: Callable[..., Server]) -> None:
    """Edits go on as fast as they are answered until the process is killed under them; then everything is there."""
    server = make_server(solved=False)
    address = server.start()
    state = _post(f"{address}api/tracks", {"start": "untouched"})
    acknowledged: list[float] = []

    def work(now: dict) -> None:
        try:
            for number in range(10_000):
                track = {**now["track"], "sheet": {**now["track"]["sheet"], "bpm": 60 + number % 100}}
                body = described(now["edition"], track, f"Edit {number}")
                now = _post(f"{address}api/tracks/{now['id']}/commands", body)
                acknowledged.append(now["track"]["sheet"]["bpm"])
        except (OSError, urllib.error.URLError, json.JSONDecodeError):
            return

    for _ in range(2):
        thread = threading.Thread(target=work, args=(state,))
        before = len(acknowledged)
        thread.start()
        while len(acknowledged) < before + 15:
            thread.join(0.01)
        server.kill()
        thread.join(30)
        assert not thread.is_alive()
        address = server.start()
        with urllib.request.urlopen(f"{address}api/tracks/{state['id']}", timeout=30) as answer:  # noqa: S310
            state = json.load(answer)
        # What was answered is there; at most one more was stored and not answered.
        assert len(acknowledged) <= state["revision"] - 1 <= len(acknowledged) + 1
        if state["revision"] - 1 == len(acknowledged):
            assert state["track"]["sheet"]["bpm"] == acknowledged[-1]
        else:
            acknowledged.append(state["track"]["sheet"]["bpm"])
        with closing(sqlite3.connect(server.data / "juglant.sqlite3")) as connection:
            assert connection.execute("PRAGMA integrity_check").fetchone()[0] == "ok"


def moved(store: Workspace, track_id: str, gesture: str, tempos: list[int]) -> None:
    """One movement of the hand over some tempos."""
    for bpm in tempos:
        now = store.state(track_id)
        track = now.track.model_copy(update={"sheet": now.track.sheet.model_copy(update={"bpm": bpm})})
        store.edit(track_id, now.edition, track, label=f"Tempo {bpm}", gesture=gesture)


def walked(store: Workspace, track_id: str) -> list[tuple[float, str | None]]:
    """Tempo and label of every step, back to the first and forward to the last again."""
    seen = []
    for move in (store.undo, store.redo):
        while True:
            now = store.state(track_id)
            seen.append((now.track.sheet.bpm, now.undo_label if move == store.undo else now.redo_label))
            try:
                move(track_id, now.edition)
            except NothingThere:
                break
    return seen


def test_within_a_movement_that_has_ended_only_its_ends_are_kept_and_every_step_leads_where_it_did(
    tmp_path: Path,
) -> None:
    store = Workspace(tmp_path / "t.sqlite3")
    store.prepare()
    state = store.create(untouched_track(), label="New")
    moved(store, state.id, "a", [100, 101, 102, 103])
    roll = add_roll(store, state.id, "kick", amount_pct=40, only_front=False)
    moved(store, state.id, "a", [104, 105])
    # Another movement was begun here and undone: where it branched off stays.
    moved(store, state.id, "b", [110, 111, 112])
    now = store.undo(state.id, store.state(state.id).edition)
    assert now.track.sheet.bpm == 105
    moved(store, state.id, "c", [120, 121, 122, 123])
    before = walked(store, state.id)
    with closing(connect(store.path)) as connection:
        count = connection.execute("SELECT COUNT(*) FROM revision").fetchone()[0]
    assert count == 1 + 6 + 3 + 4
    store.prepare()
    with closing(connect(store.path)) as connection:
        kept = [row[0] for row in connection.execute("SELECT number FROM revision ORDER BY number")]
        assert connection.execute("PRAGMA foreign_key_check").fetchall() == []
    # First and last of each, what was rolled on, and all of the movement that may go on.
    assert kept == [1, 2, roll.revision, 7, 8, 10, 11, 12, 13, 14]
    assert walked(store, state.id) == before
    store.prepare()
    with closing(connect(store.path)) as connection:
        assert connection.execute("SELECT COUNT(*) FROM revision").fetchone()[0] == len(kept)


def test_what_a_page_knew_and_is_left_out_by_now_is_stale_and_not_lost_to_it(tmp_path: Path) -> None:
    store = Workspace(tmp_path / "t.sqlite3")
    store.prepare()
    state = store.create(untouched_track(), label="New")
    moved(store, state.id, "a", [100, 101, 102])
    moved(store, state.id, "b", [110])
    store.prepare()
    last = Last(3, [{"op": "replace", "path": "/sheet/bpm", "value": 99}], "Tempo", ["a"])
    with pytest.raises(Stale, match="nothing was overwritten"):
        store.finish(state.id, 3, last)
    assert store.state(state.id).track.sheet.bpm == 110


@pytest.mark.parametrize(
    "sql",
    [
        "DELETE FROM revision WHERE number = 1",
        "DELETE FROM revision WHERE number = 2",
        "DELETE FROM revision WHERE number = 5",
        "UPDATE revision SET parent = 1 WHERE number = 5",
        "UPDATE revision SET parent = 1 WHERE number = 3",
        "UPDATE revision SET body = '{}' WHERE number = 3",
        "UPDATE track SET head = 77",
    ],
)
def test_the_file_itself_lets_nothing_else_go(sql: str, tmp_path: Path) -> None:
    store = Workspace(tmp_path / "t.sqlite3")
    store.prepare()
    state = store.create(untouched_track(), label="New")
    moved(store, state.id, "a", [100, 101, 102])
    moved(store, state.id, "b", [110])
    with closing(connect(store.path)) as connection, pytest.raises(sqlite3.IntegrityError, match=r"append-only|one of its"):
        connection.execute(sql)

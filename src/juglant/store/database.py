"""The database file: connections, transactions, migrations with a backup before each."""

from __future__ import annotations

import sqlite3
from collections.abc import Iterator
from contextlib import closing, contextmanager
from pathlib import Path

from juglant.store.errors import NewerDatabase

MIGRATIONS = Path(__file__).with_name("migrations")
BUSY_MS = 5000


def connect(path: Path) -> sqlite3.Connection:
    """Open the file: WAL, every commit on disk before it returns, foreign keys on."""
    connection = sqlite3.connect(path, isolation_level=None, check_same_thread=False)
    connection.row_factory = sqlite3.Row
    connection.execute(f"PRAGMA busy_timeout = {BUSY_MS}")
    connection.execute("PRAGMA journal_mode = WAL")
    connection.execute("PRAGMA synchronous = FULL")
    connection.execute("PRAGMA foreign_keys = ON")
    return connection


@contextmanager
def opened(path: Path) -> Iterator[sqlite3.Connection]:
    """A connection for one piece of work."""
    with closing(connect(path)) as connection:
        yield connection


@contextmanager
def transaction(connection: sqlite3.Connection) -> Iterator[None]:
    """All of it or none of it."""
    connection.execute("BEGIN IMMEDIATE")
    try:
        yield
    except BaseException:
        connection.execute("ROLLBACK")
        raise
    connection.execute("COMMIT")


def statements(script: str) -> list[str]:
    """The statements of a migration, one by one; a trigger is one statement."""
    found, piece = [], ""
    for line in script.splitlines(keepends=True):
        piece += line
        if piece.strip() and sqlite3.complete_statement(piece):
            found.append(piece.strip())
            piece = ""
    if piece.strip():
        raise ValueError(f"a migration ends in the middle of a statement: {piece.strip()[:60]}")
    return found


def scripts(folder: Path = MIGRATIONS) -> list[str]:
    """Migrations in order; file names begin with their number, from 0001 without a gap."""
    paths = sorted(folder.glob("*.sql"))
    if [int(path.name[:4]) for path in paths] != list(range(1, len(paths) + 1)):
        raise ValueError(f"migrations in {folder.name} must be numbered from 0001 without a gap")
    return [path.read_text() for path in paths]


def version_of(connection: sqlite3.Connection) -> int:
    """How many migrations the file has had."""
    return int(connection.execute("PRAGMA user_version").fetchone()[0])


def backup(connection: sqlite3.Connection, path: Path, version: int) -> Path:
    """A whole copy beside the file, made before a migration; an earlier copy is never overwritten."""
    number = 1
    while (copy := path.with_name(f"{path.name}.before-{version + 1}.{number}.bak")).exists():
        number += 1
    with closing(sqlite3.connect(copy)) as target:
        connection.backup(target)
    return copy


def migrate(path: Path, wanted: list[str] | None = None) -> None:
    """Bring the file up to date, made where it is missing.

    Each migration is one transaction with its version; what fails leaves nothing. Raises NewerDatabase where the file
    has had more migrations than there are.
    """
    path.parent.mkdir(parents=True, exist_ok=True)
    wanted = scripts() if wanted is None else wanted
    with opened(path) as connection:
        have = version_of(connection)
        if have > len(wanted):
            raise NewerDatabase(
                f"{path.name} was written by a newer Juglant (its version {have}, this one reads {len(wanted)}): "
                "use that one, or start with another folder; nothing was changed"
            )
        if 0 < have < len(wanted):
            backup(connection, path, have)
        for number in range(have + 1, len(wanted) + 1):
            with transaction(connection):
                # Another process may have been faster.
                if version_of(connection) >= number:
                    continue
                for statement in statements(wanted[number - 1]):
                    connection.execute(statement)
                connection.execute(f"PRAGMA user_version = {number}")

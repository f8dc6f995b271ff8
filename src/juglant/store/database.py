"""The database file: connections, transactions, migrations with a backup before each; what goes wrong in plain words."""

from __future__ import annotations

import os
import sqlite3
from collections.abc import Iterator
from contextlib import closing, contextmanager, suppress
from pathlib import Path

from juglant.store.errors import Busy, Damaged, NewerDatabase, NoRoom, ReadOnly, StoreError, Unopenable

MIGRATIONS = Path(__file__).with_name("migrations")
BUSY_MS = 5000
# Only the one who runs Juglant reads what is in it.
FILE_MODE, FOLDER_MODE = 0o600, 0o700
# A file up to this size is read through before it is opened; a larger one is found to be damaged where it is read.
CHECKED_BYTES = 200_000_000
KEPT_BACKUPS = 5
BACKUPS = "*.bak"

_BUSY = {sqlite3.SQLITE_BUSY, sqlite3.SQLITE_LOCKED}
_FULL = {sqlite3.SQLITE_FULL, sqlite3.SQLITE_IOERR}
_DAMAGED = {sqlite3.SQLITE_CORRUPT, sqlite3.SQLITE_NOTADB}
_PRIMARY = 0xFF


def explained(error: sqlite3.Error, path: Path) -> StoreError | None:
    """What the database said, as an error a user can act on; None for a fault of this program's own."""
    code = getattr(error, "sqlite_errorcode", None)
    code = None if code is None else code & _PRIMARY
    if code in _BUSY:
        return Busy(f"{path} is in use by another program; what was not stored is kept: try again in a moment")
    if code in _FULL:
        return NoRoom(f"{path} cannot be written: the disk is full or failing; make room and try again")
    if code == sqlite3.SQLITE_READONLY:
        return ReadOnly(f"{path} may only be read: nothing can be stored in it; make it writable, or use another folder")
    if code in _DAMAGED:
        return Damaged(
            f"{path} is damaged, or is no database of Juglant's: put a backup in its place "
            "(./juglant restore FILE), or move it away to begin anew; nothing was changed"
        )
    if code == sqlite3.SQLITE_CANTOPEN:
        return Unopenable(f"{path} cannot be opened: {_why_not(path)}; nothing was changed")
    return None


def _why_not(path: Path) -> str:
    if path.is_dir():
        return "a folder has its name; move it away, or choose another folder with --data"
    if not path.parent.is_dir():
        return f"its folder {path.parent} is not there and cannot be made; choose another with --data"
    if not os.access(path if path.exists() else path.parent, os.R_OK):
        return "this account may not read it; change its permissions, or choose another folder with --data"
    if not path.exists():
        return f"there is no such file, and {path.parent} may not be written; choose another folder with --data"
    return "its folder may not be written and changes to it are still open in a file beside it; make the folder writable"


@contextmanager
def plain_errors(path: Path) -> Iterator[None]:
    """Errors of the database in plain words."""
    try:
        yield
    except sqlite3.Error as error:
        found = explained(error, path)
        if found is None:
            raise
        raise found from error


def may_write(path: Path) -> bool:
    """Whether the file and its folder may be written by this account."""
    folder = next(one for one in (path.parent, *path.parent.parents) if one.exists())
    return os.access(folder, os.W_OK) and (not path.exists() or os.access(path, os.W_OK))


def connect(path: Path) -> sqlite3.Connection:
    """Open the file: WAL, every commit on disk before it returns, foreign keys on; for reading where no more is allowed."""
    if may_write(path):
        connection = sqlite3.connect(path, isolation_level=None, check_same_thread=False)
    else:
        # Without a file of open changes beside it nobody writes to it, and none need be made.
        still = not path.with_name(f"{path.name}-wal").exists()
        address = f"{path.absolute().as_uri()}?mode=ro{'&immutable=1' if still else ''}"
        connection = sqlite3.connect(address, uri=True, isolation_level=None, check_same_thread=False)
        connection.execute("PRAGMA query_only = ON")
    try:
        connection.row_factory = sqlite3.Row
        connection.execute(f"PRAGMA busy_timeout = {BUSY_MS}")
        if may_write(path):
            connection.execute("PRAGMA journal_mode = WAL")
        connection.execute("PRAGMA synchronous = FULL")
        connection.execute("PRAGMA foreign_keys = ON")
    except BaseException:
        connection.close()
        raise
    return connection


@contextmanager
def opened(path: Path) -> Iterator[sqlite3.Connection]:
    """A connection for one piece of work; raises the errors of `explained`."""
    with plain_errors(path), closing(connect(path)) as connection:
        yield connection


@contextmanager
def transaction(connection: sqlite3.Connection) -> Iterator[None]:
    """All of it or none of it."""
    connection.execute("BEGIN IMMEDIATE")
    try:
        yield
        connection.execute("COMMIT")
    except BaseException:
        # A full disk may have ended it already.
        if connection.in_transaction:
            connection.execute("ROLLBACK")
        raise


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


def copy_to(connection: sqlite3.Connection, copy: Path) -> None:
    """A whole copy of an open database in a new file, read by this account alone; there whole or not at all."""
    beside = copy.with_name(f"{copy.name}.part")
    beside.unlink(missing_ok=True)
    _made_private(beside)
    try:
        with closing(sqlite3.connect(beside)) as target:
            connection.backup(target)
            # One file and no other beside it, whatever the original's mode.
            target.execute("PRAGMA journal_mode = DELETE")
        beside.replace(copy)
    finally:
        beside.unlink(missing_ok=True)


def backup(connection: sqlite3.Connection, path: Path, reason: str) -> Path:
    """A copy beside the file, named after what it was made before; the newest few are kept."""
    number = 1
    while (copy := path.with_name(f"{path.name}.{reason}.{number}.bak")).exists():
        number += 1
    copy_to(connection, copy)
    for old in backups_of(path)[KEPT_BACKUPS:]:
        old.unlink(missing_ok=True)
    return copy


def backups_of(path: Path) -> list[Path]:
    """Copies beside the file, the newest first."""
    found = list(path.parent.glob(f"{path.name}.{BACKUPS}"))
    return sorted(found, key=lambda one: (one.stat().st_mtime_ns, one.name), reverse=True)


def _made_private(path: Path) -> None:
    """The file there, empty if it is new, and read by this account alone; so are those the database makes beside it."""
    if path.is_dir():
        return
    os.close(os.open(path, os.O_RDWR | os.O_CREAT, FILE_MODE))
    with suppress(PermissionError):
        path.chmod(FILE_MODE)


def private_folder(folder: Path) -> None:
    """The folder, made where it is missing so that only this account looks into it."""
    if not folder.is_dir():
        folder.parent.mkdir(parents=True, exist_ok=True)
        folder.mkdir(mode=FOLDER_MODE)


def migrate(path: Path, wanted: list[str] | None = None) -> None:
    """Bring the file up to date, made where it is missing.

    Each migration is one transaction with its version; what fails leaves nothing. Raises NewerDatabase where the file
    has had more migrations than there are, ReadOnly where it has had fewer and may not be written, and the errors of
    `explained`.
    """
    wanted = scripts() if wanted is None else wanted
    if may_write(path):
        try:
            private_folder(path.parent)
            for one in (path, *path.parent.glob(f"{path.name}[-.]*")):
                _made_private(one)
        except OSError as error:
            raise Unopenable(f"{path} cannot be made: {error.strerror}; choose another folder with --data") from None
    _looked_at(path, len(wanted))
    with opened(path) as connection:
        have = version_of(connection)
        if have == len(wanted):
            return
        if not may_write(path):
            raise ReadOnly(f"{path} is of an older version and may only be read: make it writable, and open it once")
        if have > 0:
            backup(connection, path, f"before-{have + 1}")
        for number in range(have + 1, len(wanted) + 1):
            with transaction(connection):
                # Another process may have been faster.
                if version_of(connection) >= number:
                    continue
                for statement in statements(wanted[number - 1]):
                    connection.execute(statement)
                connection.execute(f"PRAGMA user_version = {number}")


def _looked_at(path: Path, known: int) -> None:
    """Read the file before anything is done to it; raises NewerDatabase, Damaged, and the errors of `explained`."""
    if not path.is_file() or not path.stat().st_size:
        return
    address = f"{path.absolute().as_uri()}?mode=ro"
    still = not may_write(path) and not path.with_name(f"{path.name}-wal").exists()
    with plain_errors(path), closing(sqlite3.connect(address + "&immutable=1" * still, uri=True)) as connection:
        connection.execute(f"PRAGMA busy_timeout = {BUSY_MS}")
        have = version_of(connection)
        if have > known:
            raise NewerDatabase(
                f"{path} was written by a newer Juglant (its version {have}, this one reads {known}): "
                "use that one, or start with another folder; nothing was changed"
            )
        if path.stat().st_size <= CHECKED_BYTES:
            _sound(connection, path)


def _sound(connection: sqlite3.Connection, path: Path) -> None:
    """Raises Damaged where the file does not hold together."""
    found = " ".join(str(connection.execute("PRAGMA quick_check(1)").fetchone()[0]).split())
    if found != "ok":
        raise Damaged(
            f"{path} is damaged ({found}): put a backup in its place (./juglant restore FILE), or move it away to begin "
            "anew; nothing was changed"
        )


def checked_copy(path: Path) -> int:
    """The version of a database file that is to be put in place; raises Damaged or Unopenable where it is none of ours."""
    if not path.is_file():
        raise Unopenable(f"{path} is not there; name a file made by ./juglant backup")
    with plain_errors(path), closing(sqlite3.connect(f"{path.absolute().as_uri()}?mode=ro", uri=True)) as connection:
        connection.row_factory = sqlite3.Row
        _sound(connection, path)
        tables = {row["name"] for row in connection.execute("SELECT name FROM sqlite_master WHERE type = 'table'")}
        if not {"track", "revision"} <= tables:
            raise Damaged(f"{path} is no backup of Juglant's: it holds no tracks; nothing was changed")
        have = version_of(connection)
    if have > len(scripts()):
        raise NewerDatabase(f"{path} was written by a newer Juglant: use that one to restore it; nothing was changed")
    return have

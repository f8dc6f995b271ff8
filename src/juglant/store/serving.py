"""Which process serves a database: one at a time, and where it is found."""

from __future__ import annotations

import json
import os
from pathlib import Path

from filelock import FileLock

from juglant.store.database import FILE_MODE


def serving(database: Path) -> FileLock:
    """Held by the one process that serves a database; acquiring it raises filelock.Timeout at once where another does."""
    return FileLock(database.with_name(f"{database.name}.lock"), timeout=0, mode=FILE_MODE)


def _port_file(database: Path) -> Path:
    return database.with_name(f"{database.name}.port")


def write_port(database: Path, port: int) -> None:
    """Write down where a database is served, for whoever holds the lock."""
    path = _port_file(database)
    path.write_text(json.dumps({"port": port, "process": os.getpid()}))
    path.chmod(FILE_MODE)


def port_of(database: Path) -> int | None:
    """The port at which another process serves this database, as it wrote it down; None where that cannot be read."""
    try:
        return int(json.loads(_port_file(database).read_text())["port"])
    except (OSError, ValueError, KeyError, TypeError):
        return None


def forget_port(database: Path) -> None:
    """Nobody serves this database any more."""
    _port_file(database).unlink(missing_ok=True)

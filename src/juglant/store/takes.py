"""Recorded sounds by the hash of their samples: added once, never changed; archived before they are removed."""

from __future__ import annotations

import sqlite3
from dataclasses import dataclass
from datetime import UTC, datetime

from juglant.store.errors import NotFound, StillUsed


@dataclass(frozen=True)
class TakeRow:
    """One take without its samples: 32-bit little-endian floats, frame by frame, are its body."""

    id: str
    name: str
    sample_rate: int
    channels: int
    frames: int
    created_at: str
    archived_at: str | None = None


COLUMNS = "id, name, sample_rate, channels, frames, created_at, archived_at"


def _row(row: sqlite3.Row) -> TakeRow:
    return TakeRow(*(row[name] for name in COLUMNS.split(", ")))


def add_take(
    connection: sqlite3.Connection, take_id: str, name: str, *, sample_rate: int, channels: int, body: bytes
) -> TakeRow:
    """Add a take; the same samples under a second name stay under their first; one that was put away is back."""
    values = {
        "id": take_id, "name": name, "sample_rate": sample_rate, "channels": channels,
        "frames": len(body) // (4 * channels), "body": body, "at": datetime.now(UTC).isoformat(),
    }  # fmt: skip
    connection.execute(
        "INSERT INTO take (id, name, sample_rate, channels, frames, body, created_at)"
        " VALUES (:id, :name, :sample_rate, :channels, :frames, :body, :at)"
        " ON CONFLICT (id) DO UPDATE SET archived_at = NULL",
        values,
    )
    return _row(connection.execute(f"SELECT {COLUMNS} FROM take WHERE id = :id", {"id": take_id}).fetchone())  # noqa: S608


def all_takes(connection: sqlite3.Connection) -> list[TakeRow]:
    """Every take, the newest first."""
    rows = connection.execute(f"SELECT {COLUMNS} FROM take ORDER BY created_at DESC, rowid DESC")  # noqa: S608
    return [_row(row) for row in rows]


def archive(connection: sqlite3.Connection, take_id: str, *, archived: bool) -> None:
    """Put a take away, or bring it back; raises NotFound."""
    at = datetime.now(UTC).isoformat() if archived else None
    done = connection.execute("UPDATE take SET archived_at = :at WHERE id = :id", {"at": at, "id": take_id})
    if not done.rowcount:
        raise NotFound("there is no such take in this database; it may be removed already")


def remove(connection: sqlite3.Connection, take_id: str) -> None:
    """Remove an archived take; raises NotFound, or StillUsed where it is not archived."""
    row = connection.execute("SELECT archived_at FROM take WHERE id = :id", {"id": take_id}).fetchone()
    if row is None:
        raise NotFound("there is no such take in this database; it may be removed already")
    if row["archived_at"] is None:
        raise StillUsed("this take is on the shelf: archive it first; nothing was removed")
    connection.execute("DELETE FROM take WHERE id = :id", {"id": take_id})


def figures_of(connection: sqlite3.Connection) -> dict[str, str]:
    """What was measured of every take, as it was stored, by the take's id."""
    rows = connection.execute("SELECT take_id, figures FROM take_figures")
    return {row["take_id"]: row["figures"] for row in rows}


def keep_figures(connection: sqlite3.Connection, take_id: str, figures: str) -> None:
    """Store what was measured of a take, in place of what was."""
    connection.execute(
        "INSERT INTO take_figures (take_id, figures) VALUES (:id, :figures)"
        " ON CONFLICT (take_id) DO UPDATE SET figures = excluded.figures",
        {"id": take_id, "figures": figures},
    )


@dataclass(frozen=True)
class LabelRow:
    """What a take is called (None: as it was loaded), its tags and what it was made of, as JSON."""

    take_id: str
    name: str | None = None
    tags: str = "[]"
    made_of: str | None = None


def labels_of(connection: sqlite3.Connection) -> dict[str, LabelRow]:
    """What is said of every take that anything is said of, by its id."""
    rows = connection.execute("SELECT take_id, name, tags, made_of FROM take_label")
    return {row["take_id"]: LabelRow(row["take_id"], row["name"], row["tags"], row["made_of"]) for row in rows}


def label(connection: sqlite3.Connection, take_id: str, name: str, tags: str) -> None:
    """Call a take by another name and tag it; raises NotFound."""
    if connection.execute("SELECT 1 FROM take WHERE id = :id", {"id": take_id}).fetchone() is None:
        raise NotFound("there is no such take in this database; it may be removed already")
    connection.execute(
        "INSERT INTO take_label (take_id, name, tags) VALUES (:id, :name, :tags)"
        " ON CONFLICT (take_id) DO UPDATE SET name = excluded.name, tags = excluded.tags",
        {"id": take_id, "name": name, "tags": tags},
    )


def keep_source(connection: sqlite3.Connection, take_id: str, made_of: str) -> None:
    """Say what a take was made of, where nothing is said yet: the same samples made twice keep their first source."""
    connection.execute(
        "INSERT INTO take_label (take_id, made_of) VALUES (:id, :made_of)"
        " ON CONFLICT (take_id) DO UPDATE SET made_of = COALESCE(made_of, excluded.made_of)",
        {"id": take_id, "made_of": made_of},
    )


def body_of(connection: sqlite3.Connection, take_id: str) -> tuple[TakeRow, bytes] | None:
    """A take with its samples, None where there is none."""
    row = connection.execute(f"SELECT {COLUMNS}, body FROM take WHERE id = :id", {"id": take_id}).fetchone()  # noqa: S608
    return None if row is None else (_row(row), row["body"])

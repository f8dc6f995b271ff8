"""Recorded sounds by the hash of their samples: added once, never changed or removed."""

from __future__ import annotations

import sqlite3
from dataclasses import dataclass
from datetime import UTC, datetime


@dataclass(frozen=True)
class TakeRow:
    """One take without its samples: 32-bit little-endian floats, frame by frame, are its body."""

    id: str
    name: str
    sample_rate: int
    channels: int
    frames: int
    created_at: str


COLUMNS = "id, name, sample_rate, channels, frames, created_at"


def _row(row: sqlite3.Row) -> TakeRow:
    return TakeRow(*(row[name] for name in COLUMNS.split(", ")))


def add_take(
    connection: sqlite3.Connection, take_id: str, name: str, *, sample_rate: int, channels: int, body: bytes
) -> TakeRow:
    """Add a take; the same samples under a second name stay under their first."""
    values = {
        "id": take_id, "name": name, "sample_rate": sample_rate, "channels": channels,
        "frames": len(body) // (4 * channels), "body": body, "at": datetime.now(UTC).isoformat(),
    }  # fmt: skip
    connection.execute(
        "INSERT INTO take (id, name, sample_rate, channels, frames, body, created_at)"
        " VALUES (:id, :name, :sample_rate, :channels, :frames, :body, :at) ON CONFLICT (id) DO NOTHING",
        values,
    )
    return _row(connection.execute(f"SELECT {COLUMNS} FROM take WHERE id = :id", {"id": take_id}).fetchone())  # noqa: S608


def all_takes(connection: sqlite3.Connection) -> list[TakeRow]:
    """Every take, the newest first."""
    rows = connection.execute(f"SELECT {COLUMNS} FROM take ORDER BY created_at DESC, rowid DESC")  # noqa: S608
    return [_row(row) for row in rows]


def body_of(connection: sqlite3.Connection, take_id: str) -> tuple[TakeRow, bytes] | None:
    """A take with its samples, None where there is none."""
    row = connection.execute(f"SELECT {COLUMNS}, body FROM take WHERE id = :id", {"id": take_id}).fetchone()  # noqa: S608
    return None if row is None else (_row(row), row["body"])

"""Every roll that was made: from which revision, with which seed, so that its sheet can be made again."""

from __future__ import annotations

import sqlite3
from dataclasses import dataclass
from datetime import UTC, datetime


@dataclass(frozen=True)
class RollRow:
    """One roll."""

    number: int
    revision: int
    hit_id: str
    seed: int
    amount_pct: float
    only_front: bool
    created_at: str


def _row(row: sqlite3.Row) -> RollRow:
    return RollRow(
        row["number"],
        row["revision"],
        row["hit_id"],
        row["seed"],
        row["amount_pct"],
        bool(row["only_front"]),
        row["created_at"],
    )


def rolls_of(connection: sqlite3.Connection, track_id: str, hit_id: str) -> list[RollRow]:
    """Rolls of one hit, the newest first."""
    rows = connection.execute(
        "SELECT * FROM roll WHERE track_id = :track AND hit_id = :hit ORDER BY number DESC",
        {"track": track_id, "hit": hit_id},
    )
    return [_row(row) for row in rows]


def add_roll(
    connection: sqlite3.Connection, track_id: str, revision: int, hit_id: str, *, amount_pct: float, only_front: bool
) -> RollRow:
    """A new roll; its number is also its seed, so that no two of a track are alike."""
    last = connection.execute(
        "SELECT MAX(number) AS last FROM roll WHERE track_id = :track", {"track": track_id}
    ).fetchone()
    number = (last["last"] or 0) + 1
    made = RollRow(number, revision, hit_id, number, amount_pct, only_front, datetime.now(UTC).isoformat())
    connection.execute(
        "INSERT INTO roll (track_id, number, revision, hit_id, seed, amount_pct, only_front, created_at)"
        " VALUES (:track, :number, :revision, :hit, :seed, :amount, :front, :at)",
        {
            "track": track_id,
            "number": number,
            "revision": revision,
            "hit": hit_id,
            "seed": made.seed,
            "amount": amount_pct,
            "front": int(only_front),
            "at": made.created_at,
        },
    )
    return made

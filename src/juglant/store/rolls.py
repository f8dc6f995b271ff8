"""Every roll that was made: from which revision, with which seed, so that its sheet can be made again."""

from __future__ import annotations

import sqlite3
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Literal

Side = Literal["more", "less"]


@dataclass(frozen=True)
class RollRow:
    """One roll; like_side, like_name: rolled as more or less like a sound, by the name it was chosen under."""

    number: int
    revision: int
    hit_id: str
    seed: int
    amount_pct: float
    only_front: bool
    created_at: str
    like_side: Side | None = None
    like_name: str | None = None


@dataclass(frozen=True)
class LikeRow:
    """What a roll is like or unlike: the descriptions of the hits, as they are stored."""

    side: Side
    name: str
    base: str | None
    unlike: str | None


def _row(row: sqlite3.Row) -> RollRow:
    return RollRow(
        row["number"], row["revision"], row["hit_id"], row["seed"], row["amount_pct"], bool(row["only_front"]),
        row["created_at"], row["like_side"], row["like_name"],
    )  # fmt: skip


def rolls_of(connection: sqlite3.Connection, track_id: str, hit_id: str) -> list[RollRow]:
    """Rolls of one hit, the newest first."""
    rows = connection.execute(
        "SELECT * FROM roll WHERE track_id = :track AND hit_id = :hit ORDER BY number DESC",
        {"track": track_id, "hit": hit_id},
    )
    return [_row(row) for row in rows]


def like_of(connection: sqlite3.Connection, track_id: str, number: int) -> LikeRow | None:
    """What a roll is like or unlike; None for one that is neither, or is not there."""
    row = connection.execute(
        "SELECT * FROM roll WHERE track_id = :track AND number = :number AND like_side IS NOT NULL",
        {"track": track_id, "number": number},
    ).fetchone()
    return None if row is None else LikeRow(row["like_side"], row["like_name"], row["base"], row["unlike"])


def add_roll(
    connection: sqlite3.Connection,
    track_id: str,
    revision: int,
    hit_id: str,
    *,
    amount_pct: float,
    only_front: bool,
    like: LikeRow | None = None,
) -> RollRow:
    """A new roll; its number is also its seed, so that no two of a track are alike."""
    last = connection.execute(
        "SELECT MAX(number) AS last FROM roll WHERE track_id = :track", {"track": track_id}
    ).fetchone()
    number = (last["last"] or 0) + 1
    made = RollRow(
        number, revision, hit_id, number, amount_pct, only_front, datetime.now(UTC).isoformat(),
        None if like is None else like.side, None if like is None else like.name,
    )  # fmt: skip
    connection.execute(
        "INSERT INTO roll (track_id, number, revision, hit_id, seed, amount_pct, only_front, created_at, like_side,"
        " like_name, base, unlike)"
        " VALUES (:track, :number, :revision, :hit, :seed, :amount, :front, :at, :side, :name, :base, :unlike)",
        {
            "track": track_id,
            "number": number,
            "revision": revision,
            "hit": hit_id,
            "seed": made.seed,
            "amount": amount_pct,
            "front": int(only_front),
            "at": made.created_at,
            "side": made.like_side,
            "name": made.like_name,
            "base": None if like is None else like.base,
            "unlike": None if like is None else like.unlike,
        },
    )
    return made

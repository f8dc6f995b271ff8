"""Tracks and their revisions: append-only; the head moves, nothing is ever changed or removed."""

from __future__ import annotations

import sqlite3
from dataclasses import dataclass
from datetime import UTC, datetime

from juglant.store.errors import NotFound


@dataclass(frozen=True)
class Head:
    """Where a track stands: `edition` grows with every move of the head, so that a stale view is noticed."""

    track_id: str
    revision: int
    edition: int


@dataclass(frozen=True)
class Revision:
    """One state of a track and how it came to be."""

    track_id: str
    number: int
    parent: int | None
    label: str
    gesture: str | None
    name: str
    body: str


def _now() -> str:
    return datetime.now(UTC).isoformat()


def _revision(row: sqlite3.Row) -> Revision:
    return Revision(row["track_id"], row["number"], row["parent"], row["label"], row["gesture"], row["name"], row["body"])


def all_heads(connection: sqlite3.Connection) -> list[tuple[Head, str]]:
    """Every track's head and name, the one changed last first."""
    rows = connection.execute(
        "SELECT track.id, track.head, track.edition, revision.name FROM track"
        " JOIN revision ON revision.track_id = track.id AND revision.number = track.head"
        " ORDER BY (SELECT MAX(created_at) FROM revision AS r WHERE r.track_id = track.id) DESC, track.rowid DESC"
    )
    return [(Head(row["id"], row["head"], row["edition"]), row["name"]) for row in rows]


def head_of(connection: sqlite3.Connection, track_id: str) -> Head:
    """Where a track stands; raises NotFound."""
    row = connection.execute("SELECT id, head, edition FROM track WHERE id = :id", {"id": track_id}).fetchone()
    if row is None:
        raise NotFound("there is no such track in this database; open one from the list")
    return Head(row["id"], row["head"], row["edition"])


def revision_of(connection: sqlite3.Connection, track_id: str, number: int) -> Revision:
    """One revision; raises NotFound."""
    row = connection.execute(
        "SELECT * FROM revision WHERE track_id = :id AND number = :number", {"id": track_id, "number": number}
    ).fetchone()
    if row is None:
        raise NotFound("there is no such revision of this track")
    return _revision(row)


def add_track(connection: sqlite3.Connection, track_id: str, *, label: str, name: str, body: str) -> None:
    """A new track with its first revision."""
    values = {"id": track_id, "at": _now()}
    connection.execute("INSERT INTO track (id, created_at, head, edition) VALUES (:id, :at, 1, 1)", values)
    _insert(connection, Revision(track_id, 1, None, label, None, name, body))


def append(connection: sqlite3.Connection, head: Head, *, label: str, gesture: str | None, name: str, body: str) -> None:
    """A new revision on the head, which moves to it."""
    row = connection.execute(
        "SELECT MAX(number) AS last FROM revision WHERE track_id = :id", {"id": head.track_id}
    ).fetchone()
    number = row["last"] + 1
    _insert(connection, Revision(head.track_id, number, head.revision, label, gesture, name, body))
    move_head(connection, head, number)


def _insert(connection: sqlite3.Connection, revision: Revision) -> None:
    connection.execute(
        "INSERT INTO revision (track_id, number, parent, label, gesture, name, body, created_at)"
        " VALUES (:track_id, :number, :parent, :label, :gesture, :name, :body, :at)",
        {**revision.__dict__, "at": _now()},
    )


def move_head(connection: sqlite3.Connection, head: Head, number: int) -> None:
    """Set the head to another revision; the edition grows."""
    connection.execute(
        "UPDATE track SET head = :number, edition = edition + 1 WHERE id = :id",
        {"number": number, "id": head.track_id},
    )


def undo_target(connection: sqlite3.Connection, at: Revision) -> Revision | None:
    """The revision before `at` and before all of its gesture; None at the first."""
    if at.gesture is None:
        return None if at.parent is None else revision_of(connection, at.track_id, at.parent)
    # Numbers only: a long movement of the hand has hundreds of revisions.
    row = connection.execute(
        "WITH RECURSIVE back (number, parent, gesture) AS ("
        " SELECT number, parent, gesture FROM revision WHERE track_id = :id AND number = :number"
        " UNION ALL SELECT before.number, before.parent, before.gesture FROM back"
        " JOIN revision AS before ON before.track_id = :id AND before.number = back.parent"
        " WHERE back.gesture = :gesture"
        ") SELECT number FROM back WHERE gesture IS NOT :gesture",
        {"id": at.track_id, "number": at.number, "gesture": at.gesture},
    ).fetchone()
    return None if row is None else revision_of(connection, at.track_id, row["number"])


def redo_target(connection: sqlite3.Connection, at: Revision) -> Revision | None:
    """The newest revision that came after `at`, to the end of its gesture; None at the last."""
    following = _newest_child(connection, at)
    while following is not None and following.gesture is not None:
        later = _newest_child(connection, following)
        if later is None or later.gesture != following.gesture:
            break
        following = later
    return following


def _newest_child(connection: sqlite3.Connection, at: Revision) -> Revision | None:
    row = connection.execute(
        "SELECT * FROM revision WHERE track_id = :id AND parent = :parent ORDER BY number DESC LIMIT 1",
        {"id": at.track_id, "parent": at.number},
    ).fetchone()
    return None if row is None else _revision(row)

"""Tracks and their revisions: append-only; the head moves, nothing is changed; a track is archived before it is removed."""

from __future__ import annotations

import sqlite3
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import UTC, datetime

from juglant.store.errors import NotFound, StillUsed


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


@dataclass(frozen=True)
class Listed:
    """One line of the list: its name, when it was changed last, and when it was archived (None: it was not)."""

    head: Head
    name: str
    changed_at: str
    archived_at: str | None


def all_tracks(connection: sqlite3.Connection) -> list[Listed]:
    """Every track, archived or not, the one changed last first."""
    rows = connection.execute(
        "SELECT track.id, track.head, track.edition, track.archived_at, revision.name,"
        " (SELECT MAX(created_at) FROM revision AS r WHERE r.track_id = track.id) AS changed_at FROM track"
        " JOIN revision ON revision.track_id = track.id AND revision.number = track.head"
        " ORDER BY changed_at DESC, track.rowid DESC"
    )
    return [
        Listed(Head(row["id"], row["head"], row["edition"]), row["name"], row["changed_at"], row["archived_at"])
        for row in rows
    ]


def archive(connection: sqlite3.Connection, track_id: str, *, archived: bool) -> None:
    """Put a track away, or bring it back; raises NotFound."""
    head_of(connection, track_id)
    connection.execute(
        "UPDATE track SET archived_at = :at WHERE id = :id", {"at": _now() if archived else None, "id": track_id}
    )


def remove(connection: sqlite3.Connection, track_id: str) -> None:
    """Remove an archived track with all of its history; raises NotFound, or StillUsed where it is not archived."""
    row = connection.execute("SELECT archived_at FROM track WHERE id = :id", {"id": track_id}).fetchone()
    if row is None:
        raise NotFound("there is no such track in this database; it may be removed already")
    if row["archived_at"] is None:
        raise StillUsed("this track is in use: archive it first; nothing was removed")
    connection.execute("DELETE FROM roll WHERE track_id = :id", {"id": track_id})
    connection.execute("DELETE FROM revision WHERE track_id = :id", {"id": track_id})
    connection.execute("DELETE FROM track WHERE id = :id", {"id": track_id})


def every_body(connection: sqlite3.Connection) -> Iterator[str]:
    """The description of every revision of every track, one at a time."""
    for row in connection.execute("SELECT body FROM revision"):
        yield row["body"]


@dataclass(frozen=True)
class HeadBody:
    """A track's name and its description as it stands."""

    name: str
    body: str


def head_bodies(connection: sqlite3.Connection) -> list[HeadBody]:
    """Every track that is not archived, as it stands, the one changed last first."""
    rows = connection.execute(
        "SELECT revision.name, revision.body FROM track JOIN revision"
        " ON revision.track_id = track.id AND revision.number = track.head"
        " WHERE track.archived_at IS NULL ORDER BY revision.created_at DESC"
    )
    return [HeadBody(row["name"], row["body"]) for row in rows]


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


def thin(connection: sqlite3.Connection) -> int:
    """Leave out what lies within movements of the hand that have ended: their first and last revisions stay; how many went.

    No step back or forward leads there. What something else is made on stays.
    """
    rows = connection.execute(
        "SELECT track_id, number, parent FROM revision AS one WHERE gesture IS NOT NULL"
        " AND gesture IS (SELECT gesture FROM revision WHERE track_id = one.track_id AND number = one.parent)"
        " AND EXISTS (SELECT 1 FROM revision WHERE track_id = one.track_id AND parent = one.number)"
        " AND NOT EXISTS (SELECT 1 FROM revision WHERE track_id = one.track_id AND parent = one.number"
        "  AND gesture IS NOT one.gesture)"
        # The movement that the track stands at may go on.
        " AND gesture IS NOT (SELECT gesture FROM revision JOIN track ON track.id = revision.track_id AND head = number"
        "  WHERE track.id = one.track_id)"
        " AND NOT EXISTS (SELECT 1 FROM roll WHERE track_id = one.track_id AND revision = one.number)"
        " ORDER BY track_id, number DESC"
    ).fetchall()
    for row in rows:
        # From the last to the first: what came after it now comes after what was before it.
        connection.execute(
            "UPDATE revision SET parent = :before WHERE track_id = :id AND parent = :number",
            {"id": row["track_id"], "number": row["number"], "before": row["parent"]},
        )
        connection.execute(
            "DELETE FROM revision WHERE track_id = :id AND number = :number",
            {"id": row["track_id"], "number": row["number"]},
        )
    return len(rows)


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
    # Numbers only, as back; the newest child of each is the way forward.
    row = connection.execute(
        "WITH RECURSIVE ahead (number, gesture) AS ("
        " SELECT number, gesture FROM revision WHERE track_id = :id AND number ="
        "  (SELECT MAX(number) FROM revision WHERE track_id = :id AND parent = :number)"
        " UNION ALL SELECT after.number, after.gesture FROM ahead"
        " JOIN revision AS after ON after.track_id = :id AND after.number ="
        "  (SELECT MAX(number) FROM revision WHERE track_id = :id AND parent = ahead.number)"
        " WHERE ahead.gesture IS NOT NULL AND after.gesture = ahead.gesture"
        ") SELECT MAX(number) AS number FROM ahead",
        {"id": at.track_id, "number": at.number},
    ).fetchone()
    return None if row["number"] is None else revision_of(connection, at.track_id, row["number"])

"""Hits and layers that were kept under a name; a name is taken over only where that is asked for, and the old one stays."""

from __future__ import annotations

import secrets
import sqlite3
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Literal

from juglant.store.errors import NameTaken, NotFound

Kind = Literal["hit", "layer"]


@dataclass(frozen=True)
class KeptRow:
    """One thing that was kept."""

    id: str
    kind: Kind
    name: str
    role: str
    body: str
    features: str
    created_at: str


def _row(row: sqlite3.Row) -> KeptRow:
    return KeptRow(row["id"], row["kind"], row["name"], row["role"], row["body"], row["features"], row["created_at"])


def all_kept(connection: sqlite3.Connection, *, replaced: bool = False) -> list[KeptRow]:
    """Everything kept that no other took the name of, the newest first; with `replaced` what was replaced too."""
    rows = connection.execute(
        "SELECT * FROM kept WHERE replaced_by IS NULL OR :replaced ORDER BY created_at DESC, rowid DESC",
        {"replaced": replaced},
    )
    return [_row(row) for row in rows]


def kept_of(connection: sqlite3.Connection, kept_id: str) -> KeptRow:
    """One kept thing, replaced or not; raises NotFound."""
    row = connection.execute("SELECT * FROM kept WHERE id = :id", {"id": kept_id}).fetchone()
    if row is None:
        raise NotFound("nothing is kept under this id")
    return _row(row)


def keep(
    connection: sqlite3.Connection, kind: Kind, name: str, *, role: str, body: str, features: str, replace: bool
) -> KeptRow:
    """Keep under a name. Raises NameTaken where the name is in use and `replace` was not asked for."""
    made = KeptRow(secrets.token_hex(8), kind, name, role, body, features, datetime.now(UTC).isoformat())
    row = connection.execute(
        "SELECT id FROM kept WHERE kind = :kind AND name = :name AND replaced_by IS NULL", {"kind": kind, "name": name}
    ).fetchone()
    if row is not None and not replace:
        raise NameTaken(f"a {kind} named {name!r} is kept already; choose another name, or replace it")
    connection.execute(
        # Out of the index first, as the name may be there only once.
        "INSERT INTO kept (id, kind, name, role, body, features, created_at, replaced_by)"
        " VALUES (:id, :kind, :name, :role, :body, :features, :created_at, :holder)",
        {**vars(made), "holder": made.id if row is not None else None},
    )
    if row is not None:
        connection.execute("UPDATE kept SET replaced_by = :new WHERE id = :old", {"new": made.id, "old": row["id"]})
        connection.execute("UPDATE kept SET replaced_by = NULL WHERE id = :new", {"new": made.id})
    return made

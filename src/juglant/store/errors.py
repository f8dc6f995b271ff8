"""The errors the store raises, under the core's JuglantError.

JuglantError
  NotFound        no such track, revision or take
  Stale           the track has moved on since the caller read it
  NameTaken       something else is kept under this name
  NothingThere    no step to undo or redo
  StillUsed       what is to be removed is still named by something
  StoreError      the database itself
    NewerDatabase   the file was written by a newer Juglant
    Busy            another program holds the file; trying again may help
    NoRoom          the disk is full or failing
    ReadOnly        the file may only be read
    Damaged         the file does not hold together, or is no database of ours
    Unopenable      there is no file, or this account may not open it
"""

from __future__ import annotations

from juglant.core.errors import JuglantError


class NotFound(JuglantError):
    """What was asked for is not in the store."""


class Stale(JuglantError):
    """An edit made on an edition that is no longer the newest; nothing was changed."""

    def __init__(self, message: str, track_id: str = "") -> None:
        super().__init__(message)
        self.track_id = track_id


class NameTaken(JuglantError):
    """A name that is in use; nothing was overwritten."""


class NothingThere(JuglantError):
    """Undo at the first step, or redo at the last."""


class StillUsed(JuglantError):
    """What is to be removed is still named by something; nothing was removed."""


class StoreError(JuglantError):
    """The database cannot be used as it is."""


class NewerDatabase(StoreError):
    """A file this version cannot read without harm."""


class Busy(StoreError):
    """Another program holds the file; nothing was changed."""


class NoRoom(StoreError):
    """The disk is full or failing; nothing was changed."""


class ReadOnly(StoreError):
    """The file may only be read; nothing was changed."""


class Damaged(StoreError):
    """A file that does not hold together, or none of ours; nothing was changed."""


class Unopenable(StoreError):
    """No file, or none that this account may open."""

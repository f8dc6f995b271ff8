"""The errors the store raises, under the core's JuglantError.

JuglantError
  NotFound        no such track, revision or stem
  Stale           the track has moved on since the caller read it
  NameTaken       something else is kept under this name
  NothingThere    no step to undo or redo
  NewerDatabase   the file was written by a newer Juglant
"""

from __future__ import annotations

from juglant.core.errors import JuglantError


class NotFound(JuglantError):
    """What was asked for is not in the store."""


class Stale(JuglantError):
    """An edit made on an edition that is no longer the newest; nothing was changed."""


class NameTaken(JuglantError):
    """A name that is in use; nothing was overwritten."""


class NothingThere(JuglantError):
    """Undo at the first step, or redo at the last."""


class NewerDatabase(JuglantError):
    """A file this version cannot read without harm."""

"""A hit with another one under it, as it would be: its sound and what else it changes."""

from __future__ import annotations

from pydantic import BaseModel, ConfigDict

from juglant.core.commands.reinforce import reinforced_by, said_of
from juglant.core.hit.reinforced import Reinforced
from juglant.core.memory import newest
from juglant.core.model.track import Track


class Reinforcing(BaseModel):
    """What would be made, and what is to be said of it."""

    model_config = ConfigDict(frozen=True)
    made: Reinforced
    said: tuple[str, ...]


@newest(24)
def _reinforced(track: Track, part: str, by: str, share_pct: float, aligned: bool) -> Reinforced:
    return reinforced_by(track, part, by, share_pct, aligned=aligned)


def reinforcing(track: Track, part: str, by: str, share_pct: float, *, aligned: bool) -> Reinforcing:
    """A hit joined by another, nothing of it stored; raises InvalidTrack and NoSuchPart."""
    made = _reinforced(track, part, by, share_pct, aligned)
    return Reinforcing(made=made, said=said_of(made))

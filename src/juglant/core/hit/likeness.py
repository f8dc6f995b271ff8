"""Rolls of more like a sound that is liked, and of less like one that is not."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from juglant.core.hit.roll import Roll
from juglant.core.model.hit import Hit

Side = Literal["more", "less"]
# More like it is rolled from it, half as far; less like it are the furthest of twice as many (this project's choice).
NEARER, CANDIDATES = 0.5, 2


@dataclass(frozen=True)
class Rolling:
    """A roll with what it sets out from, the hit as it stands where that is None, and what it keeps away from."""

    roll: Roll
    base: Hit | None = None
    unlike: Hit | None = None


def as_ruled(sound: Hit, hit: Hit) -> Hit:
    """A sound with the locks, front controls and own ranges of the hit it may become."""
    return sound.model_copy(update={"locked": hit.locked, "front": hit.front, "ranges": hit.ranges, "kick": hit.kick})


def furthest(away_db: list[float | None], count: int) -> list[int]:
    """The places of so many that are furthest away, in their own order; what is silent comes last."""
    order = sorted(range(len(away_db)), key=lambda at: -1.0 if (db := away_db[at]) is None else db, reverse=True)
    return sorted(order[:count])

"""A recorded hit made to serve as a role, as it would be: its moves, its figures before and after, and its sound."""

from __future__ import annotations

from pydantic import BaseModel, ConfigDict

from juglant.core.hit.recorded import RECORDED
from juglant.core.memory import newest
from juglant.core.model.hit import Hit
from juglant.core.model.ids import Role
from juglant.core.model.track import Track
from juglant.core.plans.make_it import Made, MakingBand, MakingFigure, MakingMove, make_it
from juglant.core.plans.make_moves import MoveId


class Making(BaseModel):
    """What would be made. roles: those that can be asked for; outside: what no move brings inside, outside_before: how
    much was; hit: to be heard beside what it is."""

    model_config = ConfigDict(frozen=True)
    role: Role
    roles: tuple[Role, ...]
    moves: tuple[MakingMove, ...]
    figures: tuple[MakingFigure, ...]
    bands: tuple[MakingBand, ...]
    outside: tuple[str, ...]
    outside_before: int
    hit: Hit


@newest(24)
def _made(track: Track, part: str, role: Role, off: frozenset[MoveId]) -> Made:
    return make_it(track, part, role, off)


def making(track: Track, part: str, role: Role, off: frozenset[MoveId]) -> Making:
    """A hit made to serve as a role, nothing of it stored; raises NoSuchPart and InvalidTrack."""
    found = _made(track, part, role, off)
    return Making(
        role=found.role,
        roles=tuple(RECORDED),
        moves=found.moves,
        figures=found.figures,
        bands=found.bands,
        outside=found.outside,
        outside_before=found.outside_before,
        hit=found.track.hit_of(part).hit,
    )

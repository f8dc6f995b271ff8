"""Here are ways; each was made, rendered and measured; hear it, take it: one shape for all that is proposed."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Literal

from juglant.core.analysis.duck_aims import part_title
from juglant.core.analysis.evenness import EvenWay, even_ways
from juglant.core.errors import NoSuchPart
from juglant.core.memory import elsewhere, newest
from juglant.core.model.ids import BASS_PART
from juglant.core.model.track import Track
from juglant.core.plans.kick_ways import KickWayCost, kick_ways
from juglant.core.plans.orders import OrderCost, orders
from juglant.core.plans.owners import OwnerCost, owner_plans
from juglant.core.plans.returns import ReturnCost, return_ways
from juglant.core.plans.ways import WayCost, ways

Kind = Literal["owners", "ways", "kick-ways", "orders", "returns", "evening"]
Cost = OwnerCost | WayCost | KickWayCost | OrderCost | ReturnCost | EvenWay
NEWEST = 16


@dataclass(frozen=True)
class Proposal:
    """One way: what it is called as a step, what it costs as measured, and the track with it."""

    id: str
    label: str
    cost: Cost
    track: Track


def _owners(track: Track, part: str) -> list[Proposal]:
    return [Proposal(one.cost.owner, "Sub owner, planned", one.cost, one.track) for one in owner_plans(track)]


def _ways(track: Track, part: str) -> list[Proposal]:
    return [Proposal(one.cost.id, one.cost.title, one.cost, one.track) for one in ways(track)]


def _kick_ways(track: Track, part: str) -> list[Proposal]:
    return [Proposal(one.cost.id, one.cost.title, one.cost, one.track) for one in kick_ways(track)]


def _orders(track: Track, part: str) -> list[Proposal]:
    bass = part_title(track, BASS_PART)
    return [Proposal(one.cost.id, f"{bass}: {one.cost.title}", one.cost, one.track) for one in orders(track)]


def _returns(track: Track, part: str) -> list[Proposal]:
    # Raises NoSuchPart where the track has no such part.
    name = part_title(track, part)
    return [Proposal(one.cost.id, f"{name}: {one.cost.title}", one.cost, one.track) for one in return_ways(track, part)]


def _evening(track: Track, part: str) -> list[Proposal]:
    return [Proposal(one.id, f"Steady bass: {one.title.lower()}", one, made) for one, made in even_ways(track)]


MAKERS: dict[Kind, Callable[[Track, str], list[Proposal]]] = {
    "owners": _owners,
    "ways": _ways,
    "kick-ways": _kick_ways,
    "orders": _orders,
    "returns": _returns,
    "evening": _evening,
}


TITLES: dict[Kind, str] = {
    "owners": "Weighing the owners of the sub",
    "ways": "Weighing ways to make room",
    "kick-ways": "Weighing ways the kick can give way",
    "orders": "Weighing carve first and duck first",
    "returns": "Weighing ways back",
    "evening": "Weighing ways to even the line",
}


@newest(NEWEST)
@elsewhere(lambda track, kind, part: TITLES[kind])
def _made(track: Track, kind: Kind, part: str) -> tuple[Proposal, ...]:
    return tuple(MAKERS[kind](track, part))


def proposals(track: Track, kind: Kind, part: str = BASS_PART) -> list[Cost]:
    """What every way of a kind costs, each made, rendered and measured (remembered); raises NoSuchPart.

    part: whose returns are asked for; of other kinds it says nothing.
    """
    return [one.cost for one in _made(track, kind, part)]


def proposal(track: Track, kind: Kind, proposal_id: str, part: str = BASS_PART) -> Proposal:
    """One way of a kind; raises NoSuchPart where there is no such way."""
    for one in _made(track, kind, part):
        if one.id == proposal_id:
            return one
    raise NoSuchPart(f"there is no {proposal_id!r} among the {kind} of this track: it may have changed")

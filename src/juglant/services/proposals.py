"""Here are ways; each was made, rendered and measured; hear it, take it: one shape for all that is proposed."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Literal

from juglant.core.analysis.duck_aims import part_title
from juglant.core.analysis.evenness import EvenWay, even_ways
from juglant.core.errors import NoSuchPart
from juglant.core.loop.render import render_stem
from juglant.core.measure.level import no_louder
from juglant.core.memory import newest
from juglant.core.model.duck import BASS_PART
from juglant.core.model.kit import KICK_ID
from juglant.core.model.stem import BASS
from juglant.core.model.track import Track
from juglant.core.plans.kick_ways import KickWayCost, kick_ways
from juglant.core.plans.orders import OrderCost, orders
from juglant.core.plans.owners import OwnerCost, owner_plans
from juglant.core.plans.returns import ReturnCost, return_ways
from juglant.core.plans.ways import WayCost, ways
from juglant.formats.wav import wav_float
from juglant.services.separate import beside
from juglant.services.tracks import State, Workspace

Kind = Literal["owners", "ways", "kick-ways", "orders", "returns", "evening"]
Cost = OwnerCost | WayCost | KickWayCost | OrderCost | ReturnCost | EvenWay
LONGEST_LABEL, NEWEST = 80, 16


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


@newest(NEWEST)
def _made(track: Track, kind: Kind, part: str) -> tuple[Proposal, ...]:
    return tuple(MAKERS[kind](track, part))


def proposals(track: Track, kind: Kind, part: str = BASS_PART) -> list[Cost]:
    """What every way of a kind costs, each made, rendered and measured (remembered); raises NoSuchPart.

    part: whose returns are asked for; of other kinds it says nothing.
    """
    return [one.cost for one in _made(track, kind, part)]


def _one(track: Track, kind: Kind, proposal_id: str, part: str) -> Proposal:
    for one in _made(track, kind, part):
        if one.id == proposal_id:
            return one
    raise NoSuchPart(f"there is no {proposal_id!r} among the {kind} of this track: it may have changed")


def proposal_wav(track: Track, kind: Kind, proposal_id: str, part: str = BASS_PART) -> bytes:
    """What a way makes of kick and bass, no louder than they are now, as a 32-bit float WAV; raises NoSuchPart.

    With the part that it ducks; of one that evens the line the bass alone, before carve and duck.
    """
    made = _one(track, kind, proposal_id, part).track
    if kind == "evening":
        rate = track.sheet.sample_rate
        now, evened = (render_stem(one, BASS.of("before")) for one in (track, made))
        return wav_float(no_louder(evened, now, sample_rate=rate), rate)
    return beside(track, made, (part,) if kind == "returns" and part not in (BASS_PART, KICK_ID) else ())


def take(store: Workspace, track_id: str, edition: int, kind: Kind, proposal_id: str, part: str = BASS_PART) -> State:
    """The track as one way makes it, as one step; raises Stale, or NoSuchPart where there is no such way."""
    one = _one(store.current(track_id, edition), kind, proposal_id, part)
    return store.edit(track_id, edition, one.track, label=one.label[:LONGEST_LABEL])

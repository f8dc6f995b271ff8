"""Ways to duck, each made, heard and taken: returns of a part, orders of work, reverb and delay before or after."""

from __future__ import annotations

from juglant.core.analysis.duck_aims import part_title
from juglant.core.analysis.part_duck import measure_part
from juglant.core.analysis.spaces import SpaceCost, space_costs
from juglant.core.errors import NoSuchPart
from juglant.core.memory import newest
from juglant.core.model.duck import BASS_PART
from juglant.core.model.kit import KICK_ID
from juglant.core.model.track import Track
from juglant.core.plans.orders import Order, OrderCost, orders
from juglant.core.plans.returns import ReturnCost, ReturnWay, return_ways
from juglant.services.separate import beside
from juglant.services.tracks import State, Workspace


@newest(6)
def _returns(track: Track, part: str) -> tuple[ReturnWay, ...]:
    return tuple(return_ways(track, part))


@newest(3)
def _orders(track: Track) -> tuple[Order, ...]:
    return tuple(orders(track))


def returns_of(track: Track, part: str) -> list[ReturnCost]:
    """Every way a part may come back (remembered)."""
    track_has(track, part)
    return [one.cost for one in _returns(track, part)]


def orders_of(track: Track) -> list[OrderCost]:
    """Every order of carve and duck (remembered)."""
    return [one.cost for one in _orders(track)]


@newest(6)
def spaces_of(track: Track, part: str) -> list[SpaceCost]:
    """A part's reverb and delay before and after its duck (pure, remembered)."""
    track_has(track, part)
    return space_costs(track, part, measure_part(track, part).strokes)


def track_has(track: Track, part: str) -> None:
    """Raises NoSuchPart where a track has no such part."""
    if part != BASS_PART:
        track.hit_of(part)


def _made(track: Track, part: str, way_id: str) -> tuple[str, Track]:
    """What a way is called, and the track with it; raises NoSuchPart."""
    ways: tuple[ReturnWay | Order, ...] = _returns(track, part)
    if part == BASS_PART and not any(one.cost.id == way_id for one in ways):
        ways = _orders(track)
    for one in ways:
        if one.cost.id == way_id:
            return one.cost.title, one.track
    raise NoSuchPart(f"there is no way {way_id!r} to duck this part")


def duck_way_wav(track: Track, part: str, way_id: str) -> bytes:
    """Kick, bass and the part as one way makes them, no louder than they are now, as a 32-bit float WAV."""
    track_has(track, part)
    return beside(track, _made(track, part, way_id)[1], () if part in (BASS_PART, KICK_ID) else (part,))


def take_duck_way(store: Workspace, track_id: str, edition: int, part: str, way_id: str) -> State:
    """Duck a part one way, as one step."""
    track = store.current(track_id, edition)
    track_has(track, part)
    title, made = _made(track, part, way_id)
    return store.edit(track_id, edition, made, label=f"{part_title(track, part)}: {title}"[:80])

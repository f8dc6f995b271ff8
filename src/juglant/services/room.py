"""Making room as a whole: the share of the carve, the order, and what is said of a plan."""

from __future__ import annotations

from dataclasses import replace

from juglant.core.errors import InvalidTrack
from juglant.core.memory import newest
from juglant.core.model.carve import Order
from juglant.core.model.track import Track
from juglant.core.plans.bare import kick_duck, unplanned
from juglant.core.plans.plan import nothing_to_plan, room_made
from juglant.core.plans.room_duck import with_share
from juglant.core.plans.share_curve import ShareCurve, share_curve
from juglant.services.tracks import State, Workspace


@newest(6)
def _curve(track: Track) -> ShareCurve | None:
    return share_curve(track)


def shares_of(track: Track) -> ShareCurve | None:
    """What every share of the carve would do (pure, remembered); None where there is nothing to share."""
    return _curve(_planned_from(track))


def _planned_from(track: Track) -> Track:
    """The track without what the curve does not depend on, so that one curve serves every share."""
    bare = unplanned(track)
    shares = {"share_pct": 50.0, "kick_share_pct": 100.0}
    return bare.model_copy(update={"carve": bare.carve.model_copy(update=shares)})


def take_share(store: Workspace, track_id: str, edition: int, share_pct: float) -> State:
    """Carve and duck planned for a share of the carve, as one step; what limits them is said."""
    track = store.current(track_id, edition)
    asked = with_share(track, share_pct)
    why = nothing_to_plan(asked)
    if why:
        raise InvalidTrack(f"there is nothing to share: {why}")
    return _made(store, track_id, edition, asked, f"Share of the carve {share_pct:.0f} %")


def choose_order(store: Workspace, track_id: str, edition: int, order: Order) -> State:
    """Carve first or duck first: what is planned already is planned anew in that order, as one step."""
    track = store.current(track_id, edition)
    asked = track.model_copy(update={"carve": track.carve.model_copy(update={"order": order})})
    label = order.capitalize()
    under = kick_duck(track)
    if not (track.carve.on or track.duck.on or (under is not None and under.on)) or nothing_to_plan(asked):
        return store.edit(track_id, edition, asked, label=label)
    return _made(store, track_id, edition, asked, label)


def _made(store: Workspace, track_id: str, edition: int, asked: Track, label: str) -> State:
    made = room_made(asked)
    done = store.edit(track_id, edition, made.track, label=label)
    return replace(done, said=(*done.said, *made.said))

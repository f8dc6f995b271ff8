"""Making room as a whole: what every share of the carve does, the share and the order taken."""

from __future__ import annotations

from fastapi import APIRouter
from pydantic import Field

from juglant.api.tracks import ERRORS, Number, OnEdition, Store, TrackId, TrackState, answer
from juglant.core.model.carve import Order
from juglant.core.plans.share_curve import ShareCurve
from juglant.services.room import choose_order, shares_of, take_share

router = APIRouter(prefix="/api/tracks/{track_id}", responses=ERRORS)


class ShareAsked(OnEdition):
    """How much of what the goal lacks the carve shall take, %."""

    share_pct: float = Field(ge=0, le=100, allow_inf_nan=False)


class OrderAsked(OnEdition):
    """Which is computed first."""

    order: Order


@router.get("/revisions/{number}/shares")
def get_shares(track_id: TrackId, number: Number, store: Store) -> ShareCurve | None:
    """What every share of the carve would do to clearance, balance, notes, loudness and duck; null: nothing to share."""
    return shares_of(store.track_at(track_id, number))


@router.post("/share")
def go_share(track_id: TrackId, body: ShareAsked, store: Store) -> TrackState:
    """Carve and duck planned for one share of the carve."""
    return answer(take_share(store, track_id, body.edition, body.share_pct))


@router.post("/order")
def go_order(track_id: TrackId, body: OrderAsked, store: Store) -> TrackState:
    """Carve first or duck first, with what is planned planned anew."""
    return answer(choose_order(store, track_id, body.edition, body.order))

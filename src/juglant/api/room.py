"""Making room as a whole: what every share of the carve does, the share and the order taken."""

from __future__ import annotations

from fastapi import APIRouter

from juglant.api.tracks import ERRORS, Number, Store, TrackId
from juglant.core.plans.share_curve import ShareCurve
from juglant.services.room import shares_of

router = APIRouter(prefix="/api/tracks/{track_id}", responses=ERRORS)


@router.get("/revisions/{number}/shares")
def get_shares(track_id: TrackId, number: Number, store: Store) -> ShareCurve | None:
    """What every share of the carve would do to clearance, balance, notes, loudness and duck; null: nothing to share."""
    return shares_of(store.track_at(track_id, number))

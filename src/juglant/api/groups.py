"""What the buses of groups do."""

from __future__ import annotations

from fastapi import APIRouter

from juglant.api.tracks import ERRORS, Number, PartId, Store, TrackId
from juglant.core.analysis.groups import GroupFigures, group_figures

router = APIRouter(prefix="/api/tracks/{track_id}/revisions/{number}/groups", responses=ERRORS)


@router.get("/{group_id}")
def get_group(track_id: TrackId, number: Number, group_id: PartId, store: Store) -> GroupFigures:
    """What a bus does to its sum and to each part on it: loudness, peak, what it takes off and who causes it."""
    return group_figures(store.track_at(track_id, number), group_id)

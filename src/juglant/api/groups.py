"""What the buses of groups do, and what shared spaces cost."""

from __future__ import annotations

from fastapi import APIRouter

from juglant.api.tracks import ERRORS, Number, PartId, Store, TrackId
from juglant.core.analysis.groups import GroupFigures, group_figures
from juglant.core.analysis.shared_spaces import SpaceFigures, space_figures

router = APIRouter(prefix="/api/tracks/{track_id}/revisions/{number}", responses=ERRORS)


@router.get("/groups/{group_id}")
def get_group(track_id: TrackId, number: Number, group_id: PartId, store: Store) -> GroupFigures:
    """What a bus does to its sum and to each part on it: loudness, peak, what it takes off and who causes it."""
    return group_figures(store.track_at(track_id, number), group_id)


@router.get("/shared-spaces/{space_id}")
def get_space(track_id: TrackId, number: Number, space_id: PartId, store: Store) -> SpaceFigures:
    """What a shared space costs: in the low end, in the kick's clearance, in mono."""
    return space_figures(store.track_at(track_id, number), space_id)

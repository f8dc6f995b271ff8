"""What each processor of a part's whole changed."""

from __future__ import annotations

from fastapi import APIRouter
from pydantic import BaseModel, ConfigDict

from juglant.api.hits import HitId
from juglant.api.tracks import ERRORS, Number, Store, TrackId
from juglant.core.analysis.chain_changes import bass_changes, hit_changes
from juglant.core.hit.stages import StageChange
from juglant.core.model.ids import BASS_PART

router = APIRouter(prefix="/api/tracks/{track_id}/revisions/{number}/chains", responses=ERRORS)


class ChainView(BaseModel):
    """Changes in the order of the chain."""

    model_config = ConfigDict(frozen=True)
    changes: tuple[StageChange, ...]


@router.get("/{part}")
def get_chain(track_id: TrackId, number: Number, part: HitId, store: Store) -> ChainView:
    """What each processor of the bass's line, or of a hit's bus, changed."""
    track = store.track_at(track_id, number)
    return ChainView(changes=bass_changes(track) if part == BASS_PART else hit_changes(track, part).bus)

"""The Duck step: every ducked part, compressors that come close, ways back, orders of work."""

from __future__ import annotations

from fastapi import APIRouter, Response

from juglant.api.hits import HitId, as_json
from juglant.api.tracks import ERRORS, Number, Store, TrackId
from juglant.core.analysis.spaces import SpaceCost
from juglant.services.duck_print import settings_of
from juglant.services.ducks import CompressorRow, DuckSheet, compressors_of, ducks_of, spaces_of

router = APIRouter(prefix="/api/tracks/{track_id}", responses=ERRORS)


@router.get("/revisions/{number}/ducks", response_model=DuckSheet)
def get_ducks(track_id: TrackId, number: Number, store: Store) -> Response:
    """Every part that is ducked: curve, clearance, guards; the bass by the audible key and by the silent one."""
    return as_json(ducks_of(store.track_at(track_id, number)).model_dump_json())


@router.get("/revisions/{number}/ducks/settings.txt", response_class=Response)
def get_settings(track_id: TrackId, number: Number, store: Store) -> Response:
    """Every duck as numbers to type in, in plain text for print."""
    return Response(settings_of(store.track_at(track_id, number)), media_type="text/plain; charset=utf-8")


@router.get("/revisions/{number}/ducks/{part}/compressor")
def get_compressor(track_id: TrackId, number: Number, part: HitId, store: Store) -> list[CompressorRow]:
    """Settings of a keyed compressor that come closest to a part's curve, with what stays off."""
    return list(compressors_of(store.track_at(track_id, number), part))


@router.get("/revisions/{number}/ducks/{part}/spaces")
def get_spaces(track_id: TrackId, number: Number, part: HitId, store: Store) -> list[SpaceCost]:
    """A part's reverb and delay before and after its duck: tails, and what sounds under the key."""
    return spaces_of(store.track_at(track_id, number), part)

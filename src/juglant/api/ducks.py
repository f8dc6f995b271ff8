"""The Duck step: every ducked part, compressors that come close, ways back, orders of work."""

from __future__ import annotations

from fastapi import APIRouter, Response
from pydantic import Field

from juglant.api.hits import HitId, as_json
from juglant.api.separate import FOREVER, WAV, WayId
from juglant.api.tracks import ERRORS, Number, OnEdition, Store, TrackId, TrackState, answer
from juglant.core.analysis.spaces import SpaceCost
from juglant.core.plans.orders import OrderCost
from juglant.core.plans.returns import ReturnCost
from juglant.services.duck_print import settings_of
from juglant.services.duck_ways import duck_way_wav, orders_of, returns_of, spaces_of, take_duck_way
from juglant.services.ducks import CompressorRow, DuckSheet, compressors_of, ducks_of

router = APIRouter(prefix="/api/tracks/{track_id}", responses=ERRORS)


class DuckWayAsked(OnEdition):
    """Which part is ducked which way."""

    part: str = Field(max_length=40)
    way_id: str = Field(max_length=40)


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


@router.get("/revisions/{number}/ducks/{part}/returns")
def get_returns(track_id: TrackId, number: Number, part: HitId, store: Store) -> list[ReturnCost]:
    """Ways a part may come back, each made, rendered and measured."""
    return returns_of(store.track_at(track_id, number), part)


@router.get("/revisions/{number}/ducks/{part}/spaces")
def get_spaces(track_id: TrackId, number: Number, part: HitId, store: Store) -> list[SpaceCost]:
    """A part's reverb and delay before and after its duck: tails, and what sounds under the key."""
    return spaces_of(store.track_at(track_id, number), part)


@router.get("/revisions/{number}/duck-orders")
def get_orders(track_id: TrackId, number: Number, store: Store) -> list[OrderCost]:
    """Carve first or duck first: what each order needs, planned, rendered and measured."""
    return orders_of(store.track_at(track_id, number))


@router.get("/revisions/{number}/ducks/{part}/ways/{way_id}/loop.wav", response_class=Response, responses=WAV)
def duck_way_sound(track_id: TrackId, number: Number, part: HitId, way_id: WayId, store: Store) -> Response:
    """Kick, bass and a part ducked one way, no louder than now, as a 32-bit float WAV."""
    audio = duck_way_wav(store.track_at(track_id, number), part, way_id)
    return Response(audio, media_type="audio/wav", headers=FOREVER)


@router.post("/duck-way")
def go_duck_way(track_id: TrackId, body: DuckWayAsked, store: Store) -> TrackState:
    """Duck a part one way, as one step."""
    return answer(take_duck_way(store, track_id, body.edition, body.part, body.way_id))

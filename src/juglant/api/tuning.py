"""Tuning: every hit on the ladder of the key, heard and moved."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Query, Response
from pydantic import Field

from juglant.api.hits import HitId, as_json
from juglant.api.tracks import ERRORS, Number, OnEdition, Store, TrackId, TrackState, answer
from juglant.core.model.kit import MOST_HITS
from juglant.core.pictures.ladder import Ladder
from juglant.core.tune.retune import Way
from juglant.services.tuning import TuneMove, ladder_of, retuned_wav, tune, tune_all

router = APIRouter(prefix="/api/tracks/{track_id}", responses=ERRORS)
Hz = Annotated[float, Query(ge=16, le=4000, allow_inf_nan=False)]


class Tune(OnEdition):
    """Hits and where they should land."""

    moves: list[TuneMove] = Field(min_length=1, max_length=MOST_HITS + 1)


@router.get("/revisions/{number}/ladder", response_model=Ladder)
def get_ladder(track_id: TrackId, number: Number, store: Store) -> Response:
    """Every hit of a revision, measured, on the rungs of the key, with its targets."""
    return as_json(ladder_of(store.track_at(track_id, number)).model_dump_json())


@router.get(
    "/revisions/{number}/hits/{hit_id}/retuned.wav",
    response_class=Response,
    responses={200: {"content": {"audio/wav": {}}}},
)
def retuned_sound(
    track_id: TrackId, number: Number, hit_id: HitId, store: Store, frequency_hz: Hz, way: Way = "as set"
) -> Response:
    """A hit as it would sound on another note, no louder than now, as a 32-bit float WAV."""
    move = TuneMove(hit_id=hit_id, frequency_hz=frequency_hz, way=way)
    headers = {"Cache-Control": "private, max-age=31536000, immutable"}
    return Response(retuned_wav(store.track_at(track_id, number), move), media_type="audio/wav", headers=headers)


@router.post("/tune")
def tune_hits(track_id: TrackId, body: Tune, store: Store) -> TrackState:
    """Move hits to where they should land, all as one step."""
    return answer(tune(store, track_id, body.edition, body.moves))


@router.post("/tune-all")
def tune_kit(track_id: TrackId, body: OnEdition, store: Store) -> TrackState:
    """Bring every pitched hit to its nearest note of the key, as one step."""
    return answer(tune_all(store, track_id, body.edition))

"""Separate: who owns the sub, how the parts add up, what they cost."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Query, Response
from pydantic import Field

from juglant.api.hits import as_json
from juglant.api.proposals import FOREVER, WAV
from juglant.api.tracks import ERRORS, Number, PartId, Request_, Store, TrackId
from juglant.core.analysis.low_group import LowGroupFigures, low_group_figures
from juglant.core.analysis.pairs import PairFigures, checked, pair_figures
from juglant.core.measure.bands import LOW_CENTRES_HZ
from juglant.core.model.sheet import MOST_BEATS
from juglant.core.pictures.pair_map import PairMap, draw_pair
from juglant.core.pictures.room import ClashLayers
from juglant.core.reports.swap_check import REPLANNED, Replanned, Swap, SwapCheck
from juglant.services.pairs import pair_wav
from juglant.services.separate import (
    SeparateSheet,
    band_wav,
    layers_of,
    sheet_of,
    swap_of,
    swap_wav,
)

router = APIRouter(prefix="/api/tracks/{track_id}", responses=ERRORS)
ZoneAsked = Annotated[str | None, Query(max_length=20)]
Row = Annotated[int, Query(ge=0, lt=len(LOW_CENTRES_HZ))]
Beat = Annotated[float, Query(ge=-4, le=MOST_BEATS + 16, allow_inf_nan=False)]
LONGEST_BEATS = 8


class SwapHeard(Request_):
    """What is swapped, and what is planned anew for it."""

    swap: Swap
    parts: list[Replanned] = Field(max_length=len(REPLANNED))


@router.get("/revisions/{number}/separate", response_model=SeparateSheet)
def get_separate(track_id: TrackId, number: Number, store: Store) -> Response:
    """How kick and bass add up, what they take of the headroom, and to which owner the sounds lean."""
    return as_json(sheet_of(store.track_at(track_id, number)).model_dump_json())


@router.get("/revisions/{number}/clash", response_model=ClashLayers)
def get_clash(track_id: TrackId, number: Number, store: Store) -> Response:
    """Levels of kick and bass by band and 20 ms frame, before and as heard."""
    return as_json(layers_of(store.track_at(track_id, number)).model_dump_json())


@router.get("/revisions/{number}/band.wav", response_class=Response, responses=WAV)
def band_sound(
    track_id: TrackId, number: Number, store: Store, row: Row, from_beats: Beat, to_beats: Beat, before: bool = False
) -> Response:
    """One third-octave band of kick and bass for a moment, as a 32-bit float WAV."""
    last = min(to_beats, from_beats + LONGEST_BEATS)
    audio = band_wav(store.track_at(track_id, number), row, from_beats, last, before=before)
    return Response(audio, media_type="audio/wav", headers=FOREVER)


@router.post("/revisions/{number}/swap-check")
def check(track_id: TrackId, number: Number, swap: Swap, store: Store) -> SwapCheck:
    """What another kick, key or tempo would break, and what planning anew would mend; nothing is stored."""
    return swap_of(store.track_at(track_id, number), swap)


@router.post("/revisions/{number}/swap.wav", response_class=Response, responses=WAV)
def swap_sound(track_id: TrackId, number: Number, body: SwapHeard, store: Store) -> Response:
    """Kick and bass with a swap, planned anew as asked, no louder than now, as a 32-bit float WAV; nothing is stored."""
    audio = swap_wav(store.track_at(track_id, number), body.swap, body.parts)
    return Response(audio, media_type="audio/wav", headers={"Cache-Control": "no-store"})


@router.get("/revisions/{number}/low-group")
def get_low_group(track_id: TrackId, number: Number, store: Store) -> LowGroupFigures:
    """The low group: every zone and every two of it, and the sum of all."""
    return low_group_figures(store.track_at(track_id, number))


@router.get("/revisions/{number}/pairs/{owner}/{yielder}", response_model=PairFigures)
def get_pair(track_id: TrackId, number: Number, owner: PartId, yielder: PartId, store: Store) -> PairFigures:
    """Two parts zone by zone: who is over whom while the first sounds, and the least cut on the second that makes room."""
    return pair_figures(store.track_at(track_id, number), owner, yielder)


@router.get("/revisions/{number}/pairs/{owner}/{yielder}/map")
def get_pair_map(track_id: TrackId, number: Number, owner: PartId, yielder: PartId, store: Store) -> PairMap:
    """The first part over the second by third octave and time, in the bands where both are there."""
    return draw_pair(store.track_at(track_id, number), owner, yielder)


@router.get("/revisions/{number}/pairs/{owner}/{yielder}/loop.wav", response_class=Response, responses=WAV)
def pair_sound(
    track_id: TrackId, number: Number, owner: PartId, yielder: PartId, store: Store, zone: ZoneAsked = None
) -> Response:
    """The two together as they are, or with the cut of a zone, no louder than now, as a 32-bit float WAV."""
    track = store.track_at(track_id, number)
    checked(track, owner, yielder)
    return Response(pair_wav(track, owner, yielder, zone), media_type="audio/wav", headers=FOREVER)

"""Recorded drum parts worked over with a track's hits, prints of what a track plays, several recordings as one hit."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Query, Response

from juglant.api.takes import SOUND, Bpm, Rate, TakePath
from juglant.api.tracks import ERRORS, Store, TrackId
from juglant.core.measure.drum_part import Which
from juglant.services.alternates import InTurn, Recordings, in_turn_of
from juglant.services.prints import PrintedTake, print_take
from juglant.services.rework import (
    Rework,
    Reworked,
    ReworkedTake,
    Strokes,
    reworked,
    reworked_midi,
    reworked_take,
    reworked_wav,
    strokes_of,
)
from juglant.services.takes import LoadedTake, Shelf

router = APIRouter(prefix="/api", responses=ERRORS)
MIDI: dict[int | str, dict[str, object]] = {200: {"content": {"audio/midi": {}}}}


@router.get("/takes/{take}/strokes")
def get_strokes(take: TakePath, store: Store, row: Annotated[Which, Query()] = "all", hint_bpm: Bpm = None) -> Strokes:
    """A sound as a drum part: every stroke, the row it is of, how strong, long and even they are."""
    return strokes_of(Shelf(store.path), take, row, hint_bpm)


@router.post("/tracks/{track_id}/takes/{take}/reworked")
def see_reworked(track_id: TrackId, take: TakePath, body: Rework, store: Store) -> Reworked:
    """A drum part worked over, with what else that changes; nothing is kept."""
    return reworked(Shelf(store.path), store.state(track_id).track, take, body)


@router.post("/tracks/{track_id}/takes/{take}/reworked.wav", response_class=Response, responses=SOUND)
def hear_reworked(track_id: TrackId, take: TakePath, body: Rework, sample_rate: Rate, store: Store) -> Response:
    """The same to be heard, as a 32-bit float WAV; nothing is kept."""
    made = reworked_wav(Shelf(store.path), store.state(track_id).track, take, body, sample_rate)
    return Response(made, media_type="audio/wav")


@router.post("/tracks/{track_id}/takes/{take}/reworked.mid", response_class=Response, responses=MIDI)
def reworked_as_midi(track_id: TrackId, take: TakePath, body: Rework, store: Store) -> Response:
    """The strokes of its row as a MIDI file, where they are then and as strong."""
    made = reworked_midi(Shelf(store.path), store.state(track_id).track, take, body)
    return Response(made, media_type="audio/midi")


@router.post("/tracks/{track_id}/takes/{take}/rework", status_code=201)
def keep_reworked(track_id: TrackId, take: TakePath, body: ReworkedTake, store: Store) -> LoadedTake:
    """A drum part worked over as a sound of its own; refused where nothing is done to it."""
    return reworked_take(Shelf(store.path), store.state(track_id).track, take, body)


@router.post("/tracks/{track_id}/prints", status_code=201)
def make_print(track_id: TrackId, body: PrintedTake, store: Store) -> LoadedTake:
    """A hit, a layer, a part's line or everything, as it is heard, as a sound that remembers what it was made from."""
    return print_take(Shelf(store.path), store.state(track_id).track, track_id, body)


@router.post("/alternates")
def see_alternates(body: Recordings, store: Store) -> InTurn:
    """Several recordings of one thing as one hit: grouped by strength, aligned, evened, played in turn; nothing is kept."""
    return in_turn_of(Shelf(store.path), body)

"""Lines of any part: what its notes are played at, as measured, and single notes of it."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Query, Request, Response

from juglant.api.tracks import ERRORS, Number, PartId, Store, TrackId, kept_wav
from juglant.core.model.strokes import HIGHEST_NOTE, LOWEST_NOTE
from juglant.core.tune.part_lines import PartLine, line_of_part
from juglant.services.lines import note_key, note_wav

router = APIRouter(prefix="/api/tracks/{track_id}/revisions/{number}/lines", responses=ERRORS)


@router.get("/{part}")
def get_line(track_id: TrackId, number: Number, part: PartId, store: Store) -> PartLine:
    """The pitch a hit's sound is at, whose line it plays, and how far each of its notes is from where it should be."""
    return line_of_part(store.track_at(track_id, number), part)


@router.get(
    "/{part}/note.wav",
    response_class=Response,
    responses={200: {"content": {"audio/wav": {}}}, 304: {"description": "The caller has it already."}},
)
def get_note(
    track_id: TrackId,
    number: Number,
    part: PartId,
    request: Request,
    store: Store,
    note: Annotated[int, Query(ge=LOWEST_NOTE, le=HIGHEST_NOTE)],
    velocity: Annotated[int, Query(ge=1, le=127)] = 127,
) -> Response:
    """One note of a part, at its level in the loop, as a 32-bit float WAV."""
    track = store.track_at(track_id, number)
    return kept_wav(request, note_key(track, part, note, velocity), lambda: note_wav(track, part, note, velocity))

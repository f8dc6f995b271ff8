"""Tuning: every hit on the ladder of the key, heard and moved."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Path, Query, Response
from pydantic import BaseModel

from juglant.api.hits import HitId, as_json
from juglant.api.tracks import ERRORS, Number, Store, TrackId
from juglant.core.commands.hits import HIGHEST_HZ, LOWEST_HZ, TuneMove
from juglant.core.hit.transpose import Way
from juglant.core.model.sheet import MOST_BEATS
from juglant.core.pictures.ladder import Ladder
from juglant.core.pictures.line import Line
from juglant.core.tune.cure import Cure, cures_of
from juglant.services.tuning import ladder_of, line_of, moment_wav, retuned_wav

router = APIRouter(prefix="/api/tracks/{track_id}", responses=ERRORS)
Beat = Annotated[float, Query(ge=-4, le=MOST_BEATS + 16, allow_inf_nan=False)]
LONGEST_BEATS = 16
Note = Annotated[int, Path(ge=0, le=127)]
NoteAsked = Annotated[int, Query(ge=0, le=127)]
CureId = Annotated[str | None, Query(max_length=40)]
Hz = Annotated[float, Query(ge=LOWEST_HZ, le=HIGHEST_HZ, allow_inf_nan=False)]


class CureView(BaseModel):
    """One cure: beats heard against the note and against the worst of the line, with it done."""

    id: str
    title: str
    cost: str
    beats: float
    worst_beats: float

    @classmethod
    def of(cls, one: Cure) -> CureView:
        """From what the core measured."""
        return cls(
            id=one.id, title=one.title, cost=one.cost, beats=round(one.beats, 3), worst_beats=round(one.worst_beats, 3)
        )


@router.get("/revisions/{number}/ladder", response_model=Ladder)
def get_ladder(track_id: TrackId, number: Number, store: Store) -> Response:
    """Every hit of a revision, measured, on the rungs of the key, with its targets."""
    return as_json(ladder_of(store.track_at(track_id, number)).model_dump_json())


@router.get("/revisions/{number}/line", response_model=Line)
def get_line(track_id: TrackId, number: Number, store: Store) -> Response:
    """The note map of the bass line, and the kick against each of its notes."""
    return as_json(line_of(store.track_at(track_id, number)).model_dump_json())


@router.get("/revisions/{number}/line/{note}/cures")
def get_cures(track_id: TrackId, number: Number, note: Note, store: Store) -> list[CureView]:
    """What could be done about the kick against one note of the line, each measured, the best first."""
    return [CureView.of(one) for one in cures_of(store.track_at(track_id, number), note)]


@router.get(
    "/revisions/{number}/moment.wav",
    response_class=Response,
    responses={200: {"content": {"audio/wav": {}}}},
)
def moment_sound(
    track_id: TrackId,
    number: Number,
    store: Store,
    from_beats: Beat,
    to_beats: Beat,
    note: NoteAsked = 0,
    cure_id: CureId = None,
) -> Response:
    """Kick and bass as heard between two places of the loop, with a note's cure or without, as a 32-bit float WAV."""
    headers = {"Cache-Control": "private, max-age=31536000, immutable"}
    audio = moment_wav(
        store.track_at(track_id, number), from_beats, min(to_beats, from_beats + LONGEST_BEATS), note, cure_id
    )
    return Response(audio, media_type="audio/wav", headers=headers)


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

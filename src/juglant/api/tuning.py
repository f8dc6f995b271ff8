"""Tuning: every hit on the ladder of the key, heard and moved."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Path, Query, Response
from pydantic import BaseModel, Field

from juglant.api.hits import HitId, as_json
from juglant.api.tracks import ERRORS, Number, OnEdition, Store, TrackId, TrackState, answer
from juglant.core.hit.transpose import Way
from juglant.core.model.kit import MOST_HITS, MOST_STEMS
from juglant.core.model.sheet import MOST_BEATS
from juglant.core.pictures.ladder import Ladder
from juglant.core.pictures.line import Line
from juglant.core.tune.cure import Cure, Evening
from juglant.core.tune.length import LONGEST_MS, SHORTEST_MS
from juglant.core.tune.targets import School
from juglant.services.tuning import (
    HIGHEST_HZ,
    LOWEST_HZ,
    TuneMove,
    apply_cure,
    cures_of,
    even_line,
    follow_school,
    ladder_of,
    line_of,
    make_long,
    moment_wav,
    retuned_wav,
    shorten_kick,
    tune,
    tune_all,
)

router = APIRouter(prefix="/api/tracks/{track_id}", responses=ERRORS)
Beat = Annotated[float, Query(ge=-4, le=MOST_BEATS + 16, allow_inf_nan=False)]
LONGEST_BEATS = 16
Note = Annotated[int, Path(ge=0, le=127)]
NoteAsked = Annotated[int, Query(ge=0, le=127)]
CureId = Annotated[str | None, Query(max_length=40)]
Hz = Annotated[float, Query(ge=LOWEST_HZ, le=HIGHEST_HZ, allow_inf_nan=False)]


class Tune(OnEdition):
    """Hits and where they should land."""

    moves: list[TuneMove] = Field(min_length=1, max_length=MOST_HITS + MOST_STEMS + 1)


class CureAsked(OnEdition):
    """A note of the line and which of its cures to apply."""

    note: int = Field(ge=0, le=127)
    cure_id: str = Field(max_length=40)


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


class SchoolAsked(OnEdition):
    """A hit and the school it shall follow."""

    hit_id: str = Field(max_length=40)
    school: School
    way: Way = "as set"


class Length(OnEdition):
    """A hit and how long it shall be heard, to -24 dB."""

    hit_id: str = Field(max_length=40)
    length_ms: float = Field(ge=SHORTEST_MS, le=LONGEST_MS, allow_inf_nan=False)


class Even(OnEdition):
    """By which weighting the notes of the line shall be as loud as each other."""

    way: Evening


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


@router.post("/cure")
def cure(track_id: TrackId, body: CureAsked, store: Store) -> TrackState:
    """Apply one cure of the kick against a note of the line."""
    return answer(apply_cure(store, track_id, body.edition, body.note, body.cure_id))


@router.post("/school")
def school(track_id: TrackId, body: SchoolAsked, store: Store) -> TrackState:
    """Make a hit as one school of tuning asks: on the tonic, on the fifth, following the chords, short and unpitched."""
    return answer(follow_school(store, track_id, body.edition, body.hit_id, body.school, body.way))


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


@router.post("/tune")
def tune_hits(track_id: TrackId, body: Tune, store: Store) -> TrackState:
    """Move hits to where they should land, all as one step."""
    return answer(tune(store, track_id, body.edition, body.moves))


@router.post("/tune-all")
def tune_kit(track_id: TrackId, body: OnEdition, store: Store) -> TrackState:
    """Bring every pitched hit to its nearest note of the key, as one step."""
    return answer(tune_all(store, track_id, body.edition))


@router.post("/shorten-kick")
def shorten(track_id: TrackId, body: OnEdition, store: Store) -> TrackState:
    """Make the kick so short that no note of the line swells against it."""
    return answer(shorten_kick(store, track_id, body.edition))


@router.post("/length")
def length(track_id: TrackId, body: Length, store: Store) -> TrackState:
    """Make a hit as long as asked by its holds, decays and recordings; the length is measured, not computed."""
    return answer(make_long(store, track_id, body.edition, body.hit_id, body.length_ms))


@router.post("/even-line")
def even(track_id: TrackId, body: Even, store: Store) -> TrackState:
    """Set the level of every note of the line so that all are as loud."""
    return answer(even_line(store, track_id, body.edition, body.way))

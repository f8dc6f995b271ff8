"""Recorded sounds: load a file, list what is there."""

from __future__ import annotations

from typing import Annotated, get_args

from fastapi import APIRouter, Body, Path, Query, Response
from pydantic import BaseModel, Field

from juglant.api.tracks import ERRORS, Number, Request_, Store, TrackId
from juglant.core.loop.kick_loop import ReadStroke, read_loop
from juglant.core.measure.carries import MOST_DOWN_DB, Carried
from juglant.core.model.ids import Role
from juglant.core.model.references import consistent
from juglant.core.model.sheet import SampleRate, Sheet
from juglant.core.model.track import Track
from juglant.core.music.scales import Tonic
from juglant.core.music.tempo import MOST_BARS
from juglant.core.parameter.fields import limits_of
from juglant.core.pictures.strip import rounded
from juglant.core.synth.take import LATEST_MS, LONGEST_MS
from juglant.core.synth.takes import ID_PATTERN
from juglant.core.tune.key import Mode
from juglant.formats.takes import Channels
from juglant.services.carries import (
    LEAST_GATE_DB,
    MOST_GATE_DB,
    Cleaned,
    Cleaning,
    Heard,
    carried_by,
    clean_take,
    cleaned_wav,
)
from juglant.services.impacts import MOST_CUTS, Cut, Impacts, cut_takes, impacts_of
from juglant.services.key import FileKey, heard_in_key, key_of_file
from juglant.services.loops import (
    LoopTake,
    heard_in_place,
)
from juglant.services.patterns import PatternView, pattern_of
from juglant.services.prints import listed
from juglant.services.recut import Recut, RecutTake, Wave, recut_take, recut_wav, wave_of
from juglant.services.takes import HEARD_S, Label, ListedTake, LoadedTake, MadeOf, Shelf, take_wav

router = APIRouter(prefix="/api", responses=ERRORS)
LONGEST_FILE_S = 86400
RATES, A4 = get_args(SampleRate), limits_of(Sheet, "a4_hz")
assert A4 is not None  # noqa: S101 - the sheet's concert pitch is a ruler
Rate = Annotated[int, Query(ge=min(RATES), le=max(RATES))]
A4Hz = Annotated[float, Query(ge=A4.low, le=A4.high, allow_inf_nan=False)]


@router.post("/takes", status_code=201)
def load_take(
    store: Store,
    name: Annotated[str, Query(min_length=1, max_length=300)],
    data: Annotated[bytes, Body(media_type="application/octet-stream")] = b"",
    from_s: Annotated[float | None, Query(ge=0, le=LONGEST_FILE_S, allow_inf_nan=False)] = None,
    channels: Channels = "as they are",
    recorded: Annotated[str | None, Query(max_length=120)] = None,
) -> LoadedTake:
    """Keep a sound file as a take and measure it; one that is too long or has too many channels is asked about.

    recorded: where it comes from the recorder, how.
    """
    made_of = None if recorded is None else MadeOf(way="recorded", said=recorded)
    return Shelf(store.path).load(name, data, from_s=from_s, channels=channels, made_of=made_of)


@router.get("/takes")
def list_takes(store: Store) -> list[ListedTake]:
    """Every take, the newest first, with its tags and what is made of it."""
    return listed(store)


TakePath = Annotated[str, Path(pattern=ID_PATTERN)]


@router.post("/takes/{take}/label")
def label_take(take: TakePath, body: Label, store: Store) -> None:
    """Call a sound by another name and tag it; tracks that are made of it keep the names they use."""
    Shelf(store.path).label(take, body)


class Cuts(Request_):
    """What is to be cut."""

    cuts: tuple[Cut, ...] = Field(min_length=1, max_length=MOST_CUTS)


SOUND: dict[int | str, dict[str, object]] = {200: {"content": {"audio/wav": {}}}}


@router.get("/takes/{take}/sound.wav", response_class=Response, responses=SOUND)
def hear_take(
    take: Annotated[str, Path(pattern=ID_PATTERN)],
    sample_rate: Rate,
    store: Store,
    begin_ms: Annotated[float, Query(ge=0, le=LONGEST_MS, allow_inf_nan=False)] = 0,
    length_ms: Annotated[float, Query(ge=1, le=LONGEST_MS, allow_inf_nan=False)] = 1000 * HEARD_S,
) -> Response:
    """A sound as it is from a place on, its first seconds or so much of it, as a 32-bit float WAV."""
    return Response(take_wav(Shelf(store.path), take, begin_ms, length_ms, sample_rate), media_type="audio/wav")


@router.get("/takes/{take}/impacts")
def get_impacts(take: TakePath, store: Store, role: Role = "kick") -> Impacts:
    """Impacts of a sound, measured, the best for a role first."""
    return impacts_of(Shelf(store.path), take, role)


Bpm = Annotated[float | None, Query(ge=20, le=400, allow_inf_nan=False)]


@router.get("/takes/{take}/pattern")
def get_pattern(take: TakePath, store: Store, hint_bpm: Bpm = None, bpm: Bpm = None) -> PatternView:
    """Tempo, bar 1 and strokes of a reference loop, each with how sure it is; bpm: the tempo, where it is known."""
    return pattern_of(Shelf(store.path), take, hint_bpm, bpm)


@router.get("/takes/{take}/carried")
def get_carried(take: TakePath, store: Store) -> Carried:
    """What a sound carries besides its impacts: hum, hiss, an offset, read where it rests."""
    return carried_by(Shelf(store.path), take)


@router.get("/takes/{take}/cleaned.wav", response_class=Response, responses=SOUND)
def hear_cleaned(
    take: TakePath,
    sample_rate: Rate,
    store: Store,
    hum: bool = False,
    hiss_down_db: Annotated[float, Query(ge=0, le=MOST_DOWN_DB, allow_inf_nan=False)] = 0,
    offset: bool = False,
    gate_db: Annotated[float | None, Query(ge=LEAST_GATE_DB, le=MOST_GATE_DB, allow_inf_nan=False)] = None,
    heard: Heard = "left",
) -> Response:
    """What is left of a sound without these, or what is taken from it, as a 32-bit float WAV."""
    how = Cleaning(hum=hum, hiss_down_db=hiss_down_db, offset=offset, gate_db=gate_db)
    return Response(cleaned_wav(Shelf(store.path), take, how, heard, sample_rate), media_type="audio/wav")


@router.post("/takes/{take}/cleaned", status_code=201)
def clean(take: TakePath, body: Cleaned, store: Store) -> LoadedTake:
    """A sound without its hum, hiss or offset as a sound of its own; refused where there is nothing to take out."""
    return clean_take(Shelf(store.path), take, body)


@router.post("/takes/{take}/cuts", status_code=201)
def cut(take: TakePath, body: Cuts, store: Store) -> list[LoadedTake]:
    """Stretches of a sound as sounds of their own; all of them, or none."""
    return cut_takes(Shelf(store.path), take, body.cuts)


@router.get("/takes/{take}/wave")
def get_wave(
    take: TakePath,
    store: Store,
    from_s: Annotated[float, Query(ge=0, le=LONGEST_FILE_S, allow_inf_nan=False)] = 0,
    to_s: Annotated[float, Query(ge=0, le=LONGEST_FILE_S, allow_inf_nan=False)] = LONGEST_FILE_S,
) -> Wave:
    """The waveform of a sound between two moments."""
    return wave_of(Shelf(store.path), take, from_s, to_s)


@router.post("/takes/{take}/recut.wav", response_class=Response, responses=SOUND)
def hear_recut(take: TakePath, body: Recut, sample_rate: Rate, store: Store) -> Response:
    """A sound cut as asked, as a 32-bit float WAV; nothing is kept."""
    return Response(recut_wav(Shelf(store.path), take, body, sample_rate), media_type="audio/wav")


@router.post("/takes/{take}/recut", status_code=201)
def keep_recut(take: TakePath, body: RecutTake, store: Store) -> LoadedTake:
    """A sound cut as asked, as a sound of its own; the sound itself stays as it is."""
    return recut_take(Shelf(store.path), take, body)


class LoopInPlace(BaseModel):
    """A take that the kick is to come from."""

    take: str = Field(pattern=ID_PATTERN)
    begin_ms: float = Field(default=0, ge=0, le=LATEST_MS)
    fit_bars: int | None = Field(default=None, ge=0, le=MOST_BARS)


class InPlace(BaseModel):
    """A track as it would be, and the loop its kick would come from."""

    track: Track
    kick_loop: LoopInPlace | None = None


@router.post("/tracks/{track_id}/in-place.wav", response_class=Response, responses=SOUND)
def hear_in_place(track_id: TrackId, body: InPlace, store: Store) -> Response:
    """The loop with a sound in its place, no louder than it is now, as a 32-bit float WAV; nothing is stored."""
    loop = None if body.kick_loop is None else LoopTake(**body.kick_loop.model_dump())
    made = consistent(body.track, store.state(track_id).track)
    return Response(heard_in_place(store.state(track_id).track, made, loop), media_type="audio/wav")


class LoopView(BaseModel):
    """A kick loop's waveform and what was read in it."""

    length_beats: float
    low: list[float]
    high: list[float]
    strokes: list[ReadStroke]


@router.get("/tracks/{track_id}/revisions/{number}/kick-loop")
def get_kick_loop(track_id: TrackId, number: Number, store: Store) -> LoopView | None:
    """Waveform of the kick's loop and every place that may be a kick, each with how sure that is; null without a loop."""
    read = read_loop(store.track_at(track_id, number))
    if read is None:
        return None
    return LoopView(
        length_beats=read.length_beats,
        low=list(rounded(read.low, 3)),
        high=list(rounded(read.high, 3)),
        strokes=list(read.strokes),
    )


@router.post("/key")
def find_key(a4_hz: A4Hz, data: Annotated[bytes, Body(media_type="application/octet-stream")] = b"") -> FileKey:
    """The keys a sound file or a MIDI file may be in; nothing is stored or changed."""
    return key_of_file(data, a4_hz=a4_hz)


@router.post("/key/heard", response_class=Response, responses={200: {"content": {"audio/wav": {}}}})
def hear_key(
    tonic: Tonic,
    scale: Mode,
    sample_rate: Rate,
    a4_hz: A4Hz,
    data: Annotated[bytes, Body(media_type="application/octet-stream")] = b"",
) -> Response:
    """A loop with the tonic triad of a key under it, as a 32-bit float WAV; nothing is stored."""
    audio = heard_in_key(data, tonic, scale, a4_hz=a4_hz, sample_rate=sample_rate)
    return Response(audio, media_type="audio/wav")

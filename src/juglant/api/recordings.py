"""Long recordings: begun and appended to, or loaded, drawn, heard, searched for impacts, cut into takes."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Body, Path, Query, Request, Response
from starlette.concurrency import run_in_threadpool

from juglant.api.takes import LONGEST_FILE_S, SOUND, Cuts, Rate
from juglant.api.tracks import ERRORS, Request_, Store
from juglant.core.model.ids import Role
from juglant.core.synth.takes import ID_PATTERN
from juglant.formats.film import LONGEST_S
from juglant.formats.takes import HIGHEST_RATE
from juglant.services.data import DataSheet, data_sheet
from juglant.services.impacts import Impacts
from juglant.services.recordings import Begun, Recorded, Recordings, RecordingWave
from juglant.services.takes import HEARD_S, LoadedTake, Shelf

router = APIRouter(prefix="/api/recordings", responses=ERRORS)
RecordingPath = Annotated[str, Path(pattern=ID_PATTERN)]
SAMPLES = {"requestBody": {"content": {"application/octet-stream": {"schema": {"type": "string", "format": "binary"}}}}}
MOST_FRAMES = int(LONGEST_S * HIGHEST_RATE)
LongMs = Annotated[float, Query(ge=0, le=1000 * LONGEST_FILE_S, allow_inf_nan=False)]


class Away(Request_):
    """Whether it is put away."""

    away: bool


@router.get("")
def list_recordings(store: Store, away: bool = False) -> list[Recorded]:
    """Long recordings, the newest first; away: those that are put away."""
    return Recordings(store.path).all(away=away)


@router.post("", status_code=201)
def begin_recording(body: Begun, store: Store) -> Recorded:
    """An empty recording to be appended to; refused where the disk has no room for a minute."""
    return Recordings(store.path).begin(body)


@router.post("/{recording}/append")
def append_to_recording(
    recording: RecordingPath,
    at_frame: Annotated[int, Query(ge=0, le=MOST_FRAMES)],
    store: Store,
    data: Annotated[bytes, Body(media_type="application/octet-stream")] = b"",
) -> Recorded:
    """Samples that follow, 32-bit little-endian floats frame by frame; sent twice they are there once."""
    return Recordings(store.path).append(recording, at_frame, data)


@router.post("/file", status_code=201, openapi_extra=SAMPLES)
async def load_recording(
    request: Request, store: Store, name: Annotated[str, Query(min_length=1, max_length=300)]
) -> Recorded:
    """A sound file of up to three hours as a recording; written to disk as it comes."""
    recordings, size = Recordings(store.path), 0
    said = request.headers.get("content-length", "0")
    with recordings.incoming(int(said) if said.isdigit() else 0) as file:
        async for part in request.stream():
            await run_in_threadpool(file.write, part)
            size += len(part)
        file.seek(0)
        return await run_in_threadpool(recordings.load, name, file, size)


@router.get("/{recording}/wave")
def recording_wave(
    recording: RecordingPath,
    store: Store,
    from_s: Annotated[float, Query(ge=0, le=LONGEST_FILE_S, allow_inf_nan=False)] = 0,
    to_s: Annotated[float, Query(ge=0, le=LONGEST_FILE_S, allow_inf_nan=False)] = LONGEST_FILE_S,
) -> RecordingWave:
    """The waveform of a recording between two moments."""
    return Recordings(store.path).wave(recording, from_s, to_s)


@router.get("/{recording}/sound.wav", response_class=Response, responses=SOUND)
def hear_recording(
    recording: RecordingPath,
    sample_rate: Rate,
    store: Store,
    begin_ms: LongMs = 0,
    length_ms: LongMs = 1000 * HEARD_S,
) -> Response:
    """A stretch of a recording as it is, as a 32-bit float WAV."""
    return Response(Recordings(store.path).heard(recording, begin_ms, length_ms, sample_rate), media_type="audio/wav")


@router.get("/{recording}/impacts")
def recording_impacts(recording: RecordingPath, store: Store, role: Role = "kick") -> Impacts:
    """Impacts of a recording, the best for a role first: long work, which tells how far it is and can be stopped."""
    return Recordings(store.path).impacts(recording, role)


@router.post("/{recording}/cuts", status_code=201)
def cut_recording(recording: RecordingPath, body: Cuts, store: Store) -> list[LoadedTake]:
    """Stretches of a recording as sounds of their own; all of them, or none."""
    return Recordings(store.path).cut(Shelf(store.path), recording, body.cuts)


@router.post("/{recording}/away")
def put_recording_away(recording: RecordingPath, body: Away, store: Store) -> DataSheet:
    """Put a recording away, or bring it back; its file stays."""
    Recordings(store.path).put_away(recording, away=body.away)
    return data_sheet(store)


@router.delete("/{recording}")
def remove_recording(recording: RecordingPath, store: Store) -> DataSheet:
    """Remove a recording that is put away, for good; what was cut from it stays."""
    Recordings(store.path).remove(recording)
    return data_sheet(store)

"""Tracks: list, open, edit, undo, redo, compute, fix, deliver."""

from __future__ import annotations

import shutil
import tempfile
from collections.abc import Callable
from typing import Annotated, Any, Literal

from fastapi import APIRouter, Body, Depends, Path, Request, Response
from fastapi.responses import FileResponse
from pydantic import BaseModel, ConfigDict, Field
from starlette.background import BackgroundTask

from juglant.api.problems import STATUSES, Problem, problem
from juglant.core.commands.registry import Command
from juglant.core.hit.starts import MeasuredStart, measured_starts
from juglant.core.model.ids import PART_PATTERN, Role
from juglant.core.model.stem import StemRef, StemState
from juglant.core.model.track import Track
from juglant.core.plans.computed_for import refit_parts
from juglant.services.commands import command
from juglant.services.data import load_file
from juglant.services.deliver import bundle, file_name
from juglant.services.track_list import TrackLine, begun, duplicated, renamed, track_lines
from juglant.services.tracks import Last, Start, State, Workspace
from juglant.services.views import View, stem_key, stem_keys, stem_wav, view_of
from juglant.store.errors import Stale

ERRORS: dict[int | str, dict[str, Any]] = {
    status: {"model": Problem, "content": {"application/problem+json": {}}}
    for status in (400, 403, 404, 409, 413, 422, 503, 507)
}
router = APIRouter(prefix="/api", responses=ERRORS)
TrackId = Annotated[str, Path(pattern=r"^[0-9a-f]{16}$")]
PartId = Annotated[str, Path(pattern=PART_PATTERN, max_length=40)]
Number = Annotated[int, Path(ge=1, le=2**53)]


class Request_(BaseModel):
    """A request's body: unknown keys are refused."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)


class NewTrack(Request_):
    """What a new track begins as; name, key and tempo where they are said."""

    start: Start
    name: str | None = Field(default=None, min_length=1, max_length=80)
    sheet: dict[Literal["tonic", "scale", "bpm"], str | float] = {}


class Name(Request_):
    """What a track is to be called."""

    name: str = Field(min_length=1, max_length=80)


class OnEdition(Request_):
    """Names the edition a change was made on; a stale one is refused."""

    edition: int = Field(ge=1, le=2**53)


class Back(OnEdition):
    """A step back from what was seen: `revision`, whose own step may have gone on since."""

    revision: int | None = Field(default=None, ge=1, le=2**53)


class Ordered(OnEdition):
    """A command, the movement of the hand it belongs to, and whether ducks that it leaves behind are fitted with it."""

    command: Command
    gesture: str | None = Field(default=None, max_length=40)
    fit: bool = True


class Stem(BaseModel):
    """A stem of a track: which part, in which state, and the key of its audio; equal keys are equal audio."""

    part: str
    state: StemState
    key: str


class TrackState(BaseModel):
    """A track as it stands; refit: parts whose computed duck was computed for something else, and is to be fitted again."""

    id: str
    edition: int
    revision: int
    track: Track
    stems: list[Stem]
    undo_label: str | None
    redo_label: str | None
    refit: list[str]
    said: list[str] = []


class StaleProblem(Problem, TrackState):
    """What is answered to a change that was made on an older edition: the track as it stands."""


class Change(Request_):
    """One change to a description (JSON Patch, RFC 6902)."""

    op: Literal["add", "remove", "replace"]
    path: str = Field(max_length=300)
    value: Any = None


class Finish(OnEdition):
    """What a page had not stored when it was left: changes to the description of the revision it knew last."""

    revision: int = Field(ge=1, le=2**53)
    patch: list[Change] = Field(max_length=5000)
    label: str = Field(min_length=1, max_length=80)
    gestures: list[Annotated[str, Field(max_length=40)]] = Field(default=[], max_length=200)
    ordered: str | None = Field(default=None, max_length=40)


def workspace(request: Request) -> Workspace:
    """The application's database."""
    found: Workspace = request.app.state.workspace
    return found


Store = Annotated[Workspace, Depends(workspace)]


def answer(state: State) -> TrackState:
    """A state with the keys of its stems."""
    stems = [Stem(part=ref.part, state=ref.state, key=key) for ref, key in stem_keys(state.track)]
    shown = {name: value for name, value in vars(state).items() if name in TrackState.model_fields}
    return TrackState(**shown, stems=stems, refit=refit_parts(state.track))


def told(state: State) -> Response:
    """The same as it goes out: written down once, and not checked again."""
    return Response(answer(state).model_dump_json(), media_type="application/json")


def stale(request: Request, error: Exception) -> Response:
    """A stale change: the answer has the track as it stands, so that whoever asked can choose."""
    assert isinstance(error, Stale)  # noqa: S101 (registered for this class alone)
    status, code = STATUSES[Stale]
    state = answer(workspace(request).state(error.track_id)) if error.track_id else None
    more = state.model_dump(mode="json") if state else None
    return problem(status, code, str(error), request.url.path, more=more)


def kept_wav(request: Request, key: str, make: Callable[[], bytes]) -> Response:
    """A sound that the caller may keep for good, made only where it has none of this key."""
    tag = f'"{key}"'
    headers = {"ETag": tag, "Cache-Control": "private, max-age=31536000, immutable"}
    if request.headers.get("if-none-match") == tag:
        return Response(status_code=304, headers=headers)
    return Response(make(), media_type="audio/wav", headers=headers)


@router.get("/tracks")
def list_tracks(store: Store) -> list[TrackLine]:
    """Every track, the one changed last first."""
    return track_lines(store)


@router.post("/tracks", status_code=201)
def new_track(body: NewTrack, store: Store) -> TrackState:
    """A new track, under a name that no other has."""
    return answer(begun(store, body.start, body.name, {str(key): value for key, value in body.sheet.items()}))


@router.post("/tracks/load", status_code=201)
def load_track(store: Store, data: Annotated[bytes, Body(media_type="application/octet-stream")] = b"") -> TrackState:
    """New tracks from a bundle, an export or a track.json; the answer is the first of them."""
    states = load_file(store, data)
    more = [f"{len(states)} tracks were loaded"] if len(states) > 1 else []
    said = [*more, *(line for state in states for line in state.said)]
    return answer(states[0]).model_copy(update={"said": said})


@router.post("/tracks/{track_id}/duplicate", status_code=201)
def duplicate(track_id: TrackId, store: Store) -> TrackState:
    """A track of its own that is as this one stands, under a name that no other has."""
    return answer(duplicated(store, track_id))


@router.post("/tracks/{track_id}/name", response_model=TrackState)
def rename(track_id: TrackId, body: Name, store: Store) -> Response:
    """The track under another name, as one step."""
    return told(renamed(store, track_id, body.name))


@router.get("/tracks/{track_id}", response_model=TrackState)
def get_track(track_id: TrackId, store: Store) -> Response:
    """A track as it stands."""
    return told(store.state(track_id))


@router.post("/tracks/{track_id}/commands", responses={409: {"model": StaleProblem}}, response_model=TrackState)
def carry_out(track_id: TrackId, body: Ordered, store: Store) -> Response:
    """Carry out a command as one step; it is on disk before the answer."""
    return told(command(store, track_id, body.edition, body.command, gesture=body.gesture, fit=body.fit))


@router.post("/tracks/{track_id}/finish")
def finish(track_id: TrackId, body: Finish, store: Store) -> None:
    """Store what a page had not stored when it was left; nobody waits for the answer."""
    patch = [one.model_dump() for one in body.patch]
    store.finish(track_id, body.edition, Last(body.revision, patch, body.label, body.gestures, body.ordered))


@router.post("/tracks/{track_id}/undo", response_model=TrackState)
def undo(track_id: TrackId, body: Back, store: Store) -> Response:
    """Back by one step."""
    return told(store.undo(track_id, body.edition, body.revision))


@router.post("/tracks/{track_id}/redo", response_model=TrackState)
def redo(track_id: TrackId, body: OnEdition, store: Store) -> Response:
    """Forward by one step."""
    return told(store.redo(track_id, body.edition))


@router.post("/tracks/{track_id}/start-over")
def start_over(track_id: TrackId, body: OnEdition, store: Store) -> TrackState:
    """The untouched demo in place of the track; undo brings the track back."""
    return answer(store.start_over(track_id, body.edition))


@router.get("/tracks/{track_id}/revisions/{number}/view", response_model=View)
def view(track_id: TrackId, number: Number, store: Store) -> Response:
    """Figures, pictures and findings of a revision."""
    return Response(view_of(store.track_at(track_id, number)).model_dump_json(), media_type="application/json")


@router.get("/tracks/{track_id}/revisions/{number}/starts")
def starts(track_id: TrackId, number: Number, store: Store, role: Role = "kick") -> list[MeasuredStart]:
    """Starting points of a role, in tune with the track, each with what it measures there."""
    track = store.track_at(track_id, number)
    return measured_starts(track.sheet, role, track.kick)


@router.get(
    "/tracks/{track_id}/revisions/{number}/stems/{part}/{stem_state}.wav",
    response_class=Response,
    responses={200: {"content": {"audio/wav": {}}}, 304: {"description": "The caller has it already."}},
)
def stem(
    track_id: TrackId, number: Number, part: PartId, stem_state: StemState, request: Request, store: Store
) -> Response:
    """A stem of a revision as a 32-bit float WAV."""
    track, ref = store.track_at(track_id, number), StemRef(part, stem_state)
    return kept_wav(request, stem_key(track, ref), lambda: stem_wav(track, ref))


@router.get(
    "/tracks/{track_id}/revisions/{number}/bundle.zip",
    response_class=Response,
    responses={200: {"content": {"application/zip": {}}}},
)
def deliver(track_id: TrackId, number: Number, store: Store, rest: bool = False) -> Response:
    """Every file of a revision in one zip named after the track; with the rest of the track where that is asked for."""
    track = store.track_at(track_id, number)
    folder = tempfile.mkdtemp(prefix="juglant-")
    # Also where the work is stopped half-way: nothing stays behind.
    try:
        path = bundle(track, rest, folder)
    except BaseException:
        shutil.rmtree(folder, ignore_errors=True)
        raise
    gone = BackgroundTask(shutil.rmtree, folder, ignore_errors=True)
    return FileResponse(path, media_type="application/zip", filename=f"{file_name(track)}.zip", background=gone)

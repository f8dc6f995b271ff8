"""Rolls of a hit and their contact sheets; hits and layers that are kept."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Depends, Path, Query, Response
from pydantic import Field, TypeAdapter

from juglant.api.hits import HitId, as_json
from juglant.api.tracks import ERRORS, Number, Request_, Store, TrackId
from juglant.core.hit.likeness import Rolling
from juglant.core.hit.roll import Roll
from juglant.core.model.hit import Hit
from juglant.core.model.ids import Role
from juglant.services.hits import sound_wav
from juglant.services.variations import (
    Kept,
    Like,
    Variation,
    add_roll,
    all_kept,
    audition_gain_db,
    away_from,
    contact_sheet,
    keep_hit,
    rolling_of,
    rolls_of,
    variation,
)
from juglant.store.kept import Kind
from juglant.store.rolls import RollRow

router = APIRouter(prefix="/api", responses=ERRORS)
SHEET_JSON = TypeAdapter(list[Variation])
Seed = Annotated[int, Query(ge=0, le=2**31)]
Amount = Annotated[float, Query(ge=0, le=100, allow_inf_nan=False)]
Index = Annotated[int, Path(ge=0, le=15)]


def _rolled(
    store: Store,
    track_id: TrackId,
    seed: Seed,
    amount_pct: Amount = 40,
    only_front: bool = False,
    like: Annotated[int | None, Query(ge=1, le=2**31, description="A roll that is more or less like a sound.")] = None,
) -> Rolling:
    return rolling_of(store, track_id, Roll(seed, amount_pct, only_front), like)


Rolled = Annotated[Rolling, Depends(_rolled)]


class NewRoll(Request_):
    """How far a roll may go, whether only the front controls move, and what it is to be more or less like."""

    amount_pct: float = Field(default=40, ge=0, le=100)
    only_front: bool = False
    like: Like | None = None


class Keep(Request_):
    """What to keep, under which name; `replace` takes over a name that is in use."""

    kind: Kind = "hit"
    name: str = Field(min_length=1, max_length=40)
    role: Role
    hit: Hit
    replace: bool = False


@router.get("/tracks/{track_id}/hits/{hit_id}/rolls")
def list_rolls(track_id: TrackId, hit_id: HitId, store: Store) -> list[RollRow]:
    """Every roll of a hit, the newest first."""
    return rolls_of(store, track_id, hit_id)


@router.post("/tracks/{track_id}/hits/{hit_id}/rolls", status_code=201)
def new_roll(track_id: TrackId, hit_id: HitId, body: NewRoll, store: Store) -> RollRow:
    """Roll a hit as it stands now; the roll is in the history before the answer."""
    return add_roll(store, track_id, hit_id, amount_pct=body.amount_pct, only_front=body.only_front, like=body.like)


@router.get("/tracks/{track_id}/revisions/{number}/hits/{hit_id}/sheet", response_model=list[Variation])
def sheet(
    track_id: TrackId,
    number: Number,
    hit_id: HitId,
    store: Store,
    roll: Rolled,
) -> Response:
    """The contact sheet of a roll: sixteen variations, measured."""
    made = contact_sheet(store.track_at(track_id, number), hit_id, roll)
    return as_json(SHEET_JSON.dump_json(made))


@router.get("/tracks/{track_id}/revisions/{number}/hits/{hit_id}/sheet/{index}/away")
def away(
    track_id: TrackId,
    number: Number,
    hit_id: HitId,
    index: Index,
    store: Store,
    roll: Rolled,
) -> list[float | None]:
    """How far every variation of a sheet is from one of them, dB; empty for silence."""
    return away_from(store.track_at(track_id, number), hit_id, roll, index)


@router.get(
    "/tracks/{track_id}/revisions/{number}/hits/{hit_id}/sheet/{index}.wav",
    response_class=Response,
    responses={200: {"content": {"audio/wav": {}}}},
)
def variation_sound(
    track_id: TrackId,
    number: Number,
    hit_id: HitId,
    index: Index,
    store: Store,
    roll: Rolled,
) -> Response:
    """One variation as a 32-bit float WAV, as loud as the others of its sheet."""
    track = store.track_at(track_id, number)
    hit, gain_db = variation(track, hit_id, roll, index), audition_gain_db(track, hit_id, roll, index)
    headers = {"Cache-Control": "private, max-age=31536000, immutable"}
    return Response(sound_wav(track.with_hit(hit_id, hit), hit_id, gain_db), media_type="audio/wav", headers=headers)


@router.get("/kept")
def list_kept(store: Store) -> list[Kept]:
    """Every kept hit and layer, the newest first."""
    return all_kept(store)


@router.post("/tracks/{track_id}/kept", status_code=201)
def keep(track_id: TrackId, body: Keep, store: Store) -> Kept:
    """Keep a hit or a layer, measured at the track's rate; refused where the name is in use."""
    track = store.state(track_id).track
    return keep_hit(store, track, body.kind, body.name, role=body.role, hit=body.hit, replace=body.replace)

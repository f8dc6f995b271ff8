"""One hit of a track: what the bench draws of it, and how its strokes sound."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Path, Query, Request, Response

from juglant.api.tracks import ERRORS, Number, Store, TrackId, kept_wav
from juglant.core.model.hit import Hit
from juglant.core.model.ids import Role
from juglant.core.pictures.layers import HitPicture
from juglant.core.pictures.strengths import StrengthAt
from juglant.core.plans.make_moves import MOVES, MoveId
from juglant.services.hits import HitView, hit_view, matched_wav, preview, strengths, stroke_key, stroke_wav
from juglant.services.lacking import Lacking, lacking
from juglant.services.making import Making, making
from juglant.services.near import Rebuilt, near_recorded
from juglant.services.reinforcing import Reinforcing, reinforcing
from juglant.services.standing import Standing, standing
from juglant.services.takes import Shelf

live = APIRouter(prefix="/api/tracks/{track_id}/hits", responses=ERRORS)
router = APIRouter(prefix="/api/tracks/{track_id}/revisions/{number}/hits", responses=ERRORS)
HitId = Annotated[str, Path(pattern=r"^[a-z0-9-]{1,40}$")]
OtherHit = Annotated[str, Query(pattern=r"^[a-z0-9-]{1,40}$")]
LayerId = Annotated[str | None, Query(pattern=r"^[a-z0-9-]{1,40}$")]
FromMs = Annotated[float, Query(ge=-200, le=30000, allow_inf_nan=False)]
SpanMs = Annotated[float | None, Query(ge=1, le=31000, allow_inf_nan=False)]


def as_json(text: str | bytes) -> Response:
    """An answer that was a model a moment ago: it is not validated a second time."""
    return Response(text, media_type="application/json")


@router.get("/{hit_id}", response_model=HitView)
def get_hit(
    track_id: TrackId,
    number: Number,
    hit_id: HitId,
    store: Store,
    from_ms: FromMs = 0,
    span_ms: SpanMs = None,
) -> Response:
    """Picture, figures and what each processor changed; the picture of a stretch of time where one is named."""
    shown = None if span_ms is None else (from_ms, span_ms)
    return as_json(hit_view(store.track_at(track_id, number), hit_id, shown).model_dump_json())


@router.get(
    "/{hit_id}/stroke.wav",
    response_class=Response,
    responses={200: {"content": {"audio/wav": {}}}, 304: {"description": "The caller has it already."}},
)
def stroke(
    track_id: TrackId,
    number: Number,
    hit_id: HitId,
    request: Request,
    store: Store,
    velocity: Annotated[int, Query(ge=1, le=127)] = 127,
    robin: Annotated[int, Query(ge=0, le=7)] = 0,
    layer: LayerId = None,
) -> Response:
    """One stroke of a hit, or one layer of it, as a 32-bit float WAV."""
    track = store.track_at(track_id, number)
    key = stroke_key(track, hit_id, velocity=velocity, robin=robin, layer_id=layer)
    return kept_wav(request, key, lambda: stroke_wav(track, hit_id, velocity=velocity, robin=robin, layer_id=layer))


@router.get("/{hit_id}/layers/{layer_id}/near")
def near(
    track_id: TrackId,
    number: Number,
    hit_id: HitId,
    layer_id: Annotated[str, Path(pattern=r"^[a-z0-9-]{1,40}$")],
    store: Store,
) -> Rebuilt:
    """The sound of the engines that comes nearest to a recorded layer, and how far it stays away: long work."""
    return near_recorded(store.track_at(track_id, number), hit_id, layer_id)


@router.get("/{hit_id}/made")
def get_made(
    track_id: TrackId,
    number: Number,
    hit_id: HitId,
    store: Store,
    role: Role,
    off: Annotated[tuple[MoveId, ...], Query(max_length=len(MOVES))] = (),
) -> Making:
    """A recorded hit made to serve as a role, with every move it needs; nothing is stored."""
    return making(store.track_at(track_id, number), hit_id, role, frozenset(off))


@router.get("/{hit_id}/reinforced")
def get_reinforced(
    track_id: TrackId,
    number: Number,
    hit_id: HitId,
    store: Store,
    by: OtherHit,
    share_pct: Annotated[float, Query(ge=0, le=100, allow_inf_nan=False)],
    aligned: bool = True,
) -> Reinforcing:
    """A hit with another one's layers under it, by a share, as loud as it was; nothing is stored."""
    return reinforcing(store.track_at(track_id, number), hit_id, by, share_pct, aligned=aligned)


@router.get("/{hit_id}/lacking")
def get_lacking(
    track_id: TrackId,
    number: Number,
    hit_id: HitId,
    store: Store,
    role: Role | None = None,
    which: Annotated[int, Query(ge=0, le=16)] = 0,
) -> Lacking:
    """What a hit lacks for a role (none given: its own) and the sounds that bring one of these; nothing is stored."""
    return lacking(Shelf(store.path), store.track_at(track_id, number), hit_id, role, which)


@router.get("/{hit_id}/standing")
def get_standing(track_id: TrackId, number: Number, hit_id: HitId, store: Store) -> Standing:
    """How far away a part stands, kept how far behind another, and how loud it is beside the kick, measured."""
    return standing(store.track_at(track_id, number), hit_id)


@router.get("/{hit_id}/strengths")
def get_strengths(track_id: TrackId, number: Number, hit_id: HitId, store: Store) -> tuple[StrengthAt, ...]:
    """Strokes of a hit from softest to hardest: how loud and how bright, measured."""
    return strengths(store.track_at(track_id, number), hit_id)


@live.post("/{hit_id}/preview", response_model=HitPicture)
def live_picture(
    track_id: TrackId, hit_id: HitId, body: Hit, store: Store, from_ms: FromMs = 0, span_ms: SpanMs = None
) -> Response:
    """The picture of a hit as it would be, for a drag to follow; nothing is stored."""
    shown = None if span_ms is None else (from_ms, span_ms)
    return as_json(preview(store.state(track_id).track, hit_id, body, shown).model_dump_json())


@live.post(
    "/{hit_id}/sound",
    response_class=Response,
    responses={200: {"content": {"audio/wav": {}}}},
)
def live_sound(track_id: TrackId, hit_id: HitId, body: Hit, store: Store) -> Response:
    """A hit as it would sound at full strength, at matched loudness, as a 32-bit float WAV; nothing is stored."""
    return Response(matched_wav(store.state(track_id).track, hit_id, body), media_type="audio/wav")

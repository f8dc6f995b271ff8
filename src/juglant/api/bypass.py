"""By-pass: a revision without one stage, layer or part, both sides equally loud; nothing is stored."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Depends, Query, Request, Response

from juglant.api.hits import HitId, LayerId
from juglant.api.tracks import ERRORS, Number, PartId, Stem, Store, TrackId, kept_wav
from juglant.core.chain.registry import MOST_PROCESSORS
from juglant.core.listen.bypass import Bypass
from juglant.core.model.stem import StemRef, StemState
from juglant.services.bypass import BypassView, bypass_stem_key, bypass_stem_wav, bypass_view

router = APIRouter(prefix="/api/tracks/{track_id}/revisions/{number}/bypass/{left_out}", responses=ERRORS)


class Bypassed(BypassView):
    """Both sides, and the stems that play without it."""

    stems: list[Stem]


def asked(
    left_out: HitId, layer: LayerId = None, stage: Annotated[int | None, Query(ge=0, lt=MOST_PROCESSORS)] = None
) -> Bypass:
    """What is left out, as an address says it."""
    return Bypass(part=left_out, layer=layer, stage=stage)


LeftOut = Annotated[Bypass, Depends(asked)]


@router.get("")
def get_bypass(track_id: TrackId, number: Number, left_out: LeftOut, store: Store) -> Bypassed:
    """By how much either side is turned down, and the stems without it: a part, a layer of it, or a stage."""
    view, stems = bypass_view(store.track_at(track_id, number), left_out)
    return Bypassed(**view.model_dump(), stems=[Stem(part=ref.part, state=ref.state, key=key) for ref, key in stems])


@router.get(
    "/stems/{part}/{stem_state}.wav",
    response_class=Response,
    responses={200: {"content": {"audio/wav": {}}}, 304: {"description": "The caller has it already."}},
)
def bypass_stem(
    track_id: TrackId,
    number: Number,
    left_out: LeftOut,
    part: PartId,
    stem_state: StemState,
    request: Request,
    store: Store,
) -> Response:
    """A stem of the revision without it, at its level in the loop, as a 32-bit float WAV."""
    track, ref = store.track_at(track_id, number), StemRef(part, stem_state)
    return kept_wav(request, bypass_stem_key(track, left_out, ref), lambda: bypass_stem_wav(track, left_out, ref))

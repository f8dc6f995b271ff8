"""Roots of the bars' chords, proposed from a part."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Query, Response

from juglant.api.proposals import FOREVER, WAV
from juglant.api.tracks import ERRORS, Number, PartId, Store, TrackId
from juglant.core.music.tempo import MOST_BARS
from juglant.core.tune.roots import BarRoots
from juglant.services.roots import heard_roots, roots_of_part

router = APIRouter(prefix="/api/tracks/{track_id}/revisions/{number}/roots", responses=ERRORS)
# A pitch class from C for each bar, -1 where it has none.
Asked = Annotated[list[Annotated[int, Query(ge=-1, le=11)]], Query(min_length=1, max_length=MOST_BARS)]


@router.get("/{part}")
def get_roots(track_id: TrackId, number: Number, part: PartId, store: Store) -> tuple[BarRoots, ...]:
    """The likeliest roots of every bar of a part, with how sure each is."""
    return roots_of_part(store.track_at(track_id, number), part)


@router.get("/{part}/loop.wav", response_class=Response, responses=WAV)
def get_heard(track_id: TrackId, number: Number, part: PartId, store: Store, root: Asked) -> Response:
    """A part with each bar's root held under it, as a 32-bit float WAV."""
    roots = [one if one >= 0 else None for one in root]
    return Response(heard_roots(store.track_at(track_id, number), part, roots), media_type="audio/wav", headers=FOREVER)

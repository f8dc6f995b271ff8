"""Proposals: ways that were made, rendered and measured, to be heard and taken; one family of addresses for all kinds."""

from __future__ import annotations

from typing import Annotated, Any, cast

from fastapi import APIRouter, Path, Query, Response

from juglant.api.tracks import ERRORS, Number, Store, TrackId
from juglant.core.analysis.evenness import EvenWay
from juglant.core.model.ids import BASS_PART, PART_PATTERN
from juglant.core.plans.kick_ways import KickWayCost
from juglant.core.plans.orders import OrderCost
from juglant.core.plans.owners import OwnerCost
from juglant.core.plans.proposals import Kind, proposals
from juglant.core.plans.returns import ReturnCost
from juglant.core.plans.ways import WayCost
from juglant.services.proposals import proposal_wav

router = APIRouter(prefix="/api/tracks/{track_id}", responses=ERRORS)
PART = {"max_length": 40, "pattern": PART_PATTERN}
PartAsked = Annotated[str, Query(**cast("Any", PART))]
ProposalId = Annotated[str, Path(max_length=40, pattern=r"^[a-z-]+$")]
WAV: dict[int | str, dict[str, Any]] = {200: {"content": {"audio/wav": {}}}}
FOREVER = {"Cache-Control": "private, max-age=31536000, immutable"}


@router.get("/revisions/{number}/proposals/owners")
def get_owners(track_id: TrackId, number: Number, store: Store) -> list[OwnerCost]:
    """What each owner of the sub would cost, planned, rendered and measured."""
    return cast("list[OwnerCost]", proposals(store.track_at(track_id, number), "owners"))


@router.get("/revisions/{number}/proposals/ways")
def get_ways(track_id: TrackId, number: Number, store: Store) -> list[WayCost]:
    """Ways to the clearance the owner asks: EQ, duck, notes, kick; each made, rendered and measured."""
    return cast("list[WayCost]", proposals(store.track_at(track_id, number), "ways"))


@router.get("/revisions/{number}/proposals/kick-ways")
def get_kick_ways(track_id: TrackId, number: Number, store: Store) -> list[KickWayCost]:
    """Where the bass owns the sub, ways for the kick to give way and what each keeps of it."""
    return cast("list[KickWayCost]", proposals(store.track_at(track_id, number), "kick-ways"))


@router.get("/revisions/{number}/proposals/orders")
def get_orders(track_id: TrackId, number: Number, store: Store) -> list[OrderCost]:
    """Carve first or duck first: what each order needs, planned, rendered and measured."""
    return cast("list[OrderCost]", proposals(store.track_at(track_id, number), "orders"))


@router.get("/revisions/{number}/proposals/returns")
def get_returns(track_id: TrackId, number: Number, store: Store, part: PartAsked = BASS_PART) -> list[ReturnCost]:
    """Ways a part may come back, each made, rendered and measured."""
    return cast("list[ReturnCost]", proposals(store.track_at(track_id, number), "returns", part))


@router.get("/revisions/{number}/proposals/evening")
def get_evening(track_id: TrackId, number: Number, store: Store) -> list[EvenWay]:
    """The bass line evened by its notes' levels, by compressing its lows, by limiting: each made and measured."""
    return cast("list[EvenWay]", proposals(store.track_at(track_id, number), "evening"))


@router.get("/revisions/{number}/proposals/{kind}/{proposal_id}/loop.wav", response_class=Response, responses=WAV)
def proposal_sound(
    track_id: TrackId, number: Number, kind: Kind, proposal_id: ProposalId, store: Store, part: PartAsked = BASS_PART
) -> Response:
    """What one of them makes of kick and bass (and the part it is of), no louder than now, as a 32-bit float WAV."""
    audio = proposal_wav(store.track_at(track_id, number), kind, proposal_id, part)
    return Response(audio, media_type="audio/wav", headers=FOREVER)

"""The stand-in for a microphone."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Path, Query, Response

from juglant.api.takes import SOUND, Rate
from juglant.api.tracks import ERRORS, Store
from juglant.services.recorder import Recorder, recorder, room_wav, struck_wav
from juglant.services.takes import Shelf

router = APIRouter(prefix="/api/recorder", responses=ERRORS)


@router.get("")
def get_recorder(store: Store) -> Recorder:
    """What there is to strike, how late the stand-in is, and what is left on the disk."""
    return recorder(Shelf(store.path))


@router.get("/room.wav", response_class=Response, responses=SOUND)
def hear_room(sample_rate: Rate) -> Response:
    """The room of the stand-in with nothing in it."""
    return Response(room_wav(sample_rate), media_type="audio/wav")


@router.get("/things/{number}.wav", response_class=Response, responses=SOUND)
def strike_thing(
    number: Annotated[int, Path(ge=0, le=99)],
    sample_rate: Rate,
    strength: Annotated[int, Query(ge=1, le=127)] = 100,
    turn: Annotated[int, Query(ge=0, le=999)] = 0,
) -> Response:
    """One strike as the stand-in's microphone hears it; each turn is another one."""
    return Response(struck_wav(number, strength, turn, sample_rate), media_type="audio/wav")

"""The stand-in for a microphone: what there is to strike, each strike, the room, and how much room there is on the disk."""

from __future__ import annotations

import shutil

from pydantic import BaseModel, ConfigDict

from juglant.core.hit.household import LATENCY_MS, THINGS, room_tone, struck
from juglant.formats.wav import wav_float
from juglant.services.takes import Shelf

# Below this a minute more might not be kept: said before anything is recorded.
SCARCE_BYTES = 200_000_000


class Struck(BaseModel):
    """One thing to strike."""

    model_config = ConfigDict(frozen=True)
    name: str
    help: str


class Recorder(BaseModel):
    """What the stand-in has, how late it is, and what is left on the disk the sounds are kept on."""

    model_config = ConfigDict(frozen=True)
    things: tuple[Struck, ...]
    latency_ms: float
    free_bytes: int
    scarce: bool


def recorder(shelf: Shelf) -> Recorder:
    """All of it."""
    free = shutil.disk_usage(shelf.path.parent).free
    return Recorder(
        things=tuple(Struck(name=one.name, help=one.help) for one in THINGS),
        latency_ms=LATENCY_MS,
        free_bytes=free,
        scarce=free < SCARCE_BYTES,
    )


def struck_wav(number: int, strength: int, turn: int, sample_rate: int) -> bytes:
    """A strike as the microphone hears it, a 32-bit float WAV; raises NoSuchPart."""
    return wav_float(struck(number, strength, turn, sample_rate=sample_rate)[None, :], sample_rate)


def room_wav(sample_rate: int) -> bytes:
    """The room with nothing in it, a 32-bit float WAV that goes on where it begins again."""
    return wav_float(room_tone(sample_rate=sample_rate)[None, :], sample_rate)

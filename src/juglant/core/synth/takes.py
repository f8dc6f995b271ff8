"""Recorded sounds by the hash of their samples: what an id names never changes, so that rendering stays pure.

The core reads no files: whoever starts it says where takes are found (`provide`).
"""

from __future__ import annotations

import hashlib
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from juglant.core.memory import remembered, store_now
from juglant.core.types import Samples, SingleSamples

ID_LENGTH = 24
# No sound at all: a hash that none has.
NO_TAKE = "0" * ID_LENGTH
ID_PATTERN = rf"^[0-9a-f]{{{ID_LENGTH}}}$"


@dataclass(frozen=True)
class TakeAudio:
    """Samples of a take, (channels, frames), not to be written to, and their rate."""

    audio: Samples
    sample_rate: int


class MissingTake(Exception):
    """No audio is known under an id."""


Find = Callable[[str], TakeAudio | None]
MOST_PLACES = 8


class Places:
    """Where takes are looked for, and which were found or missed; each store has its own."""

    def __init__(self) -> None:
        self.finds: list[Find] = []
        self.missed: set[str] = set()
        self.there: set[str] = set()


def _places() -> Places:
    return store_now().own(Places)


def take_id(audio: Samples, sample_rate: int) -> str:
    """The id of (channels, frames): a hash of its samples as 32-bit floats, its channels and its rate."""
    digest = hashlib.sha256(f"{audio.shape[0]} {sample_rate} ".encode())
    digest.update(np.ascontiguousarray(audio, dtype="<f4").tobytes())
    return digest.hexdigest()[:ID_LENGTH]


def provide(find: Find) -> None:
    """Look for takes here too, before anywhere that was named earlier; naming the same again changes nothing."""
    finds = _places().finds
    if find not in finds:
        finds.insert(0, find)
        del finds[MOST_PLACES:]


@remembered()
def _found(take: str) -> tuple[SingleSamples, int]:
    for find in _places().finds:
        if (found := find(take)) is not None:
            # As it is stored.
            audio = found.audio.astype(np.float32)
            audio.setflags(write=False)
            return audio, found.sample_rate
    # Raised and not returned, so that a take that comes later is found.
    raise MissingTake(take)


def find_take(take: str) -> TakeAudio | None:
    """The audio under an id, None where nobody has it."""
    try:
        single, sample_rate = _found(take)
    except MissingTake:
        _places().missed.add(take)
        return None
    _places().there.add(take)
    audio = single.astype(np.float64)
    audio.setflags(write=False)
    return TakeAudio(audio, sample_rate)


def is_there(take: str) -> bool:
    """Whether somebody has the audio under an id, which is not read again to say so."""
    return take in _places().there or find_take(take) is not None


def forget_where() -> None:
    """Look again for what was found: it may be removed."""
    _places().there.clear()


def was_missed(take: str) -> bool:
    """Whether a take was looked for in vain, so that silence may be remembered in its place; asking forgets it."""
    missed = _places().missed
    found = take in missed
    missed.discard(take)
    return found

"""What a take carries besides its sounds, and the take without it: heard both ways, kept as a take of its own."""

from __future__ import annotations

from typing import Literal

import numpy as np
from pydantic import BaseModel, ConfigDict, Field

from juglant.core.errors import InvalidAudio
from juglant.core.measure.carries import MOST_DOWN_DB, Carried, carried, cleaned
from juglant.core.measure.rooms import gated
from juglant.core.measure.stereo import for_measuring
from juglant.core.memory import newest
from juglant.core.synth.takes import TakeAudio, find_take
from juglant.core.types import Samples
from juglant.services.takes import LONGEST_NAME, LoadedTake, MadeOf, Shelf, heard_wav

Heard = Literal["left", "taken"]
LEAST_TAKEN, LEAST_GATE_DB, MOST_GATE_DB = 1e-6, 10.0, 60.0


class Cleaning(BaseModel):
    """What is taken out of a take: its hum, its hiss down by so much, its offset; gate_db: what is left of each impact once
    it has fallen by so much, None leaves it."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)
    hum: bool = False
    hiss_down_db: float = Field(default=0, ge=0, le=MOST_DOWN_DB)
    offset: bool = False
    gate_db: float | None = Field(default=None, ge=LEAST_GATE_DB, le=MOST_GATE_DB)


class Cleaned(Cleaning):
    """The same, and what the cleaned take is called."""

    name: str = Field(min_length=1, max_length=LONGEST_NAME)


@newest(32)
def _carried(take: str) -> Carried:
    """Pure: a take never changes."""
    found = find_take(take)
    if found is None:
        return carried(np.zeros(0), sample_rate=48000)
    return carried(for_measuring(found.audio), sample_rate=found.sample_rate)


@newest(6)
def _cleaned(take: str, how: Cleaning) -> Samples:
    found = find_take(take)
    if found is None:
        return np.zeros((1, 2))
    rate = found.sample_rate
    left = cleaned(found.audio, sample_rate=rate, hum=how.hum, hiss_down_db=how.hiss_down_db, offset=how.offset)
    return left if how.gate_db is None else gated(left, falls_db=how.gate_db, sample_rate=rate)


def carried_by(shelf: Shelf, take: str) -> Carried:
    """What a take carries; raises NotFound."""
    shelf.the(take)
    return _carried(take)


def cleaned_wav(shelf: Shelf, take: str, how: Cleaning, heard: Heard, sample_rate: int) -> bytes:
    """What is left of a take, or what is taken from it, its first seconds, as a 32-bit float WAV; raises NotFound."""
    found = shelf.the(take)
    left = _cleaned(take, how)
    sound = left if heard == "left" else found.audio - left
    return heard_wav(sound, found.sample_rate, sample_rate)


def clean_take(shelf: Shelf, take: str, how: Cleaned) -> LoadedTake:
    """A take without what was asked, as a take of its own; raises NotFound, and InvalidAudio where nothing was taken."""
    found = shelf.the(take)
    left = _cleaned(take, Cleaning(**how.model_dump(exclude={"name"})))
    if float(np.max(np.abs(left - found.audio), initial=0.0)) < LEAST_TAKEN:
        raise InvalidAudio("nothing was taken out: it carries none of this, or never rests so that it could be told")
    said = [
        "its hum" if how.hum else None,
        f"hiss down by {how.hiss_down_db:g} dB" if how.hiss_down_db else None,
        "its offset" if how.offset else None,
        f"what is left once each has fallen by {how.gate_db:g} dB" if how.gate_db is not None else None,
    ]
    made_of = MadeOf(way="cleaned", take=take, said=", ".join(one for one in said if one))
    return shelf.keep(how.name, TakeAudio(left, found.sample_rate), made_of=made_of)

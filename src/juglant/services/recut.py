"""A take cut by hand: its waveform at any scale, the cut heard, kept as a take of its own."""

from __future__ import annotations

import numpy as np
from pydantic import BaseModel, ConfigDict, Field

from juglant.core.measure.carries import offset_of
from juglant.core.measure.impacts import turn_before
from juglant.core.measure.stereo import for_measuring
from juglant.core.pictures.layers import outline
from juglant.core.signal.recut import Cutting, recut
from juglant.core.synth.takes import TakeAudio
from juglant.services.takes import LONGEST_NAME, LoadedTake, MadeOf, Shelf, heard_wav

COLUMNS, LONGEST_FADE_MS, SHORTEST_SHOWN = 720, 2000.0, 16
SAID: dict[Cutting, str] = {
    "keep": "kept",
    "silence": "silenced",
    "take out": "taken out",
    "tail only": "its tail alone",
}


class Recut(BaseModel):
    """What is cut: from a second to another; turn: at the turn of the wave before both; peak_db: the peak it is brought to,
    None as it is; offset: without its offset."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)
    begin_s: float = Field(ge=0, le=1e5)
    end_s: float = Field(gt=0, le=1e5)
    what: Cutting = "keep"
    turn: bool = True
    fade_in_ms: float = Field(default=0, ge=0, le=LONGEST_FADE_MS)
    fade_out_ms: float = Field(default=5, ge=0, le=LONGEST_FADE_MS)
    peak_db: float | None = Field(default=None, ge=-40, le=0)
    offset: bool = False


class RecutTake(Recut):
    """The same, and what the take is called."""

    name: str = Field(min_length=1, max_length=LONGEST_NAME)


class Wave(BaseModel):
    """A stretch of a take as it is drawn, (columns,), and where it begins and ends, s."""

    model_config = ConfigDict(frozen=True)
    from_s: float
    to_s: float
    duration_s: float
    sample_rate: int
    low: tuple[float, ...]
    high: tuple[float, ...]


def wave_of(shelf: Shelf, take: str, from_s: float, to_s: float) -> Wave:
    """A take's waveform between two moments, sixteen samples of it at the least; raises NotFound."""
    found = shelf.the(take)
    mono, rate = for_measuring(found.audio), found.sample_rate
    first = min(max(0, round(from_s * rate)), max(0, mono.size - SHORTEST_SHOWN))
    last = min(mono.size, max(first + SHORTEST_SHOWN, round(to_s * rate)))
    low, high = outline(mono[first:last], COLUMNS, 4)
    return Wave(
        from_s=first / rate,
        to_s=last / rate,
        duration_s=mono.size / rate,
        sample_rate=rate,
        low=low,
        high=high,
    )


def _made(found: TakeAudio, how: Recut) -> tuple[np.ndarray, int]:
    """The cut, and the frame it begins at."""
    audio, rate = found.audio, found.sample_rate
    mono = for_measuring(audio)
    begin, end = round(how.begin_s * rate), min(mono.size, round(how.end_s * rate))
    if how.turn and mono.size:
        begin = turn_before(mono, min(begin, mono.size - 1), rate)
        end = mono.size if end >= mono.size else turn_before(mono, end, rate)
    if how.offset:
        audio = audio - np.array([[offset_of(row, rate)] for row in audio])
    made = recut(
        audio, begin=begin, end=end, what=how.what, fade_in_ms=how.fade_in_ms, fade_out_ms=how.fade_out_ms,
        peak_db=how.peak_db, sample_rate=rate,
    )  # fmt: skip
    return made, begin


def recut_wav(shelf: Shelf, take: str, how: Recut, sample_rate: int) -> bytes:
    """The cut as it would be, its first seconds, as a 32-bit float WAV; raises NotFound and InvalidAudio."""
    found = shelf.the(take)
    made, _ = _made(found, how)
    return heard_wav(made, found.sample_rate, sample_rate)


def recut_take(shelf: Shelf, take: str, how: RecutTake) -> LoadedTake:
    """The cut as a take of its own; raises NotFound and InvalidAudio."""
    found = shelf.the(take)
    made, begin = _made(found, how)
    made_of = MadeOf(way="cut", take=take, begin_s=begin / found.sample_rate, said=SAID[how.what])
    return shelf.keep(how.name, TakeAudio(made, found.sample_rate), made_of=made_of)

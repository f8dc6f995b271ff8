"""The pattern of a take, over its waveform."""

from __future__ import annotations

from pydantic import BaseModel, ConfigDict

from juglant.core.measure.pattern import Pattern, read_pattern, refusal
from juglant.core.measure.stereo import for_measuring
from juglant.core.memory import newest
from juglant.core.pictures.layers import outline
from juglant.core.synth.takes import find_take
from juglant.services.takes import Shelf

COLUMNS = 720


class PatternView(BaseModel):
    """What was read, and the waveform it was read from, (columns,), from bar 1's place in the file on."""

    model_config = ConfigDict(frozen=True)
    take: str
    pattern: Pattern
    duration_s: float
    low: tuple[float, ...]
    high: tuple[float, ...]


@newest(16)
def pattern_read(take: str, hint_bpm: float | None, said_bpm: float | None) -> Pattern:
    """What is read in a take, refused in words where nothing is (pure: a take never changes)."""
    found = find_take(take)
    if found is None:
        return refusal("this sound is not here")
    mono = for_measuring(found.audio)
    return read_pattern(mono, sample_rate=found.sample_rate, hint_bpm=hint_bpm, said_bpm=said_bpm)


def pattern_of(shelf: Shelf, take: str, hint_bpm: float | None, said_bpm: float | None) -> PatternView:
    """The pattern of a take; raises NotFound."""
    found = shelf.the(take)
    mono = for_measuring(found.audio)
    low, high = outline(mono, COLUMNS)
    return PatternView(
        take=take,
        pattern=pattern_read(take, hint_bpm, said_bpm),
        duration_s=mono.size / found.sample_rate,
        low=low,
        high=high,
    )

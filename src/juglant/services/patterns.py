"""The pattern of a take, over its waveform."""

from __future__ import annotations

import numpy as np
from pydantic import BaseModel, ConfigDict

from juglant.core.hit.render import folded
from juglant.core.measure.pattern import Pattern, read_pattern, refusal
from juglant.core.memory import newest
from juglant.core.pictures.layers import column_edges
from juglant.core.pictures.strip import rounded
from juglant.core.synth.takes import find_take
from juglant.services.takes import Shelf
from juglant.store.errors import NotFound

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
def _read(take: str, hint_bpm: float | None, said_bpm: float | None) -> Pattern:
    """Pure: a take never changes."""
    found = find_take(take)
    if found is None:
        return refusal("this sound is not here")
    mono = folded(found.audio)
    return read_pattern(mono, sample_rate=found.sample_rate, hint_bpm=hint_bpm, said_bpm=said_bpm)


def pattern_of(shelf: Shelf, take: str, hint_bpm: float | None, said_bpm: float | None) -> PatternView:
    """The pattern of a take; raises NotFound."""
    found = shelf.find(take)
    if found is None:
        raise NotFound("there is no such sound here; load its file again")
    mono = folded(found.audio)
    edges = column_edges(mono.size, min(COLUMNS, max(1, mono.size)))
    return PatternView(
        take=take,
        pattern=_read(take, hint_bpm, said_bpm),
        duration_s=mono.size / found.sample_rate,
        low=rounded(np.minimum.reduceat(mono, edges), 3),
        high=rounded(np.maximum.reduceat(mono, edges), 3),
    )

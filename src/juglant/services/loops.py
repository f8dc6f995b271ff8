"""Recorded loops in a track: the kick or the bass comes from one; what was read in it is said, shown and put right."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from juglant.core.loop.kick_loop import with_kick_loop
from juglant.core.loop.render import render_stems
from juglant.core.measure.level import no_louder
from juglant.core.model.track import Track
from juglant.formats.wav import wav_float


@dataclass(frozen=True)
class LoopTake:
    """A take that the kick is to come from: where its bar 1 is, and how many bars it fills (None: as its length asks)."""

    take: str
    begin_ms: float
    fit_bars: int | None


def heard_in_place(now: Track, made: Track, loop: LoopTake | None) -> bytes:
    """The loop as it would be, no louder than it is, as a 32-bit float WAV; nothing is stored."""
    if loop is not None:
        made = with_kick_loop(made, loop.take, loop.begin_ms, loop.fit_bars)
    rate = made.sheet.sample_rate
    there, here = (render_stems(one).loop for one in (made, now))
    heard = no_louder(there, here, sample_rate=rate) if np.any(here) else there
    return wav_float(heard, rate)

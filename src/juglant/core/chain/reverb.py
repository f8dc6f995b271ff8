"""A short, dense reverb: noise that falls by 60 dB in the time set, cut below so that it stays out of the sub."""

from __future__ import annotations

from typing import Literal

import numpy as np
import scipy
from pydantic import Field

from juglant.core.chain.echo import WHOLE_MS, added, cut_low_and_high, fed
from juglant.core.chain.stage import Echoing
from juglant.core.parameter.parameter import parameter
from juglant.core.signal.envelope import frames_of, with_edges
from juglant.core.types import Samples

LENGTH, END_MS = 1.4, 20.0


class Reverb(Echoing):
    """Reverb."""

    kind: Literal["reverb"] = "reverb"
    ring_ms: float = parameter(350, 60, 3000, "ms", "Time to fall by 60 dB (T60).", title="Rings", scale="log", step=10)
    before_ms: float = parameter(8, 0, 120, "ms", "Time before it begins.", title="Begins after", step=1)
    low_cut_hz: float = parameter(250, 20, 2000, "Hz", "Nothing of it below.", title="Low cut", scale="log", step=10)
    high_cut_hz: float = parameter(8000, 500, 18000, "Hz", "Little of it above.", title="High cut", scale="log", step=100)
    attack_ms: float = parameter(
        WHOLE_MS, 2, WHOLE_MS, "ms", "Fed by this much of the start; 500 ms feeds it all.", title="Fed by", scale="log",
        step=1,
    )  # fmt: skip
    level_db: float = parameter(-15, -48, 6, "dB", "Level against the dry sound.", title="Level", step=0.5)
    wide: bool = Field(default=False, title="Wide", description="A different room on each side.")
    seed: int = Field(default=1, ge=0, le=9999, title="Seed", description="Another seed, another room.")


def falling_noise(ring_ms: float, seed: list[int], *, sample_rate: int) -> Samples:
    """Noise that falls by 60 dB in a time and is followed for 1.4 times that, (frames,)."""
    frames = frames_of(ring_ms * LENGTH, sample_rate)
    fall = 10 ** (-3 * np.arange(frames) / frames_of(ring_ms, sample_rate))
    return np.asarray(np.random.default_rng(seed).standard_normal(frames) * fall)


def apply(settings: Reverb, audio: Samples, *, sample_rate: int, bpm: float) -> Samples:
    """Add a reverb to (channels, frames); its peak stands to the dry peak as its level says."""
    source = fed(audio, settings.attack_ms, sample_rate=sample_rate)
    if settings.wide and source.shape[0] == 1:
        source = np.repeat(source, 2, axis=0)
    start = np.zeros(frames_of(settings.before_ms, sample_rate))
    rows = []
    for side, row in enumerate(source):
        room = falling_noise(settings.ring_ms, [settings.seed, side if settings.wide else 0], sample_rate=sample_rate)
        rows.append(np.concatenate((start, scipy.signal.fftconvolve(row, room))))
    wet = cut_low_and_high(np.stack(rows), settings.low_cut_hz, settings.high_cut_hz, sample_rate=sample_rate)
    wet *= np.max(np.abs(audio), initial=0.0) / max(float(np.max(np.abs(wet))), 1e-12)
    wet = np.stack([with_edges(row, start_ms=0, end_ms=END_MS, sample_rate=sample_rate) for row in wet])
    return added(audio, wet, settings.level_db)

"""A delay in note values."""

from __future__ import annotations

import math
from typing import Literal

import numpy as np
from pydantic import Field

from juglant.core.chain.echo import WHOLE_MS, added, cut_low_and_high, fed
from juglant.core.chain.stage import Echoing
from juglant.core.music.tempo import frame_at
from juglant.core.parameter.parameter import parameter
from juglant.core.types import Samples

NoteValue = Literal["1/64", "1/32", "1/16 triplet", "1/16", "1/8 triplet", "1/16 dotted", "1/8", "1/8 dotted", "1/4"]
BEATS: dict[str, float] = {
    "1/64": 1 / 16, "1/32": 1 / 8, "1/16 triplet": 1 / 6, "1/16": 1 / 4, "1/8 triplet": 1 / 3, "1/16 dotted": 3 / 8,
    "1/8": 1 / 2, "1/8 dotted": 3 / 4, "1/4": 1.0,
}  # fmt: skip
SILENT_DB = -60.0
MOST_ECHOES = 40


class Delay(Echoing):
    """Delay."""

    kind: Literal["delay"] = "delay"
    every: NoteValue = Field(default="1/16", title="Every", description="Time between echoes.")
    feedback_pct: float = parameter(30, 0, 90, "%", "Level of each echo against the one before.", title="Feedback", step=1)
    low_cut_hz: float = parameter(200, 20, 2000, "Hz", "Nothing of it below.", title="Low cut", scale="log", step=10)
    high_cut_hz: float = parameter(6000, 500, 18000, "Hz", "Little of it above.", title="High cut", scale="log", step=100)
    attack_ms: float = parameter(
        WHOLE_MS, 2, WHOLE_MS, "ms", "Fed by this much of the start; 500 ms feeds it all.", title="Fed by", scale="log",
        step=1,
    )  # fmt: skip
    level_db: float = parameter(-12, -48, 0, "dB", "Level of the first echo.", title="Level", step=0.5)


def echoes_of(every: NoteValue, feedback_pct: float, *, bpm: float, sample_rate: int) -> list[tuple[int, float]]:
    """First frame and level of every echo until they are 60 dB down, each placed from zero, so that nothing accumulates."""
    feedback = feedback_pct / 100
    count = 1 if feedback <= 0 else min(MOST_ECHOES, 1 + int(SILENT_DB / (20 * math.log10(feedback))))
    return [(frame_at(BEATS[every] * (k + 1), bpm, sample_rate), feedback**k) for k in range(count)]


def apply(settings: Delay, audio: Samples, *, sample_rate: int, bpm: float) -> Samples:
    """Add echoes to (channels, frames), until they are 60 dB down."""
    source = fed(audio, settings.attack_ms, sample_rate=sample_rate)
    source = cut_low_and_high(source, settings.low_cut_hz, settings.high_cut_hz, sample_rate=sample_rate)
    echoes = echoes_of(settings.every, settings.feedback_pct, bpm=bpm, sample_rate=sample_rate)
    wet = np.zeros((source.shape[0], echoes[-1][0] + source.shape[1]))
    for start, level in echoes:
        wet[:, start : start + source.shape[1]] += level * source
    return added(audio, wet, settings.level_db)

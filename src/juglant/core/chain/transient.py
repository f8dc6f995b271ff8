"""Transient shaping: the attack and the sustain of a sound, apart from each other and from its level."""

from __future__ import annotations

from typing import Literal

import numpy as np

from juglant.core.chain.stage import Stage
from juglant.core.parameter.parameter import parameter
from juglant.core.signal.dynamics import followed, level_db
from juglant.core.types import Samples

# Followers whose difference is what rises and what rings (this project's choice).
QUICK_MS, SLOW_MS, FALL_MS, RING_MS = 0.5, 25.0, 60.0, 350.0
# Difference of the followers at which the whole gain is applied, and the level under which nothing counts.
FULL_DB, LEAST_DB = 12.0, -60.0
SMOOTH_MS = 1.0


class Transient(Stage):
    """Transient shaper."""

    kind: Literal["transient"] = "transient"
    attack_db: float = parameter(4, -18, 18, "dB", "What rises, up or down.", title="Attack", step=0.5)
    sustain_db: float = parameter(0, -24, 18, "dB", "What rings on, up or down.", title="Sustain", step=0.5)


def apply(settings: Transient, audio: Samples, *, sample_rate: int, bpm: float) -> Samples:
    """Shape (channels, frames); all channels move together."""
    if not audio.shape[1] or not np.any(audio):
        return audio
    level = level_db(audio)
    level = np.maximum(level, float(level.max()) + LEAST_DB)
    fast = followed(level, up_ms=QUICK_MS, down_ms=FALL_MS, sample_rate=sample_rate)
    slow = followed(level, up_ms=SLOW_MS, down_ms=FALL_MS, sample_rate=sample_rate)
    ringing = followed(level, up_ms=QUICK_MS, down_ms=RING_MS, sample_rate=sample_rate)
    rise = np.clip((fast - slow) / FULL_DB, 0, 1)
    ring = np.clip((ringing - fast) / FULL_DB, 0, 1)
    gain = settings.attack_db * rise + settings.sustain_db * ring
    gain = followed(gain, up_ms=SMOOTH_MS, down_ms=SMOOTH_MS, sample_rate=sample_rate)
    return audio * 10 ** (gain / 20)

"""Soft clip."""

from __future__ import annotations

from typing import Literal

import numpy as np

from juglant.core.chain.stage import Stage
from juglant.core.parameter.parameter import parameter
from juglant.core.signal.drive import clipped
from juglant.core.types import Samples


class Clip(Stage):
    """Soft clip: untouched up to 6 dB under the ceiling, never above it."""

    kind: Literal["clip"] = "clip"
    gain_db: float = parameter(3, 0, 24, "dB", "Gain into it.", title="Gain", step=0.5)
    ceiling_db: float = parameter(-1, -18, 0, "dBFS", "No sample above.", title="Ceiling", step=0.1)


def apply(settings: Clip, audio: Samples, *, sample_rate: int, bpm: float) -> Samples:
    """Clip (channels, frames)."""
    gain, ceiling = 10 ** (settings.gain_db / 20), 10 ** (settings.ceiling_db / 20)
    return np.stack([clipped(row * gain, ceiling=ceiling, sample_rate=sample_rate) for row in audio])

"""Width by a delayed copy: one side a little later. What it costs in mono is measured, not hidden."""

from __future__ import annotations

from typing import Literal

import numpy as np

from juglant.core.chain.stage import Stage
from juglant.core.parameter.parameter import parameter
from juglant.core.signal.envelope import frames_of
from juglant.core.types import Samples


class Width(Stage):
    """Delayed copy on one side; comb-filters in mono."""

    kind: Literal["width"] = "width"
    apart_ms: float = parameter(
        12, 0.1, 40, "ms", "How much later the right side is.", title="Apart", scale="log", step=0.5
    )
    copy_db: float = parameter(0, -24, 0, "dB", "Level of the later side.", title="Later side", step=0.5)


def apply(settings: Width, audio: Samples, *, sample_rate: int, bpm: float) -> Samples:
    """(channels, frames) with its last channel later: always two channels."""
    late = frames_of(settings.apart_ms, sample_rate)
    out = np.zeros((2, audio.shape[1] + late))
    out[0, : audio.shape[1]] = audio[0]
    out[1, late:] = 10 ** (settings.copy_db / 20) * audio[-1]
    return out

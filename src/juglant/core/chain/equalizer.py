"""One EQ section: bell, shelf or pass (formulas: R. Bristow-Johnson, Audio EQ Cookbook)."""

from __future__ import annotations

from typing import Literal

import numpy as np
from pydantic import Field

from juglant.core.chain.stage import Stage
from juglant.core.parameter.parameter import parameter
from juglant.core.signal.filters import cookbook, filter_signal
from juglant.core.types import Samples


class Equalizer(Stage):
    """EQ section."""

    kind: Literal["eq"] = "eq"
    shape: Literal["bell", "low shelf", "high shelf", "high-pass", "low-pass"] = Field(default="bell", title="Shape")
    frequency_hz: float = parameter(200, 20, 18000, "Hz", "Middle or corner.", title="Frequency", scale="log", step=5)
    gain_db: float = parameter(-3, -24, 18, "dB", "Boost or cut; passes have none.", title="Gain", step=0.5)
    q: float = parameter(0.9, 0.2, 12, "", "Narrowness; 0.71 is flattest for passes.", title="Q", scale="log", step=0.1)


def apply(settings: Equalizer, audio: Samples, *, sample_rate: int, bpm: float) -> Samples:
    """Equalise (channels, frames)."""
    sections = cookbook(
        settings.shape,
        frequency_hz=settings.frequency_hz,
        gain_db=settings.gain_db,
        q=settings.q,
        sample_rate=sample_rate,
    )
    return np.stack([filter_signal(sections, channel) for channel in audio])

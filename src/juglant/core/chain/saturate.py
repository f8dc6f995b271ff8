"""Saturation in several curves, oversampled, of the whole sound or of one band of it."""

from __future__ import annotations

from typing import Literal

import numpy as np
from pydantic import Field

from juglant.core.chain.stage import Stage
from juglant.core.parameter.parameter import parameter
from juglant.core.signal.crossover import split
from juglant.core.signal.drive import CURVES, shape
from juglant.core.types import Samples

# At these ends the drive takes the whole sound.
LOWEST_HZ, HIGHEST_HZ = 20.0, 20000.0
Curve = Literal["soft", "hard", "fold", "uneven"]


class Saturate(Stage):
    """Drive."""

    kind: Literal["drive"] = "drive"
    curve: Curve = Field(
        default="soft", title="Curve", description="Soft and hard make odd harmonics, uneven even ones too, fold many."
    )
    drive_db: float = parameter(9, 0, 30, "dB", "Gain into the curve.", title="Drive", step=0.5)
    from_hz: float = parameter(
        LOWEST_HZ, 20, 5000, "Hz", "Nothing below is driven; 20 Hz is off.", title="From", scale="log", step=5
    )
    to_hz: float = parameter(
        HIGHEST_HZ, 60, 20000, "Hz", "Nothing above is driven; 20 kHz is off.", title="To", scale="log", step=10
    )
    mix_pct: float = parameter(100, 0, 100, "%", "Driven against untouched.", title="Mix", step=1)
    level_db: float = parameter(0, -24, 12, "dB", "Level of what was driven.", title="Level", step=0.5)


def apply(settings: Saturate, audio: Samples, *, sample_rate: int, bpm: float) -> Samples:
    """Drive (channels, frames); a band alone where one is set, in phase with what is left."""
    if settings.drive_db <= 0 or settings.mix_pct <= 0:
        return audio
    return np.stack([_driven(settings, channel, sample_rate) for channel in audio])


def _driven(settings: Saturate, audio: Samples, sample_rate: int) -> Samples:
    corners = [settings.from_hz] if settings.from_hz > LOWEST_HZ else []
    if settings.to_hz < min(HIGHEST_HZ, 0.45 * sample_rate) and settings.to_hz > settings.from_hz * 1.05:
        corners.append(settings.to_hz)
    bands = split(audio, tuple(corners), sample_rate=sample_rate)
    at = 1 if settings.from_hz > LOWEST_HZ else 0
    dry = bands[at]
    wet = shape(dry, CURVES.index(settings.curve), drive_db=settings.drive_db, sample_rate=sample_rate)
    share = settings.mix_pct / 100
    bands[at] = (1 - share) * dry + share * 10 ** (settings.level_db / 20) * wet
    return np.asarray(np.sum(bands, axis=0))

"""The tail of a kick: a long sine with its own decay."""

from __future__ import annotations

from typing import Literal

import numpy as np

from juglant.core.model.parameter import Description, parameter
from juglant.core.signal.drive import drive
from juglant.core.signal.envelope import staged
from juglant.core.types import Samples


class Tail(Description):
    """Tail engine: the resting note itself."""

    engine: Literal["tail"] = "tail"
    landing_hz: float = parameter(50, 20, 250, "Hz", "The note of the tail.", title="Landing", scale="log", step=0.1)
    attack_ms: float = parameter(
        20, 0.5, 300, "ms", "Time to come in.", title="Comes in", scale="log", step=1, musical=(5, 120)
    )
    hold_ms: float = parameter(20, 0, 2000, "ms", "Time at full level.", title="Hold", step=1, musical=(0, 240))
    decay_ms: float = parameter(
        300, 5, 4000, "ms", "Time to fall by 24 dB.", title="Decay", scale="log", step=5, musical=(80, 800)
    )
    release_ms: float = parameter(
        90, 5, 2000, "ms", "Time to fall from there to silence.", title="Release", scale="log", step=5, musical=(40, 300)
    )
    drive_db: float = parameter(
        0, 0, 30, "dB", "Gain into saturation: adds odd harmonics.", title="Drive", step=0.5, musical=(0, 12)
    )


def render(settings: Tail, *, tune: float, sample_rate: int) -> Samples:
    """Render the tail, (frames,); `tune` is a ratio applied to its pitch."""
    envelope = staged(
        attack_ms=settings.attack_ms,
        hold_ms=settings.hold_ms,
        decay_ms=settings.decay_ms,
        release_ms=settings.release_ms,
        sample_rate=sample_rate,
    )
    tone = np.sin(2 * np.pi * settings.landing_hz * tune / sample_rate * np.arange(envelope.size))
    return drive(tone, drive_db=settings.drive_db, edged=False, sample_rate=sample_rate) * envelope

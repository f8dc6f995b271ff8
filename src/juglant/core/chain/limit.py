"""True-peak limiter."""

from __future__ import annotations

from typing import Literal

import numpy as np

from juglant.core.chain.stage import Stage
from juglant.core.parameter.parameter import parameter
from juglant.core.signal.limiter import limited_true_peak
from juglant.core.types import Samples


class Limit(Stage):
    """True-peak limiter."""

    kind: Literal["limiter"] = "limiter"
    gain_db: float = parameter(3, 0, 24, "dB", "Gain into it.", title="Gain", step=0.5)
    ceiling_dbtp: float = parameter(-1, -18, 0, "dBTP", "No true peak above.", title="Ceiling", step=0.1)
    recovery_ms: float = parameter(40, 5, 500, "ms", "How long it stays down.", title="Recovery", scale="log", step=5)


def apply(settings: Limit, audio: Samples, *, sample_rate: int, bpm: float) -> Samples:
    """Limit (channels, frames); all channels move together."""
    return limited_true_peak(
        np.asarray(audio * 10 ** (settings.gain_db / 20)),
        ceiling=10 ** (settings.ceiling_dbtp / 20),
        recovery_ms=settings.recovery_ms,
        sample_rate=sample_rate,
    )

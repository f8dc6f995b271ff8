"""What a linear-phase carve lets ring ahead of a sound's start."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from juglant.core.signal.filters import level_hit
from juglant.core.types import Samples

AHEAD_S = 0.5
# Ahead of the start nothing under this, re the peak, is counted as ringing.
SILENT_DB = -60.0


@dataclass(frozen=True)
class PreRing:
    """Ringing ahead of a start: its energy re the whole sound's in dB, and how long it is over -60 dB re the peak, ms."""

    level_db: float
    length_ms: float


def pre_ring(sound: Samples, sections: Samples, *, sample_rate: int) -> PreRing | None:
    """Ringing of a one-shot that starts at sample 0, (frames,), through sections at linear phase; None for silence."""
    if not len(sections) or not np.any(sound):
        return None
    ahead = round(AHEAD_S * sample_rate)
    out = level_hit(sound, sections, ahead, sample_rate=sample_rate)
    before, whole = float(out[:ahead] @ out[:ahead]), float(out @ out)
    loud = np.flatnonzero(np.abs(out[:ahead]) > np.max(np.abs(out)) * 10 ** (SILENT_DB / 20))
    length_ms = 1000 * (ahead - int(loud[0])) / sample_rate if loud.size else 0.0
    return PreRing(10 * float(np.log10(max(before / whole, 1e-12))), length_ms)

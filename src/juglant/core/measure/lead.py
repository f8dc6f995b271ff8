"""What lies before a recorded sound begins: a lead-in that would make it late."""

from __future__ import annotations

import numpy as np

from juglant.core.measure.timing import onset_frame
from juglant.core.types import Samples

# Shorter than this nobody hears as late (this project's choice).
LEAST_LEAD_MS = 3.0
# A sound that takes longer than this from 30 to 6 dB under its loudest fades in: where it begins is not where it is heard,
# and there is nothing to cut. Levels over 8 ms, half a period of what is low.
SOFT_MS, FAINT_DB, RISEN_DB = 30.0, -30.0, -6.0
WINDOW_MS = 8.0


def lead_in_ms(signal: Samples, *, sample_rate: int) -> float | None:
    """Time from the start of (frames,) to the onset of the sound, ms; None for silence and for a soft attack."""
    if not np.any(signal):
        return None
    onset = onset_frame(signal, sample_rate=sample_rate)
    window = max(1, round(WINDOW_MS * sample_rate / 1000))
    total = np.cumsum(np.concatenate((np.zeros(window), signal**2)))
    power = total[window:] - total[:-window]
    risen = int(np.argmax(power >= power.max() * 10 ** (RISEN_DB / 10)))
    faint = np.flatnonzero(power[:risen] < power.max() * 10 ** (FAINT_DB / 10))
    if 1000 * (risen - (faint[-1] if faint.size else 0)) / sample_rate > SOFT_MS and faint.size:
        return None
    return round(1000 * onset / sample_rate, 4)

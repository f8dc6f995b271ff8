"""What lies before a recorded sound begins: a lead-in that would make it late."""

from __future__ import annotations

import numpy as np

from juglant.core.measure.timing import onset_frame
from juglant.core.types import Samples

# Shorter than this nobody hears as late (this project's choice).
LEAST_LEAD_MS = 3.0
# A sound that takes longer than this from its onset to within 12 dB of its loudest fades in: where it begins is not
# where it is heard, and there is nothing to cut.
SOFT_MS, RISEN_DB = 40.0, -12.0
WINDOW_MS = 1.0


def lead_in_ms(signal: Samples, *, sample_rate: int) -> float | None:
    """Time from the start of (frames,) to the onset of the sound, ms; None for silence and for a soft attack."""
    if not np.any(signal):
        return None
    onset = onset_frame(signal, sample_rate=sample_rate)
    window = max(1, round(WINDOW_MS * sample_rate / 1000))
    total = np.cumsum(np.concatenate((np.zeros(window), signal[onset:] ** 2)))
    power = total[window:] - total[:-window]
    risen = int(np.argmax(power >= power.max() * 10 ** (RISEN_DB / 10)))
    if 1000 * risen / sample_rate > SOFT_MS:
        return None
    return round(1000 * onset / sample_rate, 4)

"""A peak limiter for whole sounds: looks ahead as far as it likes, so its gain is in place before the peak."""

from __future__ import annotations

import numpy as np
from scipy import ndimage

from juglant.core.signal.envelope import frames_of
from juglant.core.types import Samples

REACH_MS, RECOVERY_MS = 1.5, 40.0


def limited(signal: Samples, *, ceiling: float, sample_rate: int) -> Samples:
    """Hold the sample peak of (frames,) at `ceiling` (linear): the least gain any sample within reach needs, smoothed.

    The gain falls within 1.5 ms and recovers in about 40 ms; a mean over the reach of a minimum over twice the reach is
    never above what the peak needs.
    """
    if signal.size == 0 or np.max(np.abs(signal)) <= ceiling:
        return signal
    needed = np.minimum(1.0, ceiling / np.maximum(np.abs(signal), 1e-12))
    reach = max(1, frames_of(REACH_MS, sample_rate))
    recovery = max(reach, frames_of(RECOVERY_MS, sample_rate))
    # Longer to the past than to the future: gain lost comes back slowly.
    low = ndimage.minimum_filter1d(needed, recovery + reach, origin=(recovery - reach) // 2, mode="nearest")
    gain = ndimage.uniform_filter1d(low, reach, mode="nearest")
    return signal * np.minimum(gain, needed)

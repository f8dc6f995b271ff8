"""A peak limiter for whole sounds: looks ahead as far as it likes, so its gain is in place before the peak."""

from __future__ import annotations

import numpy as np
import scipy
from scipy import ndimage

from juglant.core.signal.envelope import frames_of
from juglant.core.types import Samples

REACH_MS, RECOVERY_MS = 1.5, 40.0
OVERSAMPLING = 4
# 0.1 dB under the ceiling: four looks a sample miss at most that much (BS.1770-5 annex 2).
TRUE_PEAK_SAFETY = 10 ** (-0.1 / 20)


def limited(signal: Samples, *, ceiling: float, sample_rate: int) -> Samples:
    """Hold the sample peak of (frames,) at `ceiling` (linear): the least gain any sample within reach needs, smoothed.

    The gain falls within 1.5 ms and recovers in about 40 ms; a mean over the reach of a minimum over twice the reach is
    never above what the peak needs.
    """
    if signal.size == 0 or np.max(np.abs(signal)) <= ceiling:
        return signal
    needed = np.minimum(1.0, ceiling / np.maximum(np.abs(signal), 1e-12))
    return signal * _held(needed, RECOVERY_MS, sample_rate)


def _held(needed: Samples, recovery_ms: float, sample_rate: int) -> Samples:
    """The gain that is never above what any sample needs, moving smoothly, (frames,)."""
    reach = max(1, frames_of(REACH_MS, sample_rate))
    recovery = max(reach, frames_of(recovery_ms, sample_rate))
    # Longer to the past than to the future: gain lost comes back slowly.
    low = ndimage.minimum_filter1d(needed, recovery + reach, origin=(recovery - reach) // 2, mode="nearest")
    gain = ndimage.uniform_filter1d(low, reach, mode="nearest")
    return np.asarray(np.minimum(gain, needed))


def limited_true_peak(audio: Samples, *, ceiling: float, recovery_ms: float, sample_rate: int) -> Samples:
    """Hold the true peak of (channels, frames) at `ceiling` (linear), all channels by the same gain.

    The gain follows peaks of the four times oversampled signal, a touch lower so that its own movement cannot lift them.
    """
    frames = audio.shape[1]
    if not frames:
        return audio
    wide = np.abs(np.stack([scipy.signal.resample_poly(row, OVERSAMPLING, 1) for row in audio])).max(axis=0)
    peaks = np.maximum(wide.reshape(frames, OVERSAMPLING).max(axis=1), np.abs(audio).max(axis=0))
    # What lies between two samples is seen by both.
    peaks = ndimage.maximum_filter1d(peaks, 3, mode="nearest")
    if peaks.max() <= ceiling:
        return audio
    needed = np.minimum(1.0, ceiling * TRUE_PEAK_SAFETY / np.maximum(peaks, 1e-12))
    return audio * _held(needed, recovery_ms, sample_rate)

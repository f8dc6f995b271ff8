"""A coarse period by normalised cross-correlation.

Of short frames with their own later selves: 1 for any exponential decay, which plain autocorrelation is not.
"""

from __future__ import annotations

from dataclasses import dataclass

import numba
import numpy as np
from numpy.typing import NDArray

from juglant.core.signal.frames import REORDERED
from juglant.core.types import Samples

FRAME_S = 0.03
MOST_FRAMES = 48
# A shorter lag is taken for the period if it explains the hit this nearly as well as the best.
NEARLY = 0.04
RESTART = 16

Steps = NDArray[np.int64]


@dataclass(frozen=True)
class Period:
    """Coarse fundamental in Hz and how periodic the hit is there, 0..1; the curve for closer looks."""

    frequency_hz: float
    periodicity: float
    lags: Steps
    curve: Samples


@numba.njit(cache=True, nogil=True, fastmath=REORDERED)
def _correlations(x: Samples, starts: Steps, frame: int, lags: Steps, out: Samples, energy: Samples) -> None:
    for i in range(starts.size):
        s = int(starts[i])
        own = 1e-30
        for n in range(frame):
            own += x[s + n] * x[s + n]
        energy[i] = own
        later = 0.0
        for j in range(lags.size):
            lag = int(lags[j])
            cross, now, then = 0.0, x[s : s + frame], x[s + lag : s + lag + frame]
            for n in range(frame):
                cross += now[n] * then[n]
            if j % RESTART == 0:
                later = 0.0
                for n in range(frame):
                    later += x[s + n + lag] ** 2
            else:
                # The later frame moved on by one sample; summed afresh now and then, so that no rounding piles up.
                later += x[s + lag + frame - 1] ** 2 - x[s + lag - 1] ** 2
            out[i, j] = cross / np.sqrt(own * max(later, 1e-30))


def coarse_period(x: Samples, *, rate: int, lowest_hz: float, highest_hz: float, noise: float) -> Period | None:
    """Coarse period of a hit that starts at sample 0, (frames,); None where it is too short for two periods.

    noise: mean square of the noise floor. Frames count by the square root of their level above it, so that the
    quiet, settled part outweighs the loud sweep.
    """
    frame = round(FRAME_S * rate)
    shortest, longest = max(3, int(rate / highest_hz)), int(np.ceil(rate / lowest_hz)) + 1
    longest = min(longest, x.size - frame - 2)
    if longest < shortest + 3:
        return None
    lags = np.arange(shortest - 1, longest + 1, dtype=np.int64)
    last = x.size - frame - longest
    starts = np.unique(np.linspace(0, max(0, last - 1), min(MOST_FRAMES, max(1, last // 8))).astype(np.int64))
    table, energy = np.empty((starts.size, lags.size)), np.empty(starts.size)
    _correlations(x, starts, frame, lags, table, energy)
    level = np.maximum(energy / frame - 2 * noise, 0)
    weight = np.sqrt(np.sqrt(level)) * np.minimum(1, 0.15 + starts / (0.08 * rate))
    weight[level < 1e-5 * level.max(initial=0)] = 0
    if weight.sum() <= 0:
        return None
    curve = weight @ table / weight.sum()
    inner = curve[1:-1]
    peaks = np.flatnonzero((inner >= curve[:-2]) & (inner > curve[2:])) + 1
    if not peaks.size:
        return None
    # Parabola through the three points around each peak.
    left, mid, right = curve[peaks - 1], curve[peaks], curve[peaks + 1]
    bend = left - 2 * mid + right
    shift = np.where(bend < 0, 0.5 * (left - right) / np.where(bend < 0, bend, 1), 0)
    heights = mid - 0.25 * (left - right) * shift
    best = float(heights.max())
    first = int(np.flatnonzero(heights >= best - NEARLY)[0])
    return Period(float(rate / (lags[peaks[first]] + shift[first])), float(min(1, heights[first])), lags, curve)

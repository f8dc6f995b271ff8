"""Fourth-order Linkwitz-Riley crossovers whose bands sum to an all-pass, however many corners there are.

Each branch is two equal second-order Butterworth filters (Linkwitz 1976): -6.02 dB at the corner, both branches in phase
everywhere, so their sum is the second-order all-pass of that corner. A band that does not pass a corner gets that corner's
all-pass instead, and all bands stay in phase.
"""

from __future__ import annotations

import math
from functools import lru_cache

import numpy as np

from juglant.core.signal.filters import butterworth, filter_signal
from juglant.core.types import Samples


def low_branch(corner_hz: float, *, sample_rate: int) -> Samples:
    """What lies below a corner, (2, 6) sections."""
    one = butterworth(2, corner_hz, "lowpass", sample_rate=sample_rate)
    return np.vstack((one, one))


def high_branch(corner_hz: float, *, sample_rate: int) -> Samples:
    """What lies above a corner, (2, 6) sections."""
    one = butterworth(2, corner_hz, "highpass", sample_rate=sample_rate)
    return np.vstack((one, one))


@lru_cache(maxsize=256)
def all_pass(corner_hz: float, *, sample_rate: int) -> Samples:
    """What both branches of a corner sum to, (1, 6): the Butterworth denominator over itself turned round."""
    _, _, _, a0, a1, a2 = butterworth(2, corner_hz, "lowpass", sample_rate=sample_rate)[0]
    section = np.array([[a2, a1, a0, a0, a1, a2]])
    section.setflags(write=False)
    return section


def band_sections(
    low_hz: float | None, high_hz: float | None, others_hz: tuple[float, ...], *, sample_rate: int
) -> Samples:
    """Sections of one band between two corners (None: open), in phase with bands cut at `others_hz`, (n, 6)."""
    parts = [np.empty((0, 6))]
    if low_hz is not None:
        parts.append(high_branch(low_hz, sample_rate=sample_rate))
    if high_hz is not None:
        parts.append(low_branch(high_hz, sample_rate=sample_rate))
    parts += [all_pass(corner, sample_rate=sample_rate) for corner in others_hz]
    return np.vstack(parts)


def split(audio: Samples, corners_hz: tuple[float, ...], *, sample_rate: int) -> list[Samples]:
    """The bands of (frames,), low to high, one more than there are corners; their sum is an all-pass of the input.

    Raises ValueError where the corners do not rise.
    """
    if list(corners_hz) != sorted(set(corners_hz)) or any(not math.isfinite(corner) for corner in corners_hz):
        raise ValueError(f"corners must rise, got {corners_hz}")
    out = []
    for index in range(len(corners_hz) + 1):
        low = corners_hz[index - 1] if index else None
        high = corners_hz[index] if index < len(corners_hz) else None
        others = tuple(corner for corner in corners_hz if corner not in (low, high))
        out.append(filter_signal(band_sections(low, high, others, sample_rate=sample_rate), audio))
    return out

"""Sums over frames of a signal, as levels and floors need them."""

from __future__ import annotations

import numba
import numpy as np

from juglant.core.types import Samples

# Sums may be taken in any order, so that the processor adds several at once; values that are not finite stay so.
REORDERED = {"reassoc", "contract", "nsz"}


@numba.njit(cache=True, nogil=True, fastmath=REORDERED)
def _powers(x, frame, out):  # type: ignore[no-untyped-def]
    for i in range(out.size):
        part = x[i * frame : (i + 1) * frame]
        total = 0.0
        for n in range(frame):
            total += part[n] * part[n]
        out[i] = total / frame


def frame_powers(signal: Samples, frame: int, count: int | None = None) -> Samples:
    """Mean square of each whole frame of `frame` samples of a signal, (frames,): of the first `count`, or of all."""
    out = np.empty(signal.size // frame if count is None else count)
    _powers(signal, frame, out)
    return out


def quiet_floor(powers: Samples, *, share: int, highest_db: float) -> float:
    """Median of the quietest 1/share of frame powers, zeros left out; 0 where that is no floor but the sound itself.

    highest_db: a floor lies at least this far under the loudest frame.
    """
    power = np.sort(powers)
    power = power[np.searchsorted(power, 0.0, side="right") :]
    if not power.size:
        return 0.0
    floor = float(np.median(power[: max(1, power.size // share)]))
    return floor if floor <= float(power[-1]) * 10 ** (highest_db / 10) else 0.0

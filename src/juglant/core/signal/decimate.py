"""Decimation for low-band work."""

from __future__ import annotations

from functools import lru_cache

import numba
import numpy as np
import scipy

from juglant.core.signal.frames import REORDERED
from juglant.core.types import Samples

# Stop-band of the kernel, dB; its transition ends where a fold would reach the pass-band.
STOP_DB = 90.0


@lru_cache(maxsize=16)
def _kernel(factor: int, pass_share: float) -> Samples:
    # Kaiser window design (Kaiser 1974): pass up to pass_share of the new Nyquist, stop from 2 - pass_share.
    width = (2 - 2 * pass_share) / factor
    taps, beta = scipy.signal.kaiserord(STOP_DB, width)
    kernel = scipy.signal.firwin(taps | 1, 1 / factor, window=("kaiser", beta))
    kernel.setflags(write=False)
    return np.asarray(kernel)


def decimate(signal: Samples, factor: int, *, pass_share: float) -> Samples:
    """Every `factor`-th sample of a linear-phase low-passed signal; sample 0 stays sample 0.

    signal: (frames,), zero outside; pass_share: part of the new Nyquist kept flat and free of folds.
    Returns (ceil(frames / factor),).
    """
    if factor <= 1:
        return signal
    # Two stages where the factor allows: the first may be short, as its transition is wide.
    early = next((step for step in (8, 7, 6, 5, 4) if factor % step == 0 and factor // step > 1), 1)
    if early > 1:
        first_stage = decimate(signal, early, pass_share=pass_share * early / factor)
        return decimate(first_stage, factor // early, pass_share=pass_share)
    kernel = _kernel(factor, pass_share)
    out = np.empty(-(-signal.size // factor))
    _filtered(np.ascontiguousarray(signal), kernel, factor, out)
    return out


@numba.njit(cache=True, nogil=True, fastmath=REORDERED)
def _filtered(signal, kernel, factor, out):  # type: ignore[no-untyped-def]
    """Only the samples that are kept are computed."""
    half = kernel.size // 2
    for i in range(out.size):
        first = i * factor - half
        begin, end = max(0, -first), min(kernel.size, signal.size - first)
        taps, samples = kernel[begin:end], signal[first + begin : first + end]
        total = 0.0
        for k in range(taps.size):
            total += taps[k] * samples[k]
        out[i] = total

"""Decimation for low-band work."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
import scipy

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
    # As one matrix product: blocks of `factor` samples times blocks of the kernel, then summed along the diagonals.
    half = kernel.size // 2
    blocks = -(-kernel.size // factor)
    taps = np.zeros(blocks * factor)
    taps[: kernel.size] = kernel
    count = -(-signal.size // factor)
    padded = np.zeros((count + blocks) * factor)
    padded[half : half + signal.size] = signal[: padded.size - half]
    products = padded.reshape(-1, factor) @ taps.reshape(blocks, factor).T
    out = products[:count, 0].copy()
    for block in range(1, blocks):
        out += products[block : block + count, block]
    return out

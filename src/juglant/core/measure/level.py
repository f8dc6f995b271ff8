"""Levels: peak, true peak, crest and K-weighted loudness (ITU-R BS.1770-5)."""

from __future__ import annotations

import math
from functools import lru_cache
from itertools import pairwise

import numpy as np
from scipy import signal as dsp

from juglant.core.types import Samples

SILENCE_LUFS = -120.0
ABSOLUTE_GATE_LUFS = -70.0
RELATIVE_GATE_LU = -10.0
BLOCK_S, OVERLAP = 0.4, 0.75
LOUDNESS_OFFSET = -0.691
STROKES = 16
STROKE_FADE_MS = 5.0


def db(amplitude: float) -> float:
    """Decibels of an amplitude, floored at -200."""
    return 20 * math.log10(max(amplitude, 1e-10))


@lru_cache(maxsize=8)
def k_weighting(sample_rate: int) -> Samples:
    """The two K-weighting sections, (2, 6), for any rate.

    At 48 kHz these are the coefficients of BS.1770-5 annex 1, tables 1 and 2; at other rates the same analogue
    shelf and high-pass (the parameters that the tables follow from), bilinear.
    """
    f0, gain_db, q = 1681.974450955533, 3.999843853973347, 0.7071752369554196
    k = math.tan(math.pi * f0 / sample_rate)
    vh = 10 ** (gain_db / 20)
    vb = vh**0.4996667741545416
    a0 = 1 + k / q + k * k
    shelf = [(vh + vb * k / q + k * k) / a0, 2 * (k * k - vh) / a0, (vh - vb * k / q + k * k) / a0]
    shelf += [1.0, 2 * (k * k - 1) / a0, (1 - k / q + k * k) / a0]
    f0, q = 38.13547087602444, 0.5003270373238773
    k = math.tan(math.pi * f0 / sample_rate)
    a0 = 1 + k / q + k * k
    high = [1.0, -2.0, 1.0, 1.0, 2 * (k * k - 1) / a0, (1 - k / q + k * k) / a0]
    return np.array([shelf, high])


def k_weighted(block: Samples, *, sample_rate: int) -> Samples:
    """K-weighted audio, same shape, from silence."""
    return np.asarray(dsp.sosfilt(k_weighting(sample_rate), block, axis=-1))


def integrated_loudness(weighted: Samples, *, sample_rate: int) -> float:
    """Gated integrated loudness in LUFS of K-weighted audio (channels, frames) or (frames,).

    Channel weights 1 (mono, left, right). Shorter than one block: ungated over what there is.
    """
    block = np.atleast_2d(weighted)
    size = round(BLOCK_S * sample_rate)
    step = round(size * (1 - OVERLAP))
    energy = np.concatenate(([0.0], np.cumsum(np.sum(block**2, axis=0))))
    if block.shape[1] < size:
        powers = np.array([energy[-1] / max(block.shape[1], 1)])
    else:
        starts = np.arange(0, block.shape[1] - size + 1, step)
        powers = (energy[starts + size] - energy[starts]) / size
    loudness = LOUDNESS_OFFSET + 10 * np.log10(np.maximum(powers, 1e-20))
    kept = powers[loudness > ABSOLUTE_GATE_LUFS]
    if not kept.size:
        return SILENCE_LUFS
    relative = LOUDNESS_OFFSET + 10 * math.log10(float(kept.mean())) + RELATIVE_GATE_LU
    kept = powers[(loudness > ABSOLUTE_GATE_LUFS) & (loudness > relative)]
    return LOUDNESS_OFFSET + 10 * math.log10(float(kept.mean()))


def loop_loudness(loop: Samples, *, sample_rate: int) -> float:
    """Integrated loudness of a loop as it runs, LUFS: the filters and the gate see its wrap."""
    if not loop.size:
        return SILENCE_LUFS
    warm = round(0.5 * sample_rate)
    around = np.take(loop, np.arange(-warm, loop.size + round(0.3 * sample_rate)), mode="wrap")
    return integrated_loudness(k_weighted(around, sample_rate=sample_rate)[warm:], sample_rate=sample_rate)


def hit_loudness(block: Samples, bpm: float, *, sample_rate: int) -> float:
    """Loudness of a one-shot, LUFS: repeated on 16 beats, each stroke cutting the last with a 5 ms fade."""
    hit = np.atleast_2d(block)
    starts = [round(beat * 60 / bpm * sample_rate) for beat in range(STROKES + 1)]
    out = np.zeros((hit.shape[0], starts[-1]))
    fade = round(STROKE_FADE_MS / 1000 * sample_rate)
    for start, end in pairwise(starts):
        count = min(end - start, hit.shape[1])
        stroke = hit[:, :count].copy()
        if count < hit.shape[1]:
            edge = min(fade, count)
            stroke[:, count - edge :] *= np.linspace(1, 0, edge)
        out[:, start : start + count] = stroke
    return integrated_loudness(k_weighted(out, sample_rate=sample_rate), sample_rate=sample_rate)


def true_peak(block: Samples) -> float:
    """True peak as an amplitude: the largest of the samples and of their 4x oversampling (BS.1770-5 annex 2)."""
    if not block.size:
        return 0.0
    flat = np.atleast_2d(block)
    peak = float(np.max(np.abs(flat)))
    if peak == 0:
        return 0.0
    best = peak
    for channel in flat:
        # Only the neighbourhood of high samples can hide a higher peak between them.
        near = np.flatnonzero(np.abs(channel) > 0.5 * peak)
        low, high = max(0, near[0] - 64), min(channel.size, near[-1] + 65) if near.size else 0
        if near.size:
            part = dsp.resample_poly(channel[low:high], 4, 1, window=("kaiser", 8.0))
            best = max(best, float(np.max(np.abs(part))))
    return best

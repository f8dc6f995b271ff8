"""Levels: peak, true peak, crest and K-weighted loudness (ITU-R BS.1770-5)."""

from __future__ import annotations

import math
from functools import lru_cache
from itertools import pairwise

import numpy as np
import scipy

from juglant.core.signal.filters import filter_signal
from juglant.core.signal.wrap import wrapped
from juglant.core.types import Mask, Samples

SILENCE_LUFS = -120.0
ABSOLUTE_GATE_LUFS = -70.0
RELATIVE_GATE_LU = -10.0
BLOCK_S, OVERLAP = 0.4, 0.75
LOUDNESS_OFFSET = -0.691
STROKES = 16
# True peak: samples this far under the peak are looked between; frames of context for the interpolation.
SHORT_SHARE, LONG_SHARE, LONG_FRAMES, CONTEXT = 0.3, 0.8, 200_000, 64
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
    weights = k_weighting(sample_rate)
    if block.ndim == 1:
        return filter_signal(weights, block)
    return np.stack([filter_signal(weights, channel) for channel in block])


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


def energy_loudness_db(sound: Samples, *, sample_rate: int) -> float:
    """K-weighted energy of a one-shot, dB: two sounds struck equally often differ by this in loudness.

    sound: (frames,) or (2, frames); the weight of each channel is 1 (ITU-R BS.1770-5).
    """
    return 10 * math.log10(max(float(np.sum(k_weighted(sound, sample_rate=sample_rate) ** 2)), 1e-20))


def loop_loudness(loop: Samples, *, sample_rate: int) -> float:
    """Integrated loudness of a loop as it runs, LUFS: the filters and the gate see its wrap."""
    if not loop.size:
        return SILENCE_LUFS
    warm = round(0.5 * sample_rate)
    rows = np.stack([wrapped(row, warm, round(0.3 * sample_rate)) for row in np.atleast_2d(loop)])
    return integrated_loudness(k_weighted(rows, sample_rate=sample_rate)[:, warm:], sample_rate=sample_rate)


def weighted_loudness(weighted: Samples, *, sample_rate: int) -> float:
    """The same of a loop that is K-weighted as it runs, (frames,)."""
    return integrated_loudness(wrapped(weighted, 0, round(0.3 * sample_rate)), sample_rate=sample_rate)


def no_louder(loop: Samples, than: Samples, *, sample_rate: int) -> Samples:
    """A loop turned down where it is louder than another, never up: what is compared by ear is not level."""
    here, there = (loop_loudness(one, sample_rate=sample_rate) for one in (than, loop))
    return loop * 10 ** (min(0.0, here - there) / 20)


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


@lru_cache(maxsize=1)
def _four_times() -> Samples:
    """Interpolation to four times the rate: Kaiser window, 20 taps a phase (scipy's own length for this factor)."""
    return np.asarray(scipy.signal.firwin(81, 1 / 4, window=("kaiser", 8.0)))


def true_peak(block: Samples) -> float:
    """True peak as an amplitude: the largest of the samples and of their 4x oversampling (BS.1770-5 annex 2)."""
    if not block.size:
        return 0.0
    flat = np.atleast_2d(block)
    peak = float(np.max(np.abs(flat)))
    if peak == 0:
        return 0.0
    # Only the neighbourhood of high samples can hide a higher peak between them; long audio is asked more narrowly.
    share = SHORT_SHARE if flat.shape[1] < LONG_FRAMES else LONG_SHARE
    best = peak
    for channel in flat:
        for first, last in _stretches(np.abs(channel) > share * peak):
            part = scipy.signal.resample_poly(channel[max(0, first - CONTEXT) : last + CONTEXT], 4, 1, window=_four_times())  # type: ignore[call-overload]
            best = max(best, float(np.max(np.abs(part))))
    return best


def _stretches(high: Mask) -> list[tuple[int, int]]:
    """First and one-past-last sample of each run of high samples, runs closer than twice the context joined."""
    near = np.flatnonzero(high)
    if not near.size:
        return []
    breaks = np.flatnonzero(np.diff(near) > 2 * CONTEXT)
    firsts, lasts = near[np.append(0, breaks + 1)], near[np.append(breaks, near.size - 1)] + 1
    return list(zip(firsts.tolist(), lasts.tolist(), strict=True))

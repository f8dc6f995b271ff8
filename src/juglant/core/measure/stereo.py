"""What a sound with two sides loses in mono."""

from __future__ import annotations

import numpy as np
from scipy import fft

from juglant.core.measure.bands import CENTRES_HZ, HALF_BAND
from juglant.core.types import Samples

# Where a clap or a snare is heard.
LOWEST_HZ, HIGHEST_HZ = 390.0, 4100.0
# A fold-down that is so far under its sides says nothing of them.
CANCELLED_DB = -20.0


def fold_loss_db(audio: Samples) -> float | None:
    """Level of the fold-down (mean of both sides) less that of the sides' mean power, dB; 0 loses nothing.

    audio: (frames,) or (2, frames). None for one channel or silence; -3 for two unlike sides of equal power.
    """
    if audio.ndim == 1 or not np.any(audio):
        return None
    folded = float(np.sum(audio.mean(axis=0) ** 2))
    sides = float(np.sum(audio**2)) / audio.shape[0]
    return 10 * float(np.log10(max(folded / sides, 1e-12)))


def worst_fold_band(audio: Samples, *, sample_rate: int) -> tuple[float, float] | None:
    """The third-octave band from 400 Hz to 4 kHz that loses most in mono: its centre in Hz and what it loses in dB.

    None for one channel, silence, or where no band there is within 20 dB of the strongest.
    """
    if audio.ndim == 1 or not np.any(audio):
        return None
    size = fft.next_fast_len(audio.shape[1], real=True)
    frequency = fft.rfftfreq(size, 1 / sample_rate)
    sides = np.mean(np.abs(fft.rfft(audio, size)) ** 2, axis=0)
    folded = np.abs(fft.rfft(audio.mean(axis=0), size)) ** 2
    found = []
    for centre in CENTRES_HZ:
        inside = (frequency >= centre / HALF_BAND) & (frequency < centre * HALF_BAND)
        found.append((centre, float(sides[inside].sum()), float(folded[inside].sum())))
    strongest = max(energy for _, energy, _ in found)
    told = [one for one in found if LOWEST_HZ <= one[0] <= HIGHEST_HZ and one[1] > 0.01 * strongest]
    if not told:
        return None
    losses = [(centre, 10 * float(np.log10(max(after / before, 1e-12)))) for centre, before, after in told]
    return min(losses, key=lambda one: one[1])


def for_measuring(audio: Samples) -> Samples:
    """One channel to find and measure strokes in, (frames,), of a recording, (channels, frames): the fold-down; where both
    sides all but cancel in it, the left one."""
    if audio.shape[0] == 1:
        return np.asarray(audio[0])
    loss_db = fold_loss_db(audio)
    return np.asarray(audio[0] if loss_db is not None and loss_db < CANCELLED_DB else audio.mean(axis=0))

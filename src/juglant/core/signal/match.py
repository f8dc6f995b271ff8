"""How alike a sound is to every stretch of another: normalised cross-correlation, and where two add most."""

from __future__ import annotations

import numpy as np

from juglant.core.types import Samples

# Two are moved by so much at the most to add to each other, by what they are over so long (this project's choice).
FIT_MS, FIT_OVER_MS = 2.0, 60.0


def likeness(stretch: Samples, sound: Samples) -> Samples:
    """Correlation of a sound, (n,), with every n frames of a stretch, (m,), -1 to 1: (m - n + 1,)."""
    energy = np.convolve(stretch**2, np.ones(sound.size), "valid")
    return np.asarray(np.correlate(stretch, sound, "valid") / np.sqrt(np.maximum(energy * float(sound @ sound), 1e-30)))


def fitted_to(old: Samples, at: int, sound: Samples, *, least: float, sample_rate: int) -> tuple[int, bool]:
    """By how many frames a sound is moved, and whether it is turned, to add most to what begins at a frame of another.

    (0, False) for two that are less alike than `least`: they have nothing to do with each other.
    """
    reach, over = round(FIT_MS * sample_rate / 1000), min(sound.size, round(FIT_OVER_MS * sample_rate / 1000))
    stretch = np.pad(old, (reach, over + reach))[at : at + over + 2 * reach]
    if over < 2 or stretch.size < over + 2 * reach:
        return 0, False
    match = likeness(stretch, sound[:over])
    best = int(np.argmax(np.abs(match)))
    adds = float(match[best])
    return (best - reach, adds < 0) if abs(adds) >= least else (0, False)

"""Where a low hit lies that has no landing: the middle of its strongest low region, with its width.

Acoustic kicks fall all the time they sound and never rest on a note. What is heard of them is a region; its middle moves
exactly as the recording's speed does, because it is found in octaves: the mode of the power spectrum under a Gaussian
(mean shift, Comaniciu & Meer 2002).
"""

from __future__ import annotations

import math

import numpy as np
from scipy import fft

from juglant.core.types import Samples

LOWEST_HZ, HIGHEST_HZ = 28.0, 120.0
# Energy this far outside may still pull the middle.
REACH = 2.0
WIDTH_OCTAVES = 0.3
PLACES, TURNS = 60, 40
# The region's own width says how far off a listener may put it; no rough answer claims more than a quarter tone.
LEAST_CENTS = 50.0
# The strongest of a note's partials may be any of these.
MULTIPLES = (1, 2, 3)


def lies_in(region: tuple[float, float], note_hz: float) -> bool:
    """Whether a note, its octave or its twelfth lies in a region given by its middle in Hz and half width in cents."""
    middle_hz, half_cents = region
    return min(abs(1200 * math.log2(middle_hz / (k * note_hz))) for k in MULTIPLES) <= half_cents


def rough_pitch(x: Samples, *, rate: float) -> tuple[float, float]:
    """Middle of the strongest region between 28 and 120 Hz in Hz, and half the width that holds two thirds of it, in cents.

    x: the decimated hit from its onset, (frames,). Each moment counts by its time: where it falls to outweighs where
    it falls from.
    """
    length = 2 * fft.next_fast_len(x.size, real=True)
    spectrum, frequency = fft.rfft(x * np.arange(x.size), length), fft.rfftfreq(length, 1 / rate)
    inside = (frequency > LOWEST_HZ / REACH) & (frequency < HIGHEST_HZ * REACH)
    octave, power = np.log2(frequency[inside]), np.abs(spectrum[inside]) ** 2
    places = np.linspace(math.log2(LOWEST_HZ), math.log2(HIGHEST_HZ), PLACES)
    middle = float(places[np.argmax(_near(octave, places[:, None]) @ power)])
    for _ in range(TURNS):
        weight = power * _near(octave, middle)
        middle = float(weight @ octave / max(float(weight.sum()), 1e-30))
    weight = power * _near(octave, middle)
    spread = math.sqrt(float(weight @ (octave - middle) ** 2) / max(float(weight.sum()), 1e-30))
    return 2**middle, max(LEAST_CENTS, 1200 * spread)


def _near(octave: Samples, middle: Samples | float) -> Samples:
    return np.asarray(np.exp(-0.5 * ((octave - middle) / WIDTH_OCTAVES) ** 2))

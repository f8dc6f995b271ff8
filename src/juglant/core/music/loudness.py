"""Equal-loudness contours: the sound pressure level at which a pure tone is as loud as one of 1 kHz.

ISO 226:2003, its formula and table of parameters (values from memory).
"""

from __future__ import annotations

import math

import numpy as np

from juglant.core.types import Samples

# Frequency Hz, exponent for loudness, magnitude of the linear transfer dB, threshold of hearing dB.
_TABLE = np.array([
    (20, 0.532, -31.6, 78.5), (25, 0.506, -27.2, 68.7), (31.5, 0.480, -23.0, 59.5), (40, 0.455, -19.1, 51.1),
    (50, 0.432, -15.9, 44.0), (63, 0.409, -13.0, 37.5), (80, 0.387, -10.3, 31.5), (100, 0.367, -8.1, 26.5),
    (125, 0.349, -6.2, 22.1), (160, 0.330, -4.5, 17.9), (200, 0.315, -3.1, 14.4), (250, 0.301, -2.0, 11.4),
    (315, 0.288, -1.1, 8.6), (400, 0.276, -0.4, 6.2), (500, 0.267, 0.0, 4.4), (630, 0.259, 0.3, 3.0),
    (800, 0.253, 0.5, 2.2), (1000, 0.250, 0.0, 2.4),
])  # fmt: skip
LOWEST_HZ, HIGHEST_HZ = 20.0, 1000.0


def equal_loudness_db(frequency_hz: float, phon: float) -> float:
    """Sound pressure level in dB of a tone that is `phon` loud, between 20 Hz and 1 kHz; between the table's frequencies
    its parameters are read on straight lines over the logarithm of frequency.

    Raises ValueError outside of those frequencies, or of 20 to 90 phon.
    """
    if not LOWEST_HZ <= frequency_hz <= HIGHEST_HZ:
        raise ValueError(f"frequency_hz must be {LOWEST_HZ:.0f} to {HIGHEST_HZ:.0f}, got {frequency_hz}")
    if not 20 <= phon <= 90:
        raise ValueError(f"phon must be 20 to 90, got {phon}")
    at: Samples = np.log(_TABLE[:, 0])
    exponent, transfer, threshold = (float(np.interp(math.log(frequency_hz), at, _TABLE[:, k])) for k in (1, 2, 3))
    part = 4.47e-3 * (10 ** (0.025 * phon) - 1.15) + (0.4 * 10 ** ((threshold + transfer) / 10 - 9)) ** exponent
    return 10 / exponent * math.log10(part) - transfer + 94

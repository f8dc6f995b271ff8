"""Whether what was found is a pitch at all, or noise, a tick or a cluster that imitates one.

A quadratic logistic model of nine signs, fitted on 12,000 made-up hits of three recipes written apart from each other
(docs/methods.md says how it does on others). No single sign decides: a cluster is periodic, a short kick in
hiss hardly is; a high-passed body has no fundamental, a clap has energy there.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from juglant.core.types import Samples


@dataclass(frozen=True)
class Signs:
    """What speaks for and against a pitch.

    periodicity: 0..1; low_share: share of the energy in the decimated band, 0..1; energies: in narrow bands at the
    multiples of the fundamental, as powers; power, low_power: of the whole signal and of its low band over the same
    stretch; margin_cents: of the landing; fundamental_hz: the landing; narrow_share: of the energy in those bands, how much
    lies in their middle thirds, 0..1; periods: of the fundamental in that stretch.
    """

    periodicity: float
    low_share: float
    energies: Samples
    power: float
    low_power: float
    margin_cents: float
    fundamental_hz: float
    narrow_share: float
    periods: float


# In this order: periodicity, low share, log10 of the fundamental's share, of all multiples' share, of the second strongest
# multiple's share, of the margin; octaves of the fundamental above 60 Hz; log10 of the narrow share and of the periods.
# Each held within what the hits showed.
CENTRES = np.array([0.81, 0.91, -0.75, -0.34, -1.96, 0.57, 0.33, -0.3, 1.0])
SCALES = np.array([0.24, 0.17, 0.97, 0.46, 0.80, 1.51, 0.97, 0.2, 0.5])
LOWEST = np.array([0.12, 0.2, -3.0, -2.0, -3.0, -1.0, -1.3, -3.0, 0.0])
HIGHEST = np.array([1.0, 1.0, 0.0, 0.05, -0.35, math.log10(3000), 2.7, 0.0, 4.0])
BIAS = 3.067
LINEAR = np.array([1.03, 1.71, 1.05, 7.90, 0.31, -1.07, -2.82, -0.61, -2.38])
QUADRATIC = np.array(
    [
        [0.08, 0.85, 1.24, -0.21, 0.37, 0.84, -1.93, 0.01, 0.40],
        [0.00, -0.27, 0.37, -1.31, -0.94, 0.36, -0.40, 0.34, 0.92],
        [0.00, 0.00, -1.48, -0.14, -1.75, -0.03, 0.07, -0.21, -0.15],
        [0.00, 0.00, 0.00, 2.40, -0.16, 0.05, -0.99, -0.13, 0.05],
        [0.00, 0.00, 0.00, 0.00, -1.09, 0.13, -0.37, 0.25, 0.25],
        [0.00, 0.00, 0.00, 0.00, 0.00, 0.76, -1.32, -0.01, 0.69],
        [0.00, 0.00, 0.00, 0.00, 0.00, 0.00, 0.04, 0.51, 0.31],
        [0.00, 0.00, 0.00, 0.00, 0.00, 0.00, 0.00, -0.02, -0.11],
        [0.00, 0.00, 0.00, 0.00, 0.00, 0.00, 0.00, 0.00, 0.37],
    ]
)


def pitched_probability(signs: Signs) -> float:
    """How likely a pitch is, 0..1."""
    ranked = np.sort(signs.energies)
    raw = [
        signs.periodicity,
        signs.low_share,
        _log(float(signs.energies[0]), signs.power),
        _log(float(signs.energies.sum()), signs.power),
        _log(float(ranked[-2]), signs.low_power),
        math.log10(max(signs.margin_cents, 1e-3)),
        math.log2(signs.fundamental_hz / 60),
        math.log10(max(signs.narrow_share, 1e-3)),
        math.log10(max(signs.periods, 1.0)),
    ]
    z = (np.clip(raw, LOWEST, HIGHEST) - CENTRES) / SCALES
    value = BIAS + float(z @ LINEAR) + float(z @ QUADRATIC @ z)
    return 1 / (1 + math.exp(-max(-50.0, min(50.0, value))))


def _log(part: float, whole: float) -> float:
    return math.log10(max(part, 1e-12 * whole, 1e-30) / max(whole, 1e-30))

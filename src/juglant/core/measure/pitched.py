"""Whether what was found is a pitch at all, or noise, a tick or a cluster that imitates one.

A quadratic logistic model of seven signs, fitted on 3,600 made-up hits of two recipes written apart from each other
(half pitched; docs/methods.md says how it does on others). No single sign decides: a cluster is periodic, a short kick in
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
    stretch; margin_cents: of the landing; fundamental_hz: the landing.
    """

    periodicity: float
    low_share: float
    energies: Samples
    power: float
    low_power: float
    margin_cents: float
    fundamental_hz: float


# In this order: periodicity, low share, log10 of the fundamental's share, of all multiples' share, of the second strongest
# multiple's share, of the margin; octaves of the fundamental above 60 Hz. Each held within what the hits showed.
CENTRES = np.array([0.80, 0.92, -0.59, -0.22, -1.80, 0.55, 0.28])
SCALES = np.array([0.25, 0.16, 0.91, 0.46, 0.83, 1.53, 0.92])
LOWEST = np.array([0.12, 0.2, -3.0, -2.0, -3.0, -1.0, -1.3])
HIGHEST = np.array([1.0, 1.0, 0.0, 0.05, -0.35, math.log10(3000), 2.7])
BIAS = 7.105
LINEAR = np.array([-0.29, 1.25, 2.25, 2.90, -0.06, -0.95, -1.72])
QUADRATIC = np.array(
    [
        [-0.86, 0.76, 0.84, -0.73, 1.12, -0.15, -0.54],
        [0.00, -0.08, 0.48, -0.29, -0.39, 0.64, 0.72],
        [0.00, 0.00, -0.27, -0.03, -0.20, -0.92, 0.14],
        [0.00, 0.00, 0.00, 0.86, -1.21, -0.39, -0.35],
        [0.00, 0.00, 0.00, 0.00, -0.34, -0.59, -0.68],
        [0.00, 0.00, 0.00, 0.00, 0.00, -0.24, 0.33],
        [0.00, 0.00, 0.00, 0.00, 0.00, 0.00, -1.12],
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
    ]
    z = (np.clip(raw, LOWEST, HIGHEST) - CENTRES) / SCALES
    value = BIAS + float(z @ LINEAR) + float(z @ QUADRATIC @ z)
    return 1 / (1 + math.exp(-max(-50.0, min(50.0, value))))


def _log(part: float, whole: float) -> float:
    return math.log10(max(part, 1e-12 * whole, 1e-30) / max(whole, 1e-30))

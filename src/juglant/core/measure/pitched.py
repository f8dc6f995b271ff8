"""How likely an answer is right: that there is a pitch, no noise or cluster that imitates one, and that it is this one.

A quadratic logistic model of 22 signs, fitted on made-up hits of recipes written apart from each other (see
docs/methods.md for how it does on others). No single sign decides: a cluster is periodic, a short kick in hiss hardly is; a
high-passed body has no fundamental, a clap has energy there; how the phases of the partials fit and agree tells them apart.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from juglant.core.measure.pitched_weights import BIAS, CENTRES, LINEAR, PAIRS, SCALES
from juglant.core.types import Samples


@dataclass(frozen=True)
class Signs:
    """What speaks for and against a pitch.

    periodicity: 0..1; low_share: share of the energy in the decimated band, 0..1; energies: in narrow bands at the
    multiples of the fundamental, as powers; power, low_power: of the whole signal and of its low band over the same
    stretch; margin_cents: of the landing; fundamental_hz: the landing; narrow_share: of the energy in those bands, how much
    lies in their middle thirds, 0..1; periods: of the fundamental in that stretch; sounding: the same while the hit is
    within 20 dB of its peak; fit: of what the margin rests on the formal error, the spread and the disagreement in cents
    and the misfit in radians, None for a note that drifts.
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
    sounding: float
    fit: tuple[float, float | None, float | None, float] | None


# A sign counts up to so many spreads from its mean: beyond lies what the hits did not show.
HELD = 4.0
# Added to cents and misfits before the logarithm: less than this says nothing more.
SMALLEST_CENTS, SMALLEST_MISFIT, LARGEST_DISAGREE_CENTS, SMALLEST_SHARE = 0.02, 1e-4, 100.0, 1e-4
# What is said of the fits of a note that drifts, whose margin rests on none of it.
DRIFTING = (0.5, 1.0, None, 0.03)
LEVELS = 6


def answer_probability(signs: Signs) -> float:
    """How likely it is that there is a pitch and that it lies within 20 cents of the answer, 0..1.

    The signs in order: periodicity; low share; log10 of the share of the fundamental, of all multiples and of the second
    strongest; of the margin; octaves above 60 Hz; log10 of the narrow share, of the periods, of the low band's share;
    natural logarithms of formal error, spread, disagreement and misfit of the fits, and whether no other harmonic tells;
    log10 of the first six multiples re the strongest, and of the periods while the hit sounds.
    """
    ranked, top = np.sort(signs.energies), max(float(signs.energies.max()), 1e-30)
    formal, spread, disagree, misfit = DRIFTING if signs.fit is None else signs.fit
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
        _log(signs.low_power, signs.power),
        math.log(formal + SMALLEST_CENTS),
        math.log((2 * formal if spread is None else spread) + SMALLEST_CENTS),
        math.log((LARGEST_DISAGREE_CENTS if disagree is None else min(disagree, LARGEST_DISAGREE_CENTS)) + SMALLEST_CENTS),
        math.log(misfit + SMALLEST_MISFIT),
        float(disagree is None),
        *(math.log10(max(float(one) / top, SMALLEST_SHARE)) for one in signs.energies[:LEVELS]),
        math.log10(max(signs.sounding, 1.0)),
    ]
    z = np.clip((np.array(raw) - CENTRES) / SCALES, -HELD, HELD)
    one, other = np.triu_indices(z.size)
    value = BIAS + float(z @ LINEAR) + float((z[one] * z[other]) @ PAIRS)
    return 1 / (1 + math.exp(-max(-50.0, min(50.0, value))))


def _log(part: float, whole: float) -> float:
    return math.log10(max(part, 1e-12 * whole, 1e-30) / max(whole, 1e-30))

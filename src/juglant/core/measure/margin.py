"""How far off a landing may be, and how sure one may be of it.

The formal error of a phase fit is too small wherever the model is wrong (a sweep of another law, reverb, a skin).
The margin is a log-linear estimate of the 96 % quantile of the real error from what does show it: the formal error,
the spread between fits that start at different times, the disagreement of the best two harmonics, the misfit, the
periodicity; of a note that drifts the drift and the number of cycles in place of spread and disagreement. The weights come
from quantile regression (Koenker & Bassett 1978) over 9,500 made-up hits, each kind of hit weighing the same by its root.
"""

from __future__ import annotations

import math

# Weights from the regression; inputs are natural logarithms except the last two.
INTERCEPT = 5.591
FORMAL, SPREAD, DISAGREE, ALONE, MISFIT, APERIODIC = 0.967, 0.399, 0.268, -0.886, 0.306, 2.622
# What lacks of the periodicity counts up to here: recorded drums lack more of it than their landings suffer from.
MOST_APERIODIC = 0.15
# The same for a note that drifts: formal error, 1 + cents per second, misfit, cycles, what lacks of the periodicity.
DRIFT_INTERCEPT = -3.227
DRIFT_FORMAL, DRIFT, DRIFT_MISFIT, DRIFT_CYCLES, DRIFT_APERIODIC = 0.406, 0.464, -0.536, 0.81, 30.989
# Drifts are not all like the made-up ones.
SAFETY = 1.1
LEAST_CENTS = 0.05
# Below this the inputs say nothing more.
SMALLEST_CENTS, SMALLEST_MISFIT, LARGEST_DISAGREE_CENTS = 0.02, 1e-4, 100.0


def margin_cents(
    *,
    formal_cents: float,
    spread_cents: float | None,
    disagree_cents: float | None,
    misfit: float,
    periodicity: float,
) -> float:
    """95 % half-width of the landing's error in cents.

    spread_cents: standard deviation of comparably good fits, None for a single one; disagree_cents: distance of the
    best two harmonics' landings, None where no second one is precise enough to tell; misfit: rms in radians.
    """
    formal = max(formal_cents, SMALLEST_CENTS)
    spread = max(2 * formal if spread_cents is None else spread_cents, SMALLEST_CENTS)
    value = INTERCEPT + FORMAL * math.log(formal) + SPREAD * math.log(spread)
    value += MISFIT * math.log(max(misfit, SMALLEST_MISFIT)) + APERIODIC * min(1 - periodicity, MOST_APERIODIC)
    if disagree_cents is None:
        value += ALONE
    else:
        value += DISAGREE * math.log(min(max(disagree_cents, SMALLEST_CENTS), LARGEST_DISAGREE_CENTS))
    return max(LEAST_CENTS, math.exp(min(value, 10)))


def drifting_margin_cents(
    *, formal_cents: float, drift_cents_per_s: float, misfit: float, cycles: float, periodicity: float
) -> float:
    """The same for a note that drifts: its landing is a mean, and its margin says how well that mean is known."""
    value = DRIFT_INTERCEPT + DRIFT_FORMAL * math.log(max(formal_cents, SMALLEST_CENTS))
    value += DRIFT * math.log(1 + abs(drift_cents_per_s)) + DRIFT_MISFIT * math.log(max(misfit, SMALLEST_MISFIT))
    value += DRIFT_CYCLES * math.log(max(cycles, 1.0)) + DRIFT_APERIODIC * (1 - periodicity)
    return max(LEAST_CENTS, SAFETY * math.exp(min(value, 10)))

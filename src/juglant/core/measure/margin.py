"""How far off a landing may be, and how sure one may be of it.

The formal error of a phase fit is too small wherever the model is wrong (a sweep of another law, reverb, a skin).
The margin is a log-linear estimate of the 96.5 % quantile of the real error from what does show it: the formal error,
the spread between fits that start at different times, the disagreement of the best two harmonics, the misfit, the
periodicity. Its weights come from quantile regression (Koenker & Bassett 1978) over 2400 made-up hits.
"""

from __future__ import annotations

import math

# Weights from the regression; inputs are natural logarithms except the last two.
INTERCEPT = 3.859
FORMAL, SPREAD, DISAGREE, ALONE, MISFIT, APERIODIC = 0.689, 0.538, 0.307, -0.528, 0.126, 0.731
# Sounds are not all like the made-up ones.
SAFETY = 1.25
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
    value += MISFIT * math.log(max(misfit, SMALLEST_MISFIT)) + APERIODIC * (1 - periodicity)
    if disagree_cents is None:
        value += ALONE
    else:
        value += DISAGREE * math.log(min(max(disagree_cents, SMALLEST_CENTS), LARGEST_DISAGREE_CENTS))
    return max(LEAST_CENTS, SAFETY * math.exp(min(value, 10)))

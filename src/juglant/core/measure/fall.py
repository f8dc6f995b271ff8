"""How a hit falls onto its note: when it is there, from where it came, and whether it goes on falling."""

from __future__ import annotations

import math

from juglant.core.measure.drift import SETTLED_RATIO, SLOWEST_SWEEP_S
from juglant.core.measure.partials import FARTHEST
from juglant.core.measure.phase_fit import Fit

# Run back by at most a fifth: other laws than the exponential overshoot.
FARTHEST_BACK = 1.5
# A fit whose exponential tells when the sweep is over, rms misfit in radians.
TRUSTED_RESIDUAL = 0.03
# A long slow fall is seen over many cycles and tells the same where it fits less well: as skins do, that wobble besides.
SLOW_RESIDUAL, SLOW_CYCLES, SLOW_ABOVE = 0.3, 30.0, 0.1


def sweep_of(fits: list[Fit], from_path_s: float, start_ratio: float) -> tuple[float, float]:
    """When the pitch has come within 50 cents: from the first fit that sees it further away, else from the path."""
    for fit in fits:
        near_hz = fit.frequency_hz * (SETTLED_RATIO - 1)
        if near_hz < fit.above_hz < FARTHEST * fit.frequency_hz and fit.residual < _most_misfit(fit):
            landed_s = fit.start_s + fit.tau_s * math.log(fit.above_hz / near_hz)
            # The path cannot follow the first milliseconds of a fast sweep; its exponential can be run back to them.
            first = 1 + fit.above_hz * math.exp(fit.start_s / fit.tau_s) / fit.frequency_hz
            return landed_s, min(max(first, start_ratio), FARTHEST_BACK * start_ratio)
    return from_path_s, start_ratio


def _is_slow(fit: Fit) -> bool:
    """Whether a fit sees a long slow fall, as of a skin."""
    return fit.tau_s > SLOWEST_SWEEP_S and fit.cycles > SLOW_CYCLES and fit.above_hz > SLOW_ABOVE * fit.frequency_hz


def _most_misfit(fit: Fit) -> float:
    """Up to which misfit, rms radians, the exponential of a fit tells when the sweep is over."""
    return SLOW_RESIDUAL if _is_slow(fit) else TRUSTED_RESIDUAL


def still_falling(fits: list[Fit], landed_s: float, end_s: float) -> float:
    """Cents per second by which a slow fall goes on from its landing until the hit is 20 dB down; 0 for a fast one."""
    slow = next((fit for fit in fits if _is_slow(fit) and fit.residual < SLOW_RESIDUAL), None)
    if slow is None or (end_s - landed_s) * slow.frequency_hz < 1:
        return 0.0
    first, last = (
        slow.frequency_hz + slow.above_hz * math.exp((slow.start_s - at) / slow.tau_s) for at in (landed_s, end_s)
    )
    return 1200 * math.log2(last / first) / (end_s - landed_s)

"""One landing from many fits: each weighs by how far off it is likely to be, judged by itself and by the others.

A fit's formal error knows nothing of what bends a phase from outside: filters, saturation, clicks, a sweep of another law.
What it leaves out shows in how well the fits agree, from harmonic to harmonic and from start to start: a small network of
ten signs says how far off each is likely to be, trained so that what they agree on is right.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from juglant.core.measure.along import WIDTHS_PERIODS, fits_along
from juglant.core.measure.consensus_weights import CENTRES, HIDDEN, HIDDEN_BIAS, LINEAR, OUTPUT, SCALES
from juglant.core.measure.partials import Candidate, stretch
from juglant.core.measure.phase_fit import CENTS_PER_RATIO, Fit
from juglant.core.types import Samples

# A fit further than this from the trusted one (cents) speaks of something else.
FARTHEST_CENTS = 240.0
# The power of the likely error by which fits are weighted.
SHARPNESS = 4.0
# The trusted fit is moved by at most this many of its standard errors.
FARTHEST_PULL = 60.0
SOFTEST_CENTS = 2.0
NO_OTHER_CENTS = 200.0
# The harmonic number of fits made from all of them.
TOGETHER = 0


@dataclass(frozen=True)
class Fits:
    """Fits of one fundamental, each (fits,).

    cents: from the trusted one; formal_cents: standard error; harmonic: its number, 0 for all together; cycles: of the
    fundamental; misfit_rad: rms; level_db: re the strongest harmonic; tau_periods: time constant of the exponential.
    """

    cents: Samples
    formal_cents: Samples
    harmonic: Samples
    cycles: Samples
    misfit_rad: Samples
    level_db: Samples
    tau_periods: Samples


def _signs(fits: Fits) -> Samples:
    """What tells of each fit's error, (fits, signs)."""
    order = np.argsort(fits.cents)
    trust = 1 / (fits.formal_cents**2 + SOFTEST_CENTS**2)
    running = np.cumsum(trust[order])
    median = fits.cents[order][min(int(np.searchsorted(running, running[-1] / 2)), order.size - 1)]
    # The nearest fit of another harmonic, by distance and its own error.
    gap = np.abs(fits.cents[:, None] - fits.cents[None, :]) + fits.formal_cents[None, :]
    gap[fits.harmonic[:, None] == fits.harmonic[None, :]] = NO_OTHER_CENTS
    nearest = np.minimum(gap.min(axis=1), NO_OTHER_CENTS)
    return np.column_stack(
        (
            np.log(fits.formal_cents + 0.02),
            fits.harmonic == 2,
            fits.harmonic == 3,
            fits.harmonic == TOGETHER,
            np.log(fits.cycles + 0.1),
            np.log(fits.misfit_rad + 1e-4),
            fits.level_db,
            np.log(np.maximum(fits.tau_periods, 1e-4)),
            np.log(np.abs(fits.cents - median) + 1),
            np.log(nearest + 1),
        )
    )


def agreed(fits: Fits) -> float:
    """Cents from the trusted fit to where all of them together put the landing."""
    signs = (_signs(fits) - CENTRES) / SCALES
    expected = signs @ LINEAR + np.tanh(signs @ HIDDEN + HIDDEN_BIAS) @ OUTPUT
    weight = np.exp(-SHARPNESS * (expected - expected.min()))
    return float(weight @ fits.cents / weight.sum())


def agreed_landing(x: Samples, chosen: Candidate, found: list[Candidate], *, rate: float, noise: float) -> float:
    """The landing in Hz from the fits of each harmonic and of all together.

    x: the decimated hit, (frames,); chosen: the harmonic trusted so far; found: all of them; noise: its mean square.
    """
    trusted = chosen.frequency_hz
    end = min(stretch(chosen)[1] + chosen.part.step_s, x.size / rate)
    top = max(one.level for one in found)
    rows = []
    for width in WIDTHS_PERIODS:
        along = fits_along(x, chosen.fit, chosen.harmonic, end, rate=rate, noise=noise, width_periods=width)
        rows += [_row(fit, 1, TOGETHER, 0.0, trusted) for fit in along]
    for one in found:
        # What was taken for a second harmonic may be the fundamental itself.
        harmonic = chosen.harmonic if one.part is chosen.part else one.harmonic
        rows += [_row(fit, harmonic, harmonic, 20 * math.log10(one.level / top), trusted) for fit in one.fits]
    near = np.array([row for row in rows if abs(row[0]) < FARTHEST_CENTS])
    most = FARTHEST_PULL * chosen.error_cents
    return trusted * 2 ** (min(most, max(-most, agreed(Fits(*near.T)))) / 1200)


def _row(fit: Fit, harmonic: int, label: int, level_db: float, trusted: float) -> tuple[float, ...]:
    frequency = max(fit.frequency_hz / harmonic, 1e-3)
    cents, formal = 1200 * math.log2(frequency / trusted), CENTS_PER_RATIO * fit.error_hz / fit.frequency_hz
    return cents, formal, label, fit.cycles / harmonic, fit.residual, level_db, fit.tau_s * trusted

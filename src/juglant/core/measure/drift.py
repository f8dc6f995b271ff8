"""The pitch of a note that drifts: what it is on the whole, once its fast sweep is over."""

from __future__ import annotations

import math

import numpy as np

from juglant.core.measure.phase_fit import Fit, Partial, fit_phases, weights_of

# The sweep is over where its exponential is within this of the note (the method's 50 cents).
SETTLED_RATIO = 2 ** (50 / 1200)
# A slower exponential than this (time constant, s) is no sweep but the beginning of the drift, and stays in.
SLOWEST_SWEEP_S = 0.05


def drifting_hz(part: Partial, early: Fit, last: int) -> float:
    """Energy-weighted mean of the partial's frequency from the end of its sweep to point `last`, Hz.

    early: the fit that starts first. From there the partial is fitted with a drift of its own; what the exponential of
    that fit holds, seen through the partial's own band, is taken out, so that what is left of the sweep does not count.
    """
    weight = weights_of(part, 0.0)
    slow = fit_phases(part, weight, starts=[round(early.start_s / part.step_s)], last=last, drift=True)[0]
    early = slow or early
    if early.tau_s > SLOWEST_SWEEP_S:
        early = early._replace(above_hz=0.0)
    seen = early.above_hz * math.exp(0.5 / (2 * math.pi * part.width_hz * early.tau_s) ** 2)
    near = abs(early.above_hz) / (early.frequency_hz * (SETTLED_RATIO - 1))
    settled_s = early.start_s + early.tau_s * max(0.0, math.log(max(near, 1e-9)))
    first = min(round(settled_s / part.step_s), last - 2)
    at = np.arange(first, last - 1)
    time_s = (at + 0.5) * part.step_s
    pitch = part.frequency_hz + np.diff(part.phase[first:last]) / (2 * math.pi * part.step_s)
    pitch = pitch - seen * np.exp(-(time_s - early.start_s) / early.tau_s)
    energy = part.amplitude[at] * part.amplitude[at + 1] * weight[at]
    heard = pitch > 0.5 * part.frequency_hz
    return float(2 ** np.average(np.log2(pitch[heard]), weights=energy[heard])) if heard.any() else early.frequency_hz

"""The phase of one partial fitted with constant + line + exponential, and slow drift where there is time for it.

phase(t) = a + b t (+ d t^2) + c exp(-t / tau): the line is the landing, the exponential the sweep (its time constant a
continuous unknown, found by golden section), the square term the slow drift of long notes.
"""

from __future__ import annotations

import math
from typing import NamedTuple

import numba
import numpy as np
from scipy import fft

from juglant.core.types import Samples, Spectrum

CENTS_PER_RATIO = 1200 / math.log(2)
# Width of the Gaussian band around a partial, as a share of the fundamental: the neighbours are 70 dB down.
BAND_SHARE = 0.25
MOST_POINTS = 240
SHORTEST_TAU_S, LONGEST_TAU_S = 0.0015, 0.11
# Weights fall off where the partial is this far under its own peak (energy).
WEIGHT_KNEE = 10**-2.6
GRID_POINTS, GOLDEN_STEPS = 7, 9
GOLDEN = (math.sqrt(5) - 1) / 2
FEWEST_POINTS = 8
COLUMNS = 8


class Partial(NamedTuple):
    """One partial around `frequency_hz`: amplitude and unwrapped phase re that frequency, each (points,)."""

    step_s: float
    amplitude: Samples
    phase: Samples
    frequency_hz: float
    width_hz: float


class Fit(NamedTuple):
    """Frequency of the line, its standard error, drift, time constant, rms misfit in radians and length in cycles.

    above_hz: how far above the line the partial still is at the start of the fit, start_s after the onset.
    """

    frequency_hz: float
    error_hz: float
    drift_hz_per_s: float
    tau_s: float
    residual: float
    cycles: float
    above_hz: float
    start_s: float


def partial_around(spectrum: Spectrum, frequency_hz: float, *, rate: float, frames: int, width_hz: float) -> Partial:
    """The analytic signal in a Gaussian band, demodulated; spectrum: rfft of the zero-padded hit, even length."""
    length = 2 * (spectrum.size - 1)
    spacing = rate / length
    low = max(1, math.ceil((frequency_hz - 4 * width_hz) / spacing))
    high = min(spectrum.size - 1, math.floor((frequency_hz + 4 * width_hz) / spacing) + 1)
    # The band alone, moved down so that its first bin is bin 0: a short inverse transform is the decimated base band.
    bins = np.arange(low, high)
    wanted = max(int(8 * width_hz * length / rate) + 2, 8 * FEWEST_POINTS)
    stride = max(1, min(length // wanted, math.ceil(frames / MOST_POINTS), max(1, frames // 60)))
    short = fft.next_fast_len(max(high - low, -(-length // stride)))
    step_s = length / rate / short
    band = np.zeros(short, dtype=complex)
    band[: high - low] = 2 * spectrum[low:high] * np.exp(-0.5 * ((bins * spacing - frequency_hz) / width_hz) ** 2)
    points = min(short, int(frames / rate / step_s) + 1)
    base = fft.ifft(band)[:points] * (short / length)
    amplitude, phase = np.empty(points), np.empty(points)
    _turned(base, 2 * math.pi * (low * spacing - frequency_hz) * step_s, amplitude, phase)
    return Partial(step_s, amplitude, phase, frequency_hz, width_hz)


@numba.njit(cache=True, nogil=True)
def _turned(base, turn, amplitude, phase):  # type: ignore[no-untyped-def]
    """Amplitude and unwrapped phase of a base band turned by `turn` radians a point."""
    before, wraps = 0.0, 0.0
    for i in range(base.size):
        amplitude[i] = abs(base[i])
        now = (math.atan2(base[i].imag, base[i].real) + turn * i + math.pi) % (2 * math.pi) - math.pi
        if i > 0:
            if now - before > math.pi:
                wraps -= 2 * math.pi
            elif now - before < -math.pi:
                wraps += 2 * math.pi
        before = now
        phase[i] = now + wraps


def weights_of(part: Partial, noise_amplitude: float) -> Samples:
    """Weights of the points, 0..1: level above the noise, flat near the peak."""
    weight = np.empty(part.amplitude.size)
    _weigh(part.amplitude, 4 * noise_amplitude**2, weight)
    return weight


@numba.njit(cache=True, nogil=True)
def _weigh(amplitude, noise, weight):  # type: ignore[no-untyped-def]
    peak = 0.0
    for i in range(amplitude.size):
        peak = max(peak, amplitude[i] * amplitude[i])
    for i in range(amplitude.size):
        power = amplitude[i] * amplitude[i]
        weight[i] = 0.0 if power < noise else power / (power + peak * WEIGHT_KNEE + noise + 1e-30)


@numba.njit(cache=True, nogil=True)
def _normal(phase, weight, first, last, step, tau, drift, out):  # type: ignore[no-untyped-def]
    """Normal equations of the fit for one tau into `out` (4, 5); returns the weighted sum of squares of phase."""
    out[:] = 0.0
    total = 0.0
    decay = math.exp(-step / tau)
    fading = 1.0
    row = np.empty(4)
    middle = 0.5 * (last - 1 - first) * step
    for i in range(first, last):
        w = weight[i]
        t = (i - first) * step
        row[0], row[1], row[2], row[3] = 1.0, t, fading, (t - middle) ** 2 if drift else 0.0
        for a in range(4):
            for b in range(a, 4):
                out[a, b] += w * row[a] * row[b]
            out[a, 4] += w * row[a] * phase[i]
        total += w * phase[i] * phase[i]
        fading *= decay
    for a in range(4):
        for b in range(a):
            out[a, b] = out[b, a]
    return total


@numba.njit(cache=True, nogil=True)
def _cost(phase, weight, first, last, step, tau, drift, table, answer, inverse):  # type: ignore[no-untyped-def]
    total = _normal(phase, weight, first, last, step, tau, drift, table)
    size = 4 if drift else 3
    # Gauss-Jordan on the scaled normal equations, with a little ridge against a degenerate exponential.
    scale = np.empty(4)
    for a in range(size):
        scale[a] = 1 / math.sqrt(table[a, a] + 1e-300)
    work = np.zeros((4, 8))
    for a in range(size):
        for b in range(size):
            work[a, b] = table[a, b] * scale[a] * scale[b]
        work[a, a] += 1e-11
        work[a, 4 + a] = 1.0
    for a in range(size):
        pivot = work[a, a]
        for c in range(8):
            work[a, c] /= pivot
        for b in range(size):
            if b != a:
                factor = work[b, a]
                for c in range(8):
                    work[b, c] -= factor * work[a, c]
    cost = total
    for a in range(size):
        answer[a] = 0.0
        for b in range(size):
            inverse[a, b] = work[a, 4 + b] * scale[a] * scale[b]
            answer[a] += inverse[a, b] * table[b, 4]
    for a in range(size):
        cost -= answer[a] * table[a, 4]
    return max(cost, 0.0)


@numba.njit(cache=True, nogil=True)
def _sums(phase, weight, first, last, step, sums):  # type: ignore[no-untyped-def]
    """What does not depend on tau: weighted sums of 1, t, t^2, phase, t phase, phase^2."""
    sums[:] = 0.0
    for i in range(first, last):
        w, t, p = weight[i], (i - first) * step, phase[i]
        sums[0] += w
        sums[1] += w * t
        sums[2] += w * t * t
        sums[3] += w * p
        sums[4] += w * t * p
        sums[5] += w * p * p


@numba.njit(cache=True, nogil=True)
def _cost_of(phase, weight, first, last, step, tau, sums):  # type: ignore[no-untyped-def]
    """Misfit for one tau without drift: constant and line projected out, then the exponential alone."""
    decay, fading = math.exp(-step / tau), 1.0
    e, et, ee, ep = 0.0, 0.0, 0.0, 0.0
    for i in range(first, last):
        share = weight[i] * fading
        e += share
        et += share * (i - first) * step
        ee += share * fading
        ep += share * phase[i]
        fading *= decay
    s, t, tt, p, tp, pp = sums[0], sums[1], sums[2], sums[3], sums[4], sums[5]
    det = s * tt - t * t + 1e-300
    a, b = (tt * e - t * et) / det, (s * et - t * e) / det
    own = ee - a * e - b * et + 1e-11 * ee
    cross = ep - a * p - b * tp
    line = pp - ((tt * p - t * tp) * p + (s * tp - t * p) * tp) / det
    return max(line - cross * cross / max(own, 1e-300), 0.0)


@numba.njit(cache=True, nogil=True)
def _quick(phase, weight, first, last, step, tau, drift, sums, table, answer, inverse):  # type: ignore[no-untyped-def]
    if drift:
        return _cost(phase, weight, first, last, step, tau, drift, table, answer, inverse)
    return _cost_of(phase, weight, first, last, step, tau, sums)


@numba.njit(cache=True, nogil=True)
def _search(phase, weight, first, last, step, shortest, longest, drift):  # type: ignore[no-untyped-def]
    table, answer, inverse = np.zeros((4, 5)), np.zeros(4), np.zeros((4, 4))
    sums = np.empty(6)
    _sums(phase, weight, first, last, step, sums)
    low, high = math.log(shortest), math.log(longest)
    gap = (high - low) / (GRID_POINTS - 1)
    best, at = 1e300, low
    for k in range(GRID_POINTS):
        c = _quick(phase, weight, first, last, step, math.exp(low + k * gap), drift, sums, table, answer, inverse)
        if c < best:
            best, at = c, low + k * gap
    left, right = max(low, at - gap), min(high, at + gap)
    inner, outer = right - GOLDEN * (right - left), left + GOLDEN * (right - left)
    cost_inner = _quick(phase, weight, first, last, step, math.exp(inner), drift, sums, table, answer, inverse)
    cost_outer = _quick(phase, weight, first, last, step, math.exp(outer), drift, sums, table, answer, inverse)
    for _ in range(GOLDEN_STEPS):
        if cost_inner < cost_outer:
            right, outer, cost_outer = outer, inner, cost_inner
            inner = right - GOLDEN * (right - left)
            cost_inner = _quick(phase, weight, first, last, step, math.exp(inner), drift, sums, table, answer, inverse)
        else:
            left, inner, cost_inner = inner, outer, cost_outer
            outer = left + GOLDEN * (right - left)
            cost_outer = _quick(phase, weight, first, last, step, math.exp(outer), drift, sums, table, answer, inverse)
    tau = math.exp(0.5 * (left + right))
    cost = _cost(phase, weight, first, last, step, tau, drift, table, answer, inverse)
    return tau, cost, answer, inverse


@numba.njit(cache=True, nogil=True)
def _fit_from(phase, weight, amplitude, first, last, step, width, drift, out):  # type: ignore[no-untyped-def]
    """Fit points first..last into `out`: slope, its error, drift, tau, misfit (radians), span; False for too few."""
    count = last - first
    kept = 0.0
    for i in range(first, last):
        kept += weight[i]
    span = (count - 1) * step
    longest, shortest = min(LONGEST_TAU_S, span / 2.5), max(SHORTEST_TAU_S, 0.5 * step)
    if count < FEWEST_POINTS or kept < 4 or longest <= shortest * 1.2:
        return False
    tau, cost, answer, inverse = _search(phase, weight, first, last, step, shortest, longest, drift)
    # Independent phases: one per correlation length of the Gaussian band.
    independent = max(1.0, kept * step * 2 * math.sqrt(math.pi) * width)
    freedom = max(0.5, independent - (5 if drift else 4))
    variance = cost / freedom
    slope = answer[1]
    if drift:
        # The line is the tangent at the middle; the landing is weighted over the fit.
        moment, total = 0.0, 1e-30
        for i in range(first, last):
            energy = amplitude[i] * amplitude[i]
            moment += energy * ((i - first) * step - 0.5 * span)
            total += energy
        slope += 2 * answer[3] * moment / total
    out[0], out[1] = slope, math.sqrt(max(inverse[1, 1] * variance, 0.0))
    out[2], out[3], out[4], out[5] = answer[3] if drift else 0.0, tau, math.sqrt(cost / kept), span
    # Phase falls behind its line by an exponential: its slope is the frequency still above the line.
    out[6], out[7] = -answer[2] / tau, first * step
    return True


@numba.njit(cache=True, nogil=True)
def _fit_many(phase, weight, amplitude, starts, last, step, width, drift, out):  # type: ignore[no-untyped-def]
    done = np.zeros(starts.size, dtype=np.bool_)
    for k in range(starts.size):
        done[k] = _fit_from(phase, weight, amplitude, starts[k], last, step, width, drift, out[k])
    return done


@numba.njit(cache=True, nogil=True)
def _fit_settled(phase, amplitude, step, centre, width, noise, period, waits, limits, out, done):  # type: ignore[no-untyped-def]
    """Weigh a partial, find where its sweep has come near, and fit from there on after each wait (in periods).

    limits: alive, farthest, shortest (periods), unclear (radians), then the levels of the early ends. Returns the rms
    amplitude of the fitted part; below 0 where too little of the partial is alive.
    """
    alive, farthest, shortest, unclear = limits[0], limits[1], limits[2], limits[3]
    weight = np.empty(amplitude.size)
    _weigh(amplitude, noise, weight)
    first, last, count = -1, -1, 0
    for i in range(weight.size):
        if weight[i] > alive:
            count += 1
            last = i + 1
            if first < 0:
                first = i
    if count < FEWEST_POINTS:
        return -1.0
    begin = max(first, math.ceil(0.25 * period / step))
    for i in range(1, last - 1):
        # Central differences: frequency against the partial's, as a ratio.
        bend = (phase[i + 1] - phase[i - 1]) / (4 * math.pi * step * centre)
        if abs(bend) > farthest and i < first + 0.7 * (last - first):
            begin = max(begin, i + 1)
    for k in range(waits.size):
        start = begin + round(waits[k] * period / step)
        if k == 0 or (last - start) * step >= shortest * period:
            done[k] = _fit_from(phase, weight, amplitude, start, last, step, width, False, out[k])
    least = 1e300
    for k in range(waits.size):
        if done[k]:
            least = min(least, out[k, 4])
    if least > unclear:
        # Where a room answers louder than the hit still sounds, its phase is no longer the hit's: end before that.
        peak, at = 0.0, begin
        for i in range(begin, last):
            if amplitude[i] > peak:
                peak, at = amplitude[i], i
        for c in range(4, limits.size):
            early = at
            while early < last and amplitude[early] > limits[c] * peak:
                early += 1
            for k in range(waits.size):
                start, row = begin + round(waits[k] * period / step), (c - 3) * waits.size + k
                if early < last and (early - start) * step >= shortest * period:
                    done[row] = _fit_from(phase, weight, amplitude, start, early, step, width, False, out[row])
    total = 0.0
    for i in range(begin, last):
        total += amplitude[i] * amplitude[i]
    return math.sqrt(total / max(1, last - begin))


def fit_settled(
    part: Partial, noise_amplitude: float, *, period_s: float, waits: Samples, limits: Samples, farthest: float
) -> tuple[list[Fit], float] | None:
    """Fits of a partial from after its sweep, one for each wait in periods, and the rms amplitude of what was fitted.

    limits: share of the weight that counts as alive, ratio beyond which pitch is still sweep (scaled by `farthest`),
    fewest periods of a fit, misfit in radians from which it is also ended early, and at which amplitudes re the peak.
    None where too little is alive.
    """
    count = waits.size * (limits.size - 3)
    out, done = np.zeros((count, COLUMNS)), np.zeros(count, dtype=np.bool_)
    scaled = limits.copy()
    scaled[1] *= farthest
    level = _fit_settled(
        part.phase, part.amplitude, part.step_s, part.frequency_hz, part.width_hz, 4 * noise_amplitude**2, period_s,
        waits, scaled, out, done,
    )  # fmt: skip
    if level < 0:
        return None
    rows = out[done].tolist()
    # The first wait is the stand-by where no later one leaves enough.
    return [_fit_of(part, row) for row in rows], level


def _fit_of(part: Partial, row: list[float]) -> Fit:
    slope, error, bend, tau, residual, span, above, start = row
    return Fit(
        frequency_hz=part.frequency_hz + slope / (2 * math.pi),
        error_hz=error / (2 * math.pi),
        drift_hz_per_s=bend / math.pi,
        tau_s=tau,
        residual=residual,
        cycles=part.frequency_hz * span,
        # The band is a Gaussian of s = 1 / (2 pi width) seconds: it makes an exponential larger by exp(s^2 / 2 tau^2).
        above_hz=above / (2 * math.pi) * math.exp(-0.5 / (2 * math.pi * part.width_hz * tau) ** 2),
        start_s=start,
    )


def fit_phases(part: Partial, weight: Samples, *, starts: list[int], last: int, drift: bool) -> list[Fit | None]:
    """Fit the points from each start to `last` of a partial; None where there are too few."""
    out = np.zeros((len(starts), COLUMNS))
    places = np.array(starts, dtype=np.int64)
    done = _fit_many(part.phase, weight, part.amplitude, places, last, part.step_s, part.width_hz, drift, out)
    return [_fit_of(part, row) if good else None for good, row in zip(done.tolist(), out.tolist(), strict=True)]

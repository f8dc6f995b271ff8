"""All harmonics heard at once along the sweep: their phases made one, and fitted like a single partial's.

A band around one harmonic smears a fast sweep over two periods. Here each harmonic is turned back by the pitch already
found, which leaves almost nothing to smear, and the six phases, divided by their numbers, are averaged: what filters,
saturation and clicks do to one of them counts for less.
"""

from __future__ import annotations

import math

import numba
import numpy as np

from juglant.core.measure.phase_fit import BAND_SHARE, FEWEST_POINTS, Fit, Partial, fit_phases
from juglant.core.types import Samples

HARMONICS = 6
HIGHEST_SHARE = 0.42
# Standard deviations of the Gaussian that smooths each harmonic, in periods: narrow smears less, wide lets less through.
WIDTHS_PERIODS = (0.45, 0.65)
POINTS_A_PERIOD, MOST_POINTS = 12, 240
# Shares of power under which a harmonic counts less: of its own peak (its tail), and of all harmonics (disturbed).
KNEE, DISTURBED = 0.01, 0.05
# A harmonic this far from the common phase, rms radians of its own, counts half.
ODD_ONE_RAD = 0.05
# Starts of the fit around the one already trusted, in periods; no earlier than this after the onset, or this far above.
WAITS = (-2.0, -1.5, -1.0, -0.5, 0.0, 0.5, 1.0, 1.5, 2.0, 3.0, 4.0, 6.0)
EARLIEST_PERIODS, SHORTEST_PERIODS, FARTHEST = 0.25, 1.8, 0.5
# The exponential run back to the onset is not believed beyond this many times the landing.
FARTHEST_BACK = 1.5
LOOKS, AGREEMENTS = 2, 3
# The noise bandwidth of a Gaussian band is about this times its standard deviation, on one side.
NOISE_WIDTH = 1.8
# The note may not leave what was found by more than this ratio.
SAME_NOTE = 1.18


@numba.njit(cache=True, nogil=True)
def _turned_back(x, rate, start, above, tau, landing, step, width, amplitude, phase):  # type: ignore[no-untyped-def]
    """Amplitude and unwrapped phase of each harmonic re a sweep, (harmonics, points), smoothed by a Gaussian.

    phase is of the fundamental re the landing alone: the harmonic's divided by its number, the sweep put back.
    """
    turns = np.empty(x.size)
    back = np.empty(x.size, dtype=np.complex128)
    most = FARTHEST_BACK * landing / max(abs(above), 1e-9)
    turn = 0.0
    for n in range(x.size):
        turn += 2 * math.pi * above * min(math.exp(min(-(n / rate - start) / tau, 30.0)), most) / rate
        turns[n] = turn
        angle = turn + 2 * math.pi * landing * n / rate
        back[n] = complex(math.cos(angle), -math.sin(angle))
    sigma = width * rate
    reach = int(3 * sigma)
    window = np.exp(-0.5 * (np.arange(-reach, reach + 1) / sigma) ** 2)
    before = np.zeros(amplitude.shape[0])
    sums = np.empty(amplitude.shape[0], dtype=np.complex128)
    for j in range(amplitude.shape[1]):
        centre = round(j * step * rate)
        sums[:] = 0
        for n in range(max(0, centre - reach), min(x.size, centre + reach + 1)):
            value = window[n - centre + reach] * x[n]
            power = back[n]
            for h in range(sums.size):
                sums[h] += value * power
                power *= back[n]
        for h in range(sums.size):
            amplitude[h, j] = abs(sums[h]) / sigma
            now = math.atan2(sums[h].imag, sums[h].real)
            if j > 0:
                now += 2 * math.pi * round((before[h] - now) / (2 * math.pi))
            before[h] = now
            phase[h, j] = now / (h + 1) + turns[min(centre, x.size - 1)]


@numba.njit(cache=True, nogil=True)
def _made_one(amplitude, phase, first, last, noise, weight, common):  # type: ignore[no-untyped-def]
    """The harmonics' common phase and its weight, each (points,): weighted mean without their constants."""
    count, points = amplitude.shape
    own = np.zeros((count, points))
    for h in range(count):
        peak = 0.0
        for j in range(first, last):
            peak = max(peak, amplitude[h, j] ** 2)
        for j in range(points):
            power, total = amplitude[h, j] ** 2, 1e-30
            for k in range(count):
                total += amplitude[k, j] ** 2
            if power > noise:
                own[h, j] = (h + 1) ** 2 * power / (power + KNEE * peak + DISTURBED * total + noise)
    level, share = np.zeros(count), np.ones(count)
    for turn in range(AGREEMENTS):
        top = 0.0
        for j in range(points):
            weight[j], common[j] = 1e-12, 0.0
            for h in range(count):
                weight[j] += share[h] * own[h, j]
                common[j] += share[h] * own[h, j] * (phase[h, j] - level[h])
            common[j] /= weight[j]
            top = max(top, weight[j])
        for j in range(points):
            weight[j] /= top
        if turn == AGREEMENTS - 1:
            return
        for h in range(count):
            s, p, pp = 1e-12, 0.0, 0.0
            for j in range(first, last):
                off = phase[h, j] - level[h] - common[j]
                s += own[h, j]
                p += own[h, j] * off
                pp += own[h, j] * off * off
            level[h] += p / s
            spread = max(pp / s - (p / s) ** 2, 0.0) * (h + 1) ** 2
            share[h] = 1 / (1 + spread / ODD_ONE_RAD**2)


def fits_along(
    x: Samples, first: Fit, harmonic: int, end_s: float, *, rate: float, noise: float, width_periods: float
) -> list[Fit]:
    """Fits of the fundamental from all harmonics together, starting around where `first` does; none where it fails.

    x: the decimated hit, (frames,); first: the fit trusted so far, of this harmonic; end_s: where the hit has died away,
    after the onset; noise: its mean square. Frequencies, errors and cycles are of the fundamental.
    """
    found, landing = first.frequency_hz / harmonic, first.frequency_hz / harmonic
    start, above, tau = first.start_s, first.above_hz / harmonic, first.tau_s
    count = max(1, min(HARMONICS, int(HIGHEST_SHARE * rate / landing)))
    step = max(1 / (POINTS_A_PERIOD * landing), 1 / rate, x.size / rate / MOST_POINTS)
    points = int(x.size / rate / step)
    last = min(int(end_s / step), points)
    noise_power = 4 * noise * 2 * BAND_SHARE * landing * NOISE_WIDTH / (rate / 2)
    amplitude, phase = np.empty((count, points)), np.empty((count, points))
    weight, common = np.empty(points), np.empty(points)
    fits: list[Fit] = []
    for _ in range(LOOKS):
        begin = round(start / step)
        if last - begin < FEWEST_POINTS:
            break
        _turned_back(x, rate, start, above, tau, landing, step, width_periods / landing, amplitude, phase)
        _made_one(amplitude, phase, begin, last, noise_power, weight, common)
        starts = _starts(start, above, tau, landing, last * step)
        part = Partial(step, weight, common, landing, BAND_SHARE * landing)
        places = [round(place / step) for place in starts]
        now = [fit for fit in fit_phases(part, weight, starts=places, last=last, drift=False) if fit is not None]
        if not now:
            break
        best = min(now, key=lambda fit: fit.error_hz)
        if not 1 / SAME_NOTE < best.frequency_hz / found < SAME_NOTE:
            break
        fits, landing, start, tau = now, best.frequency_hz, best.start_s, best.tau_s
        above = max(-FARTHEST * landing, min(best.above_hz, FARTHEST * landing))
    return [fit for fit in fits if 1 / SAME_NOTE < fit.frequency_hz / found < SAME_NOTE]


def _starts(start: float, above: float, tau: float, landing: float, end: float) -> list[float]:
    """Starts in seconds around the trusted one: after the onset, not far up in the sweep, and with periods left to fit."""
    places = [(wait / landing, start + wait / landing) for wait in WAITS]
    return [
        place
        for wait, place in places
        if place > EARLIEST_PERIODS / landing
        and end - place > SHORTEST_PERIODS / landing
        and (wait >= 0 or above * math.exp(min(-wait / tau, 30.0)) < FARTHEST * landing)
    ]

"""The pitch path of a hit: one partial followed backwards in time, from where it rests up into its sweep."""

from __future__ import annotations

import math

import numba
import numpy as np

from juglant.core.types import Samples

# Window in periods of the pitch being followed, and how far the pitch may move from one point to the next (ratio).
PERIODS = 2.0
STEPS = 25
REACH = 0.36
MOST_POINTS = 110
SHORTEST_STEP_S = 0.0025


@numba.njit(cache=True, nogil=True)
def _magnitude(x: Samples, centre: float, frequency: float, rate: float) -> float:
    half = 0.5 * PERIODS * rate / frequency
    first, last = math.ceil(centre - half), math.floor(centre + half)
    # Two turning phasors instead of a cosine and a sine at every sample.
    turn = 2 * math.pi * frequency / rate
    angle = turn * (first - centre)
    tone = complex(math.cos(angle), math.sin(angle))
    tone_step = complex(math.cos(turn), math.sin(turn))
    bend = math.pi / half
    angle = bend * (first - centre)
    window = complex(math.cos(angle), math.sin(angle))
    window_step = complex(math.cos(bend), math.sin(bend))
    total, weight = complex(0.0, 0.0), 0.0
    for n in range(first, last + 1):
        shape = 0.5 + 0.5 * window.real
        if 0 <= n < x.size:
            total += shape * x[n] * tone
        weight += shape
        tone *= tone_step
        window *= window_step
    return float(2 * abs(total) / max(weight, 1e-9))


@numba.njit(cache=True, nogil=True)
def _follow(x, rate, frequency, at, top, pitch, level):  # type: ignore[no-untyped-def]
    """Follow from the last point of `at` to the first; fills pitch and level."""
    magnitudes = np.empty(STEPS)
    for i in range(at.size - 1, -1, -1):
        best = 0
        for k in range(STEPS):
            candidate = frequency * math.exp(REACH * (k / (STEPS - 1) * 1.4 - 0.4))
            magnitudes[k] = _magnitude(x, at[i], min(candidate, top), rate)
            if magnitudes[k] > magnitudes[best]:
                best = k
        shift = 0.0
        if 0 < best < STEPS - 1:
            bend = magnitudes[best - 1] - 2 * magnitudes[best] + magnitudes[best + 1]
            if bend < 0:
                shift = 0.5 * (magnitudes[best - 1] - magnitudes[best + 1]) / bend
        frequency = min(frequency * math.exp(REACH * ((best + shift) / (STEPS - 1) * 1.4 - 0.4)), top)
        pitch[i], level[i] = frequency, magnitudes[best]


def follow_back(
    x: Samples, frequency_hz: float, from_s: float, *, rate: float, step_s: float | None = None
) -> tuple[Samples, Samples, Samples]:
    """Pitch of a partial from the start of a decimated hit to `from_s`, where it rests at `frequency_hz`.

    Returns times in s, pitch in Hz and amplitude, each (points,).
    """
    step = step_s or max(SHORTEST_STEP_S, from_s / MOST_POINTS)
    times = np.arange(0.5 / frequency_hz * 0.25, max(from_s, step), step)
    pitch, level = np.empty(times.size), np.empty(times.size)
    _follow(x, float(rate), float(frequency_hz), times * rate, 0.42 * rate, pitch, level)
    return times, pitch, level


@numba.njit(cache=True, nogil=True)
def _amplitudes(x: Samples, frequency: float, at: Samples, rate: float, out: Samples) -> None:
    for i in range(at.size):
        out[i] = _magnitude(x, at[i], frequency, rate)


def amplitude_of(x: Samples, frequency_hz: float, times_s: Samples, *, rate: float) -> Samples:
    """Amplitude of a steady partial at given times, (points,)."""
    out = np.empty(times_s.size)
    _amplitudes(x, float(frequency_hz), times_s * rate, float(rate), out)
    return out


@numba.njit(cache=True, nogil=True)
def _along(x, pitch, at, rate, out):  # type: ignore[no-untyped-def]
    """Amplitude at each time of the partial whose pitch is given at every sample."""
    tone = np.empty(x.size, dtype=np.complex128)
    angle = 0.0
    for n in range(x.size):
        tone[n] = x[n] * complex(math.cos(angle), -math.sin(angle))
        angle += 2 * math.pi * pitch[n] / rate
    for i in range(at.size):
        centre = min(max(at[i], 0.0), x.size - 1.0)
        half = 0.5 * PERIODS * rate / pitch[int(centre)]
        first, last = max(0, math.ceil(centre - half)), min(x.size - 1, math.floor(centre + half))
        total, weight = complex(0.0, 0.0), 1e-12
        for n in range(first, last + 1):
            shape = 0.5 + 0.5 * math.cos(math.pi * (n - centre) / half)
            total += shape * tone[n]
            weight += shape
        out[i] = 2 * abs(total) / weight


def amplitude_along(x: Samples, times_s: Samples, pitch_hz: Samples, *, rate: float) -> Samples:
    """Amplitude of a partial along its own path, (points,): turned back by its pitch, so that a fast sweep loses nothing.

    times_s, pitch_hz: (points,), the path of that partial.
    """
    pitch = np.interp(np.arange(x.size) / rate, times_s, pitch_hz)
    out = np.empty(times_s.size)
    _along(x, pitch, times_s * rate, float(rate), out)
    return out

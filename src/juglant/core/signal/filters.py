"""Filters: a state-variable low-pass that may move, Butterworth cuts, and cookbook EQ sections."""

from __future__ import annotations

import math
from functools import lru_cache
from typing import Literal

import numba
import numpy as np
from scipy import fft

from juglant.core.signal.wrap import wrapped
from juglant.core.types import Samples, Spectrum


def _butterworth_q(order: int) -> tuple[float, ...]:
    """Qs of the pairs of poles of a Butterworth filter of even order (textbook: evenly spread on a circle)."""
    return tuple(1 / (2 * math.cos((2 * k + 1) * math.pi / (2 * order))) for k in range(order // 2))


BUTTERWORTH_2_Q, BUTTERWORTH_4_Q = _butterworth_q(2), _butterworth_q(4)


@numba.njit(cache=True, nogil=True)
def _moving_low_pass(signal: Samples, tangent: Samples, q: float, out: Samples) -> None:
    # Trapezoidal state-variable filter (Zavalishin, The Art of VA Filter Design, ch. 4).
    first, second = 0.0, 0.0
    damping = 1.0 / q
    for i in range(signal.size):
        g = tangent[i]
        high = (signal[i] - (damping + g) * first - second) / (1.0 + g * (damping + g))
        band = g * high + first
        low = g * band + second
        first = g * high + band
        second = g * band + low
        out[i] = low


def moving_low_pass(signal: Samples, corner_hz: Samples, *, slope_db: int, sample_rate: int) -> Samples:
    """Butterworth low-pass whose corner may change every sample.

    signal, corner_hz: (frames,); slope_db: 12 or 24 dB per octave. Returns (frames,).
    """
    tangent = np.tan(np.pi * np.minimum(corner_hz, 0.45 * sample_rate) / sample_rate)
    for q in BUTTERWORTH_2_Q if slope_db == 12 else BUTTERWORTH_4_Q:
        out = np.empty_like(signal)
        _moving_low_pass(signal, tangent, q, out)
        signal = out
    return signal


@lru_cache(maxsize=512)
def butterworth(order: int, corner_hz: float, kind: Literal["lowpass", "highpass"], *, sample_rate: int) -> Samples:
    """Second-order sections of a Butterworth filter of even order, (sections, 6), not to be written to.

    The cookbook's sections at the filter's own Qs: the same bilinear transform as a general design, in closed form.
    """
    shape = SHAPES.index("low-pass" if kind == "lowpass" else "high-pass")
    qs = _butterworth_q(order)
    sections = np.array([cookbook_section(shape, float(corner_hz), 0.0, q, float(sample_rate)) for q in qs])
    sections /= sections[:, 3:4]
    sections.setflags(write=False)
    return sections


SHAPES = ("bell", "low shelf", "high shelf", "high-pass", "low-pass")


@numba.njit(cache=True, nogil=True)
def cookbook_section(shape: int, frequency_hz: float, gain_db: float, q: float, rate: float) -> tuple[float, ...]:
    """b0, b1, b2, a0, a1, a2 of one section; shape: place in SHAPES. Formulas: R. Bristow-Johnson, Audio EQ Cookbook."""
    a = 10 ** (gain_db / 40)
    w0 = 2 * math.pi * min(frequency_hz, 0.49 * rate) / rate
    cos, alpha = math.cos(w0), math.sin(w0) / (2 * q)
    root = 2 * math.sqrt(a) * alpha
    if shape == 0:
        return 1 + alpha * a, -2 * cos, 1 - alpha * a, 1 + alpha / a, -2 * cos, 1 - alpha / a
    if shape == 3:
        return (1 + cos) / 2, -(1 + cos), (1 + cos) / 2, 1 + alpha, -2 * cos, 1 - alpha
    if shape == 4:
        return (1 - cos) / 2, 1 - cos, (1 - cos) / 2, 1 + alpha, -2 * cos, 1 - alpha
    # A high shelf is a low shelf with the cosine turned over, and the odd coefficients with it.
    turn = 1.0 if shape == 1 else -1.0
    c = turn * cos
    return (
        a * (a + 1 - (a - 1) * c + root),
        turn * 2 * a * (a - 1 - (a + 1) * c),
        a * (a + 1 - (a - 1) * c - root),
        a + 1 + (a - 1) * c + root,
        turn * -2 * (a - 1 + (a + 1) * c),
        a + 1 + (a - 1) * c - root,
    )


def cookbook(shape: str, *, frequency_hz: float, gain_db: float, q: float, sample_rate: int) -> Samples:
    """One EQ section, (1, 6), normalised to a0 = 1.

    shape: one of SHAPES. Formulas: R. Bristow-Johnson, Audio EQ Cookbook.
    """
    if shape not in SHAPES:
        raise ValueError(f"shape must be one of {', '.join(SHAPES)}, got {shape!r}")
    section = np.array([cookbook_section(SHAPES.index(shape), frequency_hz, gain_db, q, float(sample_rate))])
    return np.asarray(section / section[0, 3])


@numba.njit(cache=True, nogil=True)
def _candidate_responses(kinds, vectors, z, rate, out):  # type: ignore[no-untyped-def]
    for c in range(vectors.shape[0]):
        for i in range(z.size):
            out[c, i] = 1.0
        for k in range(kinds.size):
            f, gain, q = 2.0 ** vectors[c, 3 * k], vectors[c, 3 * k + 1], 2.0 ** vectors[c, 3 * k + 2]
            b0, b1, b2, a0, a1, a2 = cookbook_section(kinds[k], f, gain, q, rate)
            for i in range(z.size):
                out[c, i] *= (b0 + z[i] * (b1 + z[i] * b2)) / (a0 + z[i] * (a1 + z[i] * a2))


def candidate_responses(shapes: tuple[str, ...], vectors: Samples, z: Spectrum, *, sample_rate: int) -> Spectrum:
    """Responses of many EQs at once, (candidates, points).

    vectors: (candidates, 3 * shapes) of log2 frequency, gain in dB, log2 Q; z: e^(-jw) of each point.
    """
    out = np.empty((vectors.shape[0], z.size), dtype=complex)
    kinds = np.array([SHAPES.index(shape) for shape in shapes], dtype=np.int64)
    _candidate_responses(kinds, np.ascontiguousarray(vectors), z, float(sample_rate), out)
    return out


def response(sections: Samples, frequency_hz: Samples, *, sample_rate: int) -> Spectrum:
    """Complex response of second-order sections at the given frequencies; 1 where there are none."""
    if not len(sections):
        return np.ones(len(frequency_hz), dtype=complex)
    z = np.exp(-2j * np.pi * np.asarray(frequency_hz) / sample_rate)
    powers = np.stack((np.ones_like(z), z, z * z))
    result: Spectrum = np.prod((sections[:, :3] @ powers) / (sections[:, 3:] @ powers), axis=0)
    return result


# Added to and taken from every state: what is below 1e-31 becomes zero, as numbers near 1e-308 are ten times slower.
_FLUSH = 1e-15


@numba.njit(cache=True, nogil=True)
def _cascade(sections: Samples, signal: Samples, out: Samples) -> None:
    """Second-order sections one after another, transposed direct form II, from silence."""
    out[:] = signal
    count = sections.shape[0]
    # Two at a time: what one waits for the other does not, and a sample is read and written once for both.
    for pair in range(count // 2):
        b0, b1, b2 = sections[2 * pair, 0], sections[2 * pair, 1], sections[2 * pair, 2]
        a1, a2 = sections[2 * pair, 4], sections[2 * pair, 5]
        d0, d1, d2 = sections[2 * pair + 1, 0], sections[2 * pair + 1, 1], sections[2 * pair + 1, 2]
        c1, c2 = sections[2 * pair + 1, 4], sections[2 * pair + 1, 5]
        first, second, third, fourth = 0.0, 0.0, 0.0, 0.0
        for n in range(out.size):
            x = out[n]
            y = b0 * x + first
            first = (b1 * x - a1 * y + second + _FLUSH) - _FLUSH
            second = (b2 * x - a2 * y + _FLUSH) - _FLUSH
            z = d0 * y + third
            third = (d1 * y - c1 * z + fourth + _FLUSH) - _FLUSH
            fourth = (d2 * y - c2 * z + _FLUSH) - _FLUSH
            out[n] = z
    for k in range(count - count % 2, count):
        b0, b1, b2 = sections[k, 0], sections[k, 1], sections[k, 2]
        a1, a2 = sections[k, 4], sections[k, 5]
        first, second = 0.0, 0.0
        for n in range(out.size):
            x = out[n]
            y = b0 * x + first
            first = (b1 * x - a1 * y + second + _FLUSH) - _FLUSH
            second = (b2 * x - a2 * y + _FLUSH) - _FLUSH
            out[n] = y


def filter_signal(sections: Samples, signal: Samples) -> Samples:
    """Filter (frames,) from silence through sections (n, 6) with a0 = 1; agrees with scipy's sosfilt."""
    out = np.empty(signal.size)
    _cascade(np.ascontiguousarray(sections), np.ascontiguousarray(signal, dtype=np.float64), out)
    return out


def filter_loop(loop: Samples, sections: Samples, *, sample_rate: int) -> Samples:
    """Filter a loop as it sounds on its second pass: the state at its start is the one its end leaves.

    loop: (frames,) or (channels, frames); sections: (n, 6). A warm-up of two seconds of the loop runs ahead, long
    enough for any corner down to 20 Hz to settle below -120 dB.
    """
    if not len(sections) or not loop.size:
        return loop
    if loop.ndim == 2:
        return np.stack([filter_loop(row, sections, sample_rate=sample_rate) for row in loop])
    warm = min(2 * sample_rate, 64 * loop.size)
    return filter_signal(sections, wrapped(loop, warm, 0))[warm:]


def level_loop(loop: Samples, sections: Samples, *, sample_rate: int) -> Samples:
    """A loop, (frames,), through the size of a filter's response alone: linear phase without delay, exact for a loop."""
    if not len(sections) or not loop.size:
        return loop
    hz = np.asarray(np.arange(loop.size // 2 + 1) * (sample_rate / loop.size), dtype=np.float64)
    return np.asarray(fft.irfft(fft.rfft(loop) * np.abs(response(sections, hz, sample_rate=sample_rate)), loop.size))


def level_hit(hit: Samples, sections: Samples, ahead: int, *, sample_rate: int) -> Samples:
    """A one-shot, (frames,), likewise, with `ahead` frames before it for what rings there: (ahead + frames + ahead,)."""
    padded = np.concatenate((np.zeros(ahead), hit, np.zeros(ahead)))
    return level_loop(padded, sections, sample_rate=sample_rate)


def filter_hit(hit: Samples, sections: Samples) -> Samples:
    """Filter a one-shot from silence, (frames,)."""
    return filter_signal(sections, hit) if len(sections) and hit.size else hit

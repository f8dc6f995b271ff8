"""Hats and cymbals: square oscillators in a ring, each multiplied by the next, and high-passed noise.

The product of two squares is itself a wave of plus and minus one whose edges are those of both. Every edge is drawn as a
band-limited step (a windowed sinc, integrated), so that nothing folds back whatever the oscillators do
(Brandt, Hard sync without aliasing, 2001; the table here is wider: 48 frames, a Kaiser window of beta 7).
"""

from __future__ import annotations

from functools import lru_cache
from typing import Literal

import numba
import numpy as np
from pydantic import Field
from scipy import fft

from juglant.core.parameter.parameter import Description, parameter
from juglant.core.signal.envelope import staged
from juglant.core.signal.filters import butterworth, filter_hit
from juglant.core.synth.beater import coloured_noise
from juglant.core.types import Samples

# Half the width of a step in frames, points of the table a frame, its corner as a share of half the sample rate.
HALF, FINENESS, KAISER_BETA, CORNER = 24, 256, 7.0, 0.985
CLOSED_MS, OPEN_MS = 22.0, 900.0
# Spread over an octave and a quarter by the golden section: no two stand in a simple ratio (this project's choice).
SPAN_OCTAVES = 1.25
RATIOS = 2 ** (SPAN_OCTAVES * ((np.arange(6) * (np.sqrt(5) - 1) / 2) % 1))
NOISE_GAIN = 1.2
RELEASE_SHARE = 1.5
TILT_FROM_HZ, TILT_TO_HZ = 2000.0, 20000.0


class Metal(Description):
    """Metal ring: closed to open from one control."""

    engine: Literal["metal"] = "metal"
    base_hz: float = parameter(
        420, 80, 1500, "Hz", "Pitch of the lowest oscillator.", title="Pitch", scale="log", step=5, musical=(220, 800)
    )
    oscillators: Literal[3, 4, 5, 6] = Field(default=6, title="Oscillators", description="Squares in the ring.")
    apart: float = parameter(
        1, 0, 2, "", "How far apart they are tuned; 0 is unison.", title="Tuned apart", step=0.02, musical=(0.5, 1.6)
    )
    open: float = parameter(
        0.15, 0, 1, "", "0 closed, 0.5 half open, 1 open.", title="Open", step=0.01, musical=(0, 0.9),
        words={0: "closed", 0.5: "half open", 1: "open"})  # fmt: skip
    attack_ms: float = parameter(
        0.3, 0.2, 20, "ms", "Rise from silence.", title="Attack", scale="log", step=0.1, musical=(0.2, 2)
    )
    high_pass_hz: float = parameter(
        7000,
        500,
        14000,
        "Hz",
        "Nothing of the ring below, 24 dB per octave.",
        title="Ring from",
        scale="log",
        step=50,
        musical=(4500, 10000),
    )
    noise_hz: float = parameter(
        8500,
        500,
        15000,
        "Hz",
        "Nothing of the noise below.",
        title="Noise from",
        scale="log",
        step=50,
        musical=(5500, 11000),
    )
    ring_db: float = parameter(
        -3, -60, 0, "dB", "Level of the ring; -60 is off.", title="Ring level", step=0.5, musical=(-24, 0)
    )
    noise_db: float = parameter(
        -9, -60, 0, "dB", "Level of the noise; -60 is off.", title="Noise level", step=0.5, musical=(-30, 0)
    )
    tilt_db_per_octave: float = parameter(
        0,
        -12,
        3,
        "dB/octave",
        "Tilt of ring and noise above 2 kHz: minus is darker.",
        title="Tilt",
        step=0.5,
        musical=(-7, 1),
    )
    wash_db: float = parameter(
        -60, -60, 0, "dB", "Level of a second, slower fall behind the stroke; -60 is off.", title="Wash", step=0.5,
        musical=(-24, -6),
    )  # fmt: skip
    wash_ms: float = parameter(
        400,
        20,
        4000,
        "ms",
        "Time for the wash to fall by 24 dB.",
        title="Wash decay",
        scale="log",
        step=10,
        musical=(80, 2000),
    )
    seed: int = Field(default=1, ge=0, le=9999, title="Seed", description="Another seed, another noise.")


def decay_ms(settings: Metal) -> float:
    """Time to fall by 24 dB, from closed to open on a logarithmic scale."""
    return float(CLOSED_MS * (OPEN_MS / CLOSED_MS) ** settings.open)


@lru_cache(maxsize=1)
def _steps() -> Samples:
    """Band-limited step from 0 to 1 less the plain one, (2 HALF FINENESS + 1,): its middle is the edge."""
    at = np.arange(-HALF * FINENESS, HALF * FINENESS + 1) / FINENESS
    pulse = CORNER * np.sinc(CORNER * at) * np.kaiser(at.size, KAISER_BETA)
    rise = np.concatenate(([0.0], np.cumsum(0.5 * (pulse[1:] + pulse[:-1]))))
    rise /= rise[-1]
    residual: Samples = rise - (at >= 0)
    return residual


@numba.njit(cache=True, nogil=True)
def _add_product(first, second, start, residual, out):  # type: ignore[no-untyped-def]
    """Add the product of two squares, in periods a frame, from phases start, with band-limited edges."""
    steps = np.array([first, second])
    phase = start.copy()
    edges = np.empty(2)
    value = 1.0
    for k in range(2):
        # Squares: plus in the first half of a period.
        if phase[k] - np.floor(phase[k]) >= 0.5:
            value = -value
        edges[k] = (np.floor(2 * phase[k]) + 1 - 2 * phase[k]) / (2 * steps[k])
    n = 0
    while True:
        k = 0 if edges[0] < edges[1] else 1
        edge = edges[k]
        edges[k] += 0.5 / steps[k]
        # Up to the edge the plain value, then the other sign.
        stop = min(out.size, int(np.ceil(edge)))
        while n < stop:
            out[n] += value
            n += 1
        if edge >= out.size + HALF:
            return
        value = -value
        left = int(np.ceil(edge - HALF))
        for i in range(max(0, left), min(out.size, int(np.floor(edge + HALF)) + 1)):
            at = (i - edge + HALF) * FINENESS
            low = int(at)
            if low >= 0 and low + 1 < residual.size:
                # Never interpolated across the edge itself, where the table jumps by one.
                part = at - low
                a, b = residual[low], residual[low + 1]
                if low + 1 == HALF * FINENESS:
                    b += 1.0
                out[i] += 2 * value * (a + part * (b - a))


def ring(settings: Metal, frames: int, *, tune: float, sample_rate: int) -> Samples:
    """The oscillators alone, (frames,): the mean of the products of neighbours, of rms about 1 / sqrt(oscillators)."""
    count = settings.oscillators
    step = settings.base_hz * tune * RATIOS[:count] ** settings.apart / sample_rate
    # Fixed phases: the same hit every time, and no two edges together. A step's width is rendered ahead and cut off.
    phases = 0.37 * np.arange(count) + 0.11 - HALF * step
    out = np.zeros(frames + HALF)
    for k in range(count):
        after = (k + 1) % count
        _add_product(step[k], step[after], phases[[k, after]], _steps(), out)
    return out[HALF:] / count


def _envelope(settings: Metal, sample_rate: int) -> Samples:
    """The stroke's fall and the wash behind it, (frames,)."""
    falls = [(0.0, decay_ms(settings))]
    if settings.wash_db > -60:
        falls.append((settings.wash_db, settings.wash_ms))
    shapes = [
        10 ** (level / 20)
        * staged(
            attack_ms=settings.attack_ms,
            hold_ms=1,
            decay_ms=fall,
            release_ms=RELEASE_SHARE * fall,
            sample_rate=sample_rate,
        )
        for level, fall in falls
    ]
    out = np.zeros(max(shape.size for shape in shapes))
    for shape in shapes:
        out[: shape.size] += shape
    return out


def tilted(sound: Samples, tilt_db_per_octave: float, *, sample_rate: int) -> Samples:
    """A sound that runs on, (frames,), with a straight tilt from 2 to 20 kHz; below it stays as it is."""
    if tilt_db_per_octave == 0:
        return sound
    length = fft.next_fast_len(sound.size, real=True)
    octaves = np.log2(np.clip(fft.rfftfreq(length, 1 / sample_rate), TILT_FROM_HZ, TILT_TO_HZ) / TILT_FROM_HZ)
    return np.asarray(fft.irfft(fft.rfft(sound, length) * 10 ** (tilt_db_per_octave * octaves / 20), length)[: sound.size])


def render(settings: Metal, *, tune: float, sample_rate: int) -> Samples:
    """Render the hat or cymbal, (frames,); `tune` moves the oscillators and both corners."""
    envelope = _envelope(settings, sample_rate)
    out = np.zeros(envelope.size)
    if settings.ring_db > -60:
        sections = butterworth(4, settings.high_pass_hz * tune, "highpass", sample_rate=sample_rate)
        tone = filter_hit(ring(settings, envelope.size, tune=tune, sample_rate=sample_rate), sections)
        out += 10 ** (settings.ring_db / 20) * tone
    if settings.noise_db > -60:
        noise = coloured_noise(
            envelope.size, tilt_db_per_octave=0, rng=np.random.default_rng(settings.seed), sample_rate=sample_rate
        )
        sections = butterworth(4, settings.noise_hz * tune, "highpass", sample_rate=sample_rate)
        out += 10 ** (settings.noise_db / 20) * NOISE_GAIN * filter_hit(noise, sections)
    return tilted(out, settings.tilt_db_per_octave, sample_rate=sample_rate) * envelope

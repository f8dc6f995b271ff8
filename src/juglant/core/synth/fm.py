"""Percussion by frequency modulation: a carrier, one or two modulators, each with its own fall, and a band-pass.

Phase modulation as it is built: sin(w t + I1 sin(w1 t + I2 sin(w2 t))) (Chowning 1973, with the index an envelope).
Rendered at twice the rate; both indices are held where the side bands (Carson's rule and some more) would fold back.
"""

from __future__ import annotations

import math
from typing import Literal

import numba
import numpy as np
import soxr

from juglant.core.parameter.parameter import Description, parameter
from juglant.core.signal.envelope import staged
from juglant.core.signal.filters import butterworth, filter_hit
from juglant.core.types import Samples

OVERSAMPLING = 2
# Side bands beyond Carson's (index + 1) that still count at -80 dB.
MORE_BANDS = 6.0
HIGHEST_SHARE = 0.9
PAD_FRAMES = 256
OFF_OCTAVES = 6.0
BISECTIONS = 24


class Fm(Description):
    """FM percussion: two or three operators."""

    engine: Literal["fm"] = "fm"
    landing_hz: float = parameter(220, 30, 1000, "Hz", "Pitch of the carrier.", title="Pitch", scale="log", step=0.5)
    ratio: float = parameter(
        1.41, 0.25, 8, "", "First modulator's pitch over the carrier's.", title="Ratio", step=0.01, musical=(0.5, 5)
    )
    index: float = parameter(
        2.5, 0, 12, "", "How deep it modulates, in radians.", title="Index", step=0.1, musical=(0.3, 6)
    )
    index_ms: float = parameter(
        60, 3, 1000, "ms", "Time for the index to fall by 24 dB.", title="Index decay", scale="log", step=2
    )
    second_ratio: float = parameter(
        3.2, 0.25, 12, "", "Second modulator's pitch over the carrier's.", title="Second ratio", step=0.01
    )
    second_index: float = parameter(
        0, 0, 6, "", "How deep it modulates the first; 0 is off.", title="Second index", step=0.1, musical=(0, 3)
    )
    second_ms: float = parameter(
        25, 3, 1000, "ms", "Time for that to fall by 24 dB.", title="Second decay", scale="log", step=2
    )
    drop_semitones: float = parameter(
        2, 0, 36, "semitones", "How far the pitch falls.", title="Pitch drop", step=0.5, musical=(0, 14)
    )
    drop_ms: float = parameter(
        30,
        2,
        300,
        "ms",
        "Time in which it falls to a sixteenth of that.",
        title="Drops in",
        scale="log",
        step=1,
        musical=(6, 120),
    )
    attack_ms: float = parameter(
        0.5, 0.2, 40, "ms", "Rise from silence.", title="Attack", scale="log", step=0.1, musical=(0.2, 3)
    )
    decay_ms: float = parameter(
        160, 5, 2000, "ms", "Time to fall by 24 dB.", title="Decay", scale="log", step=5, musical=(25, 400)
    )
    release_ms: float = parameter(
        150, 5, 2000, "ms", "Time to fall from there to silence.", title="Release", scale="log", step=5, musical=(25, 400)
    )
    band_hz: float = parameter(1000, 100, 8000, "Hz", "Middle of the band-pass.", title="Band", scale="log", step=20)
    band_octaves: float = parameter(6, 0.2, 6, "octaves", "Width of the band-pass; 6 is off.", title="Band width", step=0.1)
    tracking_pct: float = parameter(100, 0, 100, "%", "How far the band follows the tuning.", title="Key tracking", step=5)


@numba.njit(cache=True, nogil=True)
def _operators(step, drop, drop_fall, ratios, indices, index_falls, lead, out):  # type: ignore[no-untyped-def]
    """Two modulators and the carrier; step: radians a frame at the landing, drop: log ratio above it at the hit.

    Falls are factors a frame; the hit is at frame `lead`, what lies before it is at its pitch.
    """
    turn, above = -lead * step * math.exp(drop), drop
    index, second = indices[0], indices[1]
    for n in range(out.size):
        inner = ratios[0] * turn
        if second > 0:
            inner += second * math.sin(ratios[1] * turn)
        out[n] = math.sin(turn + index * math.sin(inner))
        turn += step * math.exp(above)
        if n >= lead:
            above *= drop_fall
            index *= index_falls[0]
            second *= index_falls[1]


def render(settings: Fm, *, tune: float, sample_rate: int) -> Samples:
    """Render the hit, (frames,); `tune` moves every operator, and the band by its tracking."""
    envelope = staged(
        attack_ms=settings.attack_ms,
        hold_ms=1,
        decay_ms=settings.decay_ms,
        release_ms=settings.release_ms,
        sample_rate=sample_rate,
    )
    rate = OVERSAMPLING * sample_rate
    wide = np.empty((envelope.size + 2 * PAD_FRAMES) * OVERSAMPLING)
    highest_hz = settings.landing_hz * tune * 2 ** (settings.drop_semitones / 12)
    kept = _kept(settings, HIGHEST_SHARE * sample_rate / highest_hz)
    _operators(
        2 * math.pi * settings.landing_hz * tune / rate,
        math.log(2) / 12 * settings.drop_semitones,
        16 ** (-1000 / (settings.drop_ms * rate)),
        np.array([settings.ratio, settings.second_ratio]),
        kept * np.array([settings.index, settings.second_index]),
        10 ** (-24 / 20 * 1000 / (np.array([settings.index_ms, settings.second_ms]) * rate)),
        PAD_FRAMES * OVERSAMPLING,
        wide,
    )
    tone = soxr.resample(wide, rate, sample_rate, quality="HQ")
    tone = tone[PAD_FRAMES : PAD_FRAMES + envelope.size] * envelope
    if settings.band_octaves < OFF_OCTAVES:
        tone = filter_hit(tone, _band(settings, tune, sample_rate)) * _ended(envelope)
    return np.asarray(tone)


def _kept(settings: Fm, room: float) -> float:
    """Share of both indices that keeps the highest side band within `room` carriers, 0..1."""

    def widest(share: float) -> float:
        inner = settings.ratio + settings.second_ratio * _bands(share * settings.second_index)
        return 1 + _bands(share * settings.index) * inner

    if widest(1.0) <= room:
        return 1.0
    low, high = 0.0, 1.0
    for _ in range(BISECTIONS):
        middle = 0.5 * (low + high)
        low, high = (middle, high) if widest(middle) <= room else (low, middle)
    return low


def _bands(index: float) -> float:
    """Side bands that count at an index: Carson's and some more, none without modulation."""
    return index + MORE_BANDS * min(1.0, index)


def _ended(envelope: Samples) -> Samples:
    """1 wherever the envelope is over -90 dB, falling with it below: what a filter rings on ends with the hit."""
    return np.minimum(1.0, envelope / (float(envelope.max()) * 10 ** (-90 / 20)))


def _band(settings: Fm, tune: float, sample_rate: int) -> Samples:
    """A Butterworth high-pass and low-pass, as far apart as the band is wide."""
    centre = settings.band_hz * tune ** (settings.tracking_pct / 100)
    half = 2 ** (settings.band_octaves / 2)
    return np.vstack(
        (
            butterworth(2, max(20.0, centre / half), "highpass", sample_rate=sample_rate),
            butterworth(2, min(20000.0, centre * half), "lowpass", sample_rate=sample_rate),
        )
    )

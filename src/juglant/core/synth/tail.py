"""The tail of a kick, or a long sub note: a sine with its own decay, glide, drift, and harmonics while it starts."""

from __future__ import annotations

import math
from typing import Literal

import numpy as np

from juglant.core.parameter.parameter import Description, parameter
from juglant.core.signal.drive import drive
from juglant.core.signal.envelope import staged
from juglant.core.types import Samples

FALL_DB, OFF_DB = 24.0, -60.0
# Second to fifth partial, each weaker than the one below.
START_HARMONICS = (2, 3, 4, 5)
# Slower than anyone hears as vibrato (this project's choice).
DRIFT_HZ = 0.35
# Start harmonics above this make it as edged as a saw.
EDGED_FROM_DB = -20.0


class Tail(Description):
    """Tail engine: the resting note itself."""

    engine: Literal["tail"] = "tail"
    landing_hz: float = parameter(50, 20, 250, "Hz", "The note of the tail.", title="Landing", scale="log", step=0.1)
    attack_ms: float = parameter(
        20, 0.5, 300, "ms", "Time to come in.", title="Comes in", scale="log", step=1, musical=(5, 120)
    )
    hold_ms: float = parameter(20, 0, 2000, "ms", "Time at full level.", title="Hold", step=1, musical=(0, 240))
    decay_ms: float = parameter(
        300, 5, 4000, "ms", "Time to fall by 24 dB.", title="Decay", scale="log", step=5, musical=(80, 800)
    )
    release_ms: float = parameter(
        90, 5, 2000, "ms", "Time to fall from there to silence.", title="Release", scale="log", step=5, musical=(40, 300)
    )
    glide_semitones: float = parameter(
        0, -24, 24, "semitones", "How far from its note it begins.", title="Glides from", step=1, musical=(-12, 12)
    )
    glide_ms: float = parameter(
        60, 3, 2000, "ms", "Time to come 24 dB nearer to the note.", title="Glide", scale="log", step=5, musical=(20, 300)
    )
    bright_db: float = parameter(
        OFF_DB, OFF_DB, 0, "dB", "Extra harmonics at the start; -60 is off.", title="Start harmonics", step=0.5,
        musical=(-36, -6),
    )  # fmt: skip
    bright_ms: float = parameter(
        40, 3, 1000, "ms", "Time these take to fall by 24 dB.", title="Harmonics decay", scale="log", step=5,
        musical=(15, 200),
    )  # fmt: skip
    drift_cents: float = parameter(
        0, 0, 50, "cents", "How far the note wanders, slowly.", title="Drift", step=1, musical=(0, 8)
    )
    drive_db: float = parameter(
        0, 0, 30, "dB", "Gain into saturation: adds odd harmonics.", title="Drive", step=0.5, musical=(0, 12)
    )


def _falling(time_s: Samples, span_ms: float) -> Samples:
    """From 1, by the depth at which a decay is over in every `span_ms`, (frames,)."""
    return np.asarray(np.exp(-math.log(10) * FALL_DB / 20 * 1000 / span_ms * time_s))


def _phase(settings: Tail, frequency_hz: float, frames: int, sample_rate: int) -> Samples:
    """Radians turned by each frame, from 0, (frames,)."""
    even = 2 * np.pi * frequency_hz / sample_rate
    if settings.glide_semitones == 0 and settings.drift_cents == 0:
        return np.asarray(even * np.arange(frames))
    time = np.arange(frames) / sample_rate
    glide = settings.glide_semitones * _falling(time, settings.glide_ms)
    drift = settings.drift_cents / 100 * np.sin(2 * np.pi * DRIFT_HZ * time)
    step = even * np.exp2((glide + drift) / 12)
    turned: Samples = np.concatenate((np.zeros(1), np.cumsum(step)[:-1]))
    return turned


def render(settings: Tail, *, tune: float, sample_rate: int) -> Samples:
    """Render the tail, (frames,); `tune` is a ratio applied to its pitch."""
    envelope = staged(
        attack_ms=settings.attack_ms,
        hold_ms=settings.hold_ms,
        decay_ms=settings.decay_ms,
        release_ms=settings.release_ms,
        sample_rate=sample_rate,
    )
    turn = _phase(settings, settings.landing_hz * tune, envelope.size, sample_rate)
    tone = np.sin(turn)
    if settings.bright_db > OFF_DB:
        time = np.arange(envelope.size) / sample_rate
        fall = 10 ** (settings.bright_db / 20) * _falling(time, settings.bright_ms)
        tone = tone + fall * sum(np.sin(k * turn) / (k - 1) for k in START_HARMONICS)
    return (
        drive(tone, drive_db=settings.drive_db, edged=settings.bright_db > EDGED_FROM_DB, sample_rate=sample_rate)
        * envelope
    )

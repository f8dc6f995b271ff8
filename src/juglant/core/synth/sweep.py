"""The body of a kick: one tone whose pitch falls onto its landing."""

from __future__ import annotations

import math
from typing import Literal

import numpy as np
from pydantic import Field

from juglant.core.parameter.parameter import Description, parameter
from juglant.core.signal.drive import drive
from juglant.core.signal.envelope import staged
from juglant.core.signal.filters import moving_low_pass
from juglant.core.signal.oscillator import oscillator
from juglant.core.types import Samples

# A sweep is over once it is within 50 cents of the landing (method: sweep).
SETTLED_RATIO = 2 ** (50 / 1200) - 1


class Sweep(Description):
    """Sweep engine: sine, triangle or square with a falling pitch, a low-pass and drive."""

    engine: Literal["sweep"] = "sweep"
    landing_hz: float = parameter(
        50, 20, 250, "Hz", "The note the pitch settles on.", title="Landing", scale="log", step=0.1
    )
    start_semitones: float = parameter(
        24, 0, 72, "semitones", "How far above the landing the pitch starts.", title="Start pitch", step=1, musical=(7, 48)
    )
    sweep_ms: float = parameter(
        80,
        2,
        400,
        "ms",
        "Time until the pitch is within 50 cents of the landing.",
        title="Sweep",
        scale="log",
        step=1,
        musical=(8, 160),
    )
    curve: float = parameter(
        1, 0.4, 2, "", "1 falls exponentially; below it drops at once and lingers, above it hangs and drops.",
        title="Sweep curve", scale="log", step=0.05, musical=(0.6, 1.5),
        words={0.4: "drops at once", 1: "exponential", 2: "hangs"})  # fmt: skip
    shape: float = parameter(
        0, 0, 2, "", "0 sine, 1 triangle, 2 square.", title="Waveform", step=0.05, musical=(0, 1.2),
        words={0: "sine", 1: "triangle", 2: "square"})  # fmt: skip
    attack_ms: float = parameter(
        0.5, 0.2, 50, "ms", "Rise from silence.", title="Attack", scale="log", step=0.1, musical=(0.2, 4)
    )
    hold_ms: float = parameter(30, 0, 1000, "ms", "Time at full level.", title="Hold", step=1, musical=(0, 80))
    decay_ms: float = parameter(
        180, 5, 3000, "ms", "Time to fall by 24 dB.", title="Decay", scale="log", step=5, musical=(60, 500)
    )
    release_ms: float = parameter(
        90, 5, 2000, "ms", "Time to fall from there to silence.", title="Release", scale="log", step=5, musical=(30, 260)
    )
    low_pass_hz: float = parameter(
        20000, 40, 20000, "Hz", "Low-pass corner; 20 kHz is off.", title="Low-pass", scale="log", step=10
    )
    low_pass_slope_db: Literal[12, 24] = Field(default=24, title="Low-pass slope", json_schema_extra={"unit": "dB/octave"})
    low_pass_open_octaves: float = parameter(
        0, 0, 6, "octaves", "How far the low-pass opens with the hit.", title="Opens by", step=0.1
    )
    low_pass_close_ms: float = parameter(
        60, 2, 1000, "ms", "Time in which it closes again.", title="Closes in", scale="log", step=1
    )
    drive_db: float = parameter(0, 0, 30, "dB", "Gain into saturation.", title="Drive", step=0.5, musical=(0, 15))


def sweep_hz(settings: Sweep, frames: int, *, tune: float, sample_rate: int) -> Samples:
    """Instantaneous frequency, (frames,): f(t) = landing + (start - landing) exp(-(t / tau)^curve)."""
    landing = settings.landing_hz * tune
    above = 2 ** (settings.start_semitones / 12) - 1
    if above <= SETTLED_RATIO:
        tau_s = settings.sweep_ms / 1000
    else:
        tau_s = settings.sweep_ms / 1000 / math.log(above / SETTLED_RATIO) ** (1 / settings.curve)
    time = np.arange(frames) / (sample_rate * tau_s)
    if settings.curve != 1:
        time **= settings.curve
    top = 0.45 * sample_rate
    return np.minimum(landing * (1 + above * np.exp(-time)), top)


def render(settings: Sweep, *, tune: float, sample_rate: int) -> Samples:
    """Render the body, (frames,); `tune` is a ratio applied to every pitch and corner."""
    envelope = staged(
        attack_ms=settings.attack_ms,
        hold_ms=settings.hold_ms,
        decay_ms=settings.decay_ms,
        release_ms=settings.release_ms,
        sample_rate=sample_rate,
    )
    pitch = sweep_hz(settings, envelope.size, tune=tune, sample_rate=sample_rate)
    tone = drive(
        oscillator(pitch, shape=settings.shape, sample_rate=sample_rate),
        drive_db=settings.drive_db,
        edged=settings.shape > 1,
        sample_rate=sample_rate,
    )
    if settings.low_pass_hz < 20000:
        time_ms = np.arange(envelope.size) * 1000 / sample_rate
        opened = settings.low_pass_open_octaves * np.exp(-1.2 * math.log(10) * time_ms / settings.low_pass_close_ms)
        tone = moving_low_pass(
            tone,
            settings.low_pass_hz * tune * np.exp2(opened),
            slope_db=settings.low_pass_slope_db,
            sample_rate=sample_rate,
        )
    return tone * envelope

"""A snare of tone and noise: a swept sine above the kick's register, and high-passed noise, each with its own envelope."""

from __future__ import annotations

from typing import Literal

import numpy as np
from pydantic import Field

from juglant.core.parameter.parameter import Description, parameter
from juglant.core.signal.drive import drive
from juglant.core.signal.envelope import staged, with_edges
from juglant.core.signal.filters import butterworth, filter_hit
from juglant.core.synth import sweep
from juglant.core.synth.beater import coloured_noise
from juglant.core.synth.sweep import Sweep
from juglant.core.types import Samples

RELEASE_SHARE = 1.5
EDGE_MS, END_MS = 0.2, 3.0
# Noise of rms 0.25 peaks about here.
NOISE_GAIN = 1.1


class Snare(Description):
    """Tone-and-noise snare."""

    engine: Literal["snare"] = "snare"
    landing_hz: float = parameter(
        180, 60, 500, "Hz", "Note of the tone: one or two octaves above the kick.", title="Tone", scale="log", step=0.5
    )
    start_semitones: float = parameter(
        12, 0, 36, "semitones", "How far above it starts.", title="Start pitch", step=1, musical=(0, 24)
    )
    sweep_ms: float = parameter(
        25,
        2,
        200,
        "ms",
        "Time until the tone is within 50 cents of its note.",
        title="Sweep",
        scale="log",
        step=1,
        musical=(6, 80),
    )
    tone_ms: float = parameter(
        90, 5, 1000, "ms", "Time for the tone to fall by 24 dB.", title="Tone decay", scale="log", step=5, musical=(30, 250)
    )
    tone_db: float = parameter(
        -3, -60, 0, "dB", "Level of the tone; -60 is off.", title="Tone level", step=0.5, musical=(-18, 0)
    )
    high_pass_hz: float = parameter(
        900,
        100,
        8000,
        "Hz",
        "Nothing of the noise below, 24 dB per octave.",
        title="Noise from",
        scale="log",
        step=50,
        musical=(400, 3000),
    )
    low_pass_hz: float = parameter(
        11000,
        1000,
        20000,
        "Hz",
        "Nothing of the noise above.",
        title="Noise up to",
        scale="log",
        step=100,
        musical=(6000, 16000),
    )
    colour_db_per_octave: float = parameter(0, -6, 6, "dB/octave", "Tilt of the noise.", title="Colour", step=0.5)
    noise_attack_ms: float = parameter(
        0.5, 0.2, 40, "ms", "Rise of the noise.", title="Noise attack", scale="log", step=0.1, musical=(0.2, 4)
    )
    noise_ms: float = parameter(
        110,
        5,
        1500,
        "ms",
        "Time for the noise to fall by 24 dB.",
        title="Noise decay",
        scale="log",
        step=5,
        musical=(30, 400),
    )
    noise_db: float = parameter(
        -4, -60, 0, "dB", "Level of the noise; -60 is off.", title="Noise level", step=0.5, musical=(-18, 0)
    )
    drive_db: float = parameter(4, 0, 30, "dB", "Gain of both into saturation.", title="Drive", step=0.5, musical=(0, 14))
    seed: int = Field(default=1, ge=0, le=9999, title="Seed", description="Another seed, another noise.")


def render(settings: Snare, *, tune: float, sample_rate: int) -> Samples:
    """Render the snare, (frames,); `tune` moves the tone and both corners of the noise."""
    tone = sweep.render(
        Sweep(
            landing_hz=min(250.0, settings.landing_hz),
            start_semitones=settings.start_semitones,
            sweep_ms=settings.sweep_ms,
            hold_ms=2,
            decay_ms=settings.tone_ms,
            release_ms=max(5.0, RELEASE_SHARE * settings.tone_ms),
        ),
        tune=tune * max(1.0, settings.landing_hz / 250.0),
        sample_rate=sample_rate,
    )
    envelope = staged(
        attack_ms=settings.noise_attack_ms,
        hold_ms=1,
        decay_ms=settings.noise_ms,
        release_ms=RELEASE_SHARE * settings.noise_ms,
        sample_rate=sample_rate,
    )
    noise = coloured_noise(
        envelope.size,
        tilt_db_per_octave=settings.colour_db_per_octave,
        rng=np.random.default_rng(settings.seed),
        sample_rate=sample_rate,
    )
    sections = np.vstack(
        (
            butterworth(4, settings.high_pass_hz * tune, "highpass", sample_rate=sample_rate),
            butterworth(2, settings.low_pass_hz * tune, "lowpass", sample_rate=sample_rate),
        )
    )
    out = np.zeros(max(tone.size, envelope.size))
    if settings.tone_db > -60:
        out[: tone.size] += 10 ** (settings.tone_db / 20) * tone
    if settings.noise_db > -60:
        out[: envelope.size] += 10 ** (settings.noise_db / 20) * NOISE_GAIN * filter_hit(noise, sections) * envelope
    # A sine and noise need no more oversampling than a sine: what folds back of noise is noise.
    driven = drive(out, drive_db=settings.drive_db, edged=False, sample_rate=sample_rate)
    return with_edges(driven, start_ms=EDGE_MS, end_ms=END_MS, sample_rate=sample_rate)

"""The beater of a kick: a coloured noise burst through filters, and a short low blip."""

from __future__ import annotations

from typing import Literal

import numpy as np
from pydantic import Field
from scipy import fft

from juglant.core.parameter.parameter import Description, parameter
from juglant.core.signal.envelope import staged
from juglant.core.signal.filters import butterworth, filter_hit
from juglant.core.types import Samples

NOISE_RMS = 0.25
TILT_PIVOT_HZ = 1000.0
# The knock: the two lowest modes of a clamped plate (1 and 2.08: Fletcher & Rossing, ch. 3), how far its phase wanders, its
# peak at 0 dB (this project's choice).
KNOCK_PARTIALS, KNOCK_GRAIN, KNOCK_PEAK = ((1.0, 1.0), (2.08, 0.5)), 0.05, 0.9


class Beater(Description):
    """Beater engine: what is heard first, and on small speakers."""

    engine: Literal["beater"] = "beater"
    colour_db_per_octave: float = parameter(
        0, -6, 6, "dB/octave", "Tilt of the noise: minus is darker.", title="Colour", step=0.5, musical=(-4, 3)
    )
    high_pass_hz: float = parameter(
        1500,
        20,
        12000,
        "Hz",
        "Nothing of the noise below, 12 dB per octave.",
        title="Noise from",
        scale="log",
        step=50,
        musical=(400, 5000),
    )
    low_pass_hz: float = parameter(
        9000,
        200,
        20000,
        "Hz",
        "Nothing of the noise above.",
        title="Noise up to",
        scale="log",
        step=100,
        musical=(3000, 16000),
    )
    decay_ms: float = parameter(
        8, 1, 400, "ms", "Time the noise takes to fall by 24 dB.", title="Decay", scale="log", step=1, musical=(3, 40)
    )
    blip_hz: float = parameter(180, 40, 1000, "Hz", "Pitch of the low blip.", title="Blip pitch", scale="log", step=5)
    blip_ms: float = parameter(
        10, 2, 100, "ms", "Time the blip takes to fall by 24 dB.", title="Blip decay", scale="log", step=1
    )
    blip_db: float = parameter(
        -12, -60, 0, "dB", "Level of the blip; -60 is off.", title="Blip level", step=0.5, musical=(-36, -6)
    )
    knock_hz: float = parameter(
        1800, 200, 6000, "Hz", "Pitch of the knock: what the beater and the skin have of their own.", title="Knock pitch",
        scale="log", step=20, musical=(800, 3500),
    )  # fmt: skip
    knock_ms: float = parameter(
        9,
        1,
        80,
        "ms",
        "Time the knock takes to fall by 24 dB.",
        title="Knock decay",
        scale="log",
        step=0.5,
        musical=(4, 25),
    )
    knock_db: float = parameter(
        -60, -60, 6, "dB", "Level of the resonant knock; -60 is off.", title="Knock level", step=0.5, musical=(-24, 0)
    )
    seed: int = Field(default=1, ge=0, le=9999, title="Seed", description="Another seed, another noise.")


def coloured_noise(frames: int, *, tilt_db_per_octave: float, rng: np.random.Generator, sample_rate: int) -> Samples:
    """Noise with a straight tilt in dB per octave, (frames,), rms 0.25."""
    if tilt_db_per_octave == 0:
        noise = rng.standard_normal(frames)
    else:
        length = fft.next_fast_len(frames, real=True)
        spectrum = fft.rfft(rng.standard_normal(length))
        frequency = np.maximum(fft.rfftfreq(length, 1 / sample_rate), 20.0)
        spectrum *= (frequency / TILT_PIVOT_HZ) ** (tilt_db_per_octave / 6.0206)
        noise = fft.irfft(spectrum, length)[:frames]
    return np.asarray(noise * (NOISE_RMS / max(float(np.sqrt(np.mean(noise**2))), 1e-12)))


def render(settings: Beater, *, tune: float, sample_rate: int) -> Samples:
    """Render the beater, (frames,); `tune` moves the blip and both corners."""
    rng = np.random.default_rng(settings.seed)
    envelope = staged(
        attack_ms=0.2,
        hold_ms=0.5,
        decay_ms=settings.decay_ms,
        release_ms=2 * settings.decay_ms,
        sample_rate=sample_rate,
    )
    noise = coloured_noise(
        envelope.size, tilt_db_per_octave=settings.colour_db_per_octave, rng=rng, sample_rate=sample_rate
    )
    sections = np.vstack(
        (
            butterworth(2, settings.high_pass_hz * tune, "highpass", sample_rate=sample_rate),
            butterworth(2, settings.low_pass_hz * tune, "lowpass", sample_rate=sample_rate),
        )
    )
    parts = [filter_hit(noise, sections) * envelope]
    if settings.blip_db > -60:
        parts.append(_blip(settings, tune, sample_rate))
    if settings.knock_db > -60:
        parts.append(_knock(settings, tune, sample_rate))
    out = np.zeros(max(part.size for part in parts))
    for part in parts:
        out[: part.size] += part
    return out


def _short(fall_ms: float, sample_rate: int) -> Samples:
    return staged(attack_ms=0.2, hold_ms=0.5, decay_ms=fall_ms, release_ms=2 * fall_ms, sample_rate=sample_rate)


def _blip(settings: Beater, tune: float, sample_rate: int) -> Samples:
    shape = _short(settings.blip_ms, sample_rate)
    blip = np.sin(2 * np.pi * settings.blip_hz * tune / sample_rate * np.arange(shape.size)) * shape
    return np.asarray(10 ** (settings.blip_db / 20) * blip)


def _knock(settings: Beater, tune: float, sample_rate: int) -> Samples:
    """Two partials of a struck plate with a grain of noise, peak at `knock_db`, (frames,)."""
    shape, rng = _short(settings.knock_ms, sample_rate), np.random.default_rng([settings.seed, 2])
    time_s, out = np.arange(shape.size) / sample_rate, np.zeros(shape.size)
    for ratio, level in KNOCK_PARTIALS:
        hz = min(settings.knock_hz * tune * ratio, 0.45 * sample_rate)
        # A grain of noise turns its phase: no two strokes of a beater ring alike, and none like a tone.
        grain = np.cumsum(rng.standard_normal(shape.size)) * (KNOCK_GRAIN * hz / sample_rate) ** 0.5
        out += level * np.sin(2 * np.pi * hz * time_s + grain)
    out *= shape
    return np.asarray(out * (10 ** (settings.knock_db / 20) * KNOCK_PEAK / max(float(np.max(np.abs(out))), 1e-12)))

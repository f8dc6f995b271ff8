"""A clap: two to twelve quick bursts of band-limited noise, then a tail, in a small room."""

from __future__ import annotations

from typing import Literal

import numpy as np
import scipy
from pydantic import Field

from juglant.core.parameter.parameter import Description, parameter
from juglant.core.signal.envelope import frames_of, staged, with_edges
from juglant.core.signal.filters import butterworth, filter_hit
from juglant.core.types import Samples

ATTACK_MS = 0.4
# Of the whole sound.
PEAK = 0.9
END_MS = 5.0
RING_MS = 20.0
# Hands are not all alike: levels of the bursts differ by up to this.
UNEVEN_DB = 4.0


class Clap(Description):
    """Burst clap."""

    engine: Literal["clap"] = "clap"
    bursts: Literal[2, 3, 4, 5, 6, 8, 12] = Field(default=4, title="Bursts", description="Hands before the tail.")
    spacing_ms: float = parameter(
        9, 2, 40, "ms", "From one burst to the next.", title="Spacing", scale="log", step=0.5, musical=(4, 18)
    )
    spread_pct: float = parameter(15, 0, 60, "%", "How uneven the spacing is.", title="Spread", step=1, musical=(0, 40))
    burst_ms: float = parameter(
        7, 1, 60, "ms", "Time for each burst to fall by 24 dB.", title="Burst decay", scale="log", step=0.5, musical=(3, 18)
    )
    tail_ms: float = parameter(
        130,
        10,
        1000,
        "ms",
        "Time for the last to fall by 24 dB.",
        title="Tail decay",
        scale="log",
        step=5,
        musical=(40, 400),
    )
    tail_db: float = parameter(
        -3, -60, 0, "dB", "Level of the tail; -60 is off.", title="Tail level", step=0.5, musical=(-18, 0)
    )
    centre_hz: float = parameter(
        1200, 300, 6000, "Hz", "Middle of the noise band.", title="Centre", scale="log", step=20, musical=(800, 2400)
    )
    width_octaves: float = parameter(
        1.6, 0.3, 5, "octaves", "Width of the noise band.", title="Width", step=0.1, musical=(0.8, 3)
    )
    room_ms: float = parameter(
        250,
        30,
        1200,
        "ms",
        "Time for the room to fall by 60 dB.",
        title="Room rings",
        scale="log",
        step=10,
        musical=(100, 900),
    )
    room_db: float = parameter(
        -24, -60, -6, "dB", "Level of the room; -60 is off.", title="Room level", step=0.5, musical=(-40, -14)
    )
    seed: int = Field(default=1, ge=0, le=9999, title="Seed", description="Another seed, other hands.")


def starts_ms(settings: Clap) -> Samples:
    """When each burst and the tail begin, (bursts + 1,), the first at 0."""
    rng = np.random.default_rng([settings.seed, 1])
    uneven = 1 + settings.spread_pct / 100 * rng.uniform(-1, 1, settings.bursts)
    return np.concatenate(([0.0], np.cumsum(settings.spacing_ms * uneven)))


def render(settings: Clap, *, tune: float, sample_rate: int) -> Samples:
    """Render the clap, (frames,); `tune` moves the band."""
    rng = np.random.default_rng([settings.seed, 2])
    starts = starts_ms(settings)
    shapes = [_envelope(settings.burst_ms, sample_rate) for _ in range(settings.bursts)]
    if settings.tail_db > -60:
        shapes.append(_envelope(settings.tail_ms, sample_rate) * 10 ** (settings.tail_db / 20))
    places = [frames_of(float(start), sample_rate) for start in starts[: len(shapes)]]
    out = np.zeros(max(place + shape.size for place, shape in zip(places, shapes, strict=True)))
    for place, shape in zip(places, shapes, strict=True):
        level = 10 ** (-UNEVEN_DB * rng.random() / 20)
        # Every pair of hands is another noise.
        out[place : place + shape.size] += level * shape * rng.standard_normal(shape.size)
    half = 2 ** (settings.width_octaves / 2)
    centre = settings.centre_hz * tune
    sections = np.vstack(
        (
            butterworth(2, max(20.0, centre / half), "highpass", sample_rate=sample_rate),
            butterworth(2, min(20000.0, centre * half), "lowpass", sample_rate=sample_rate),
        )
    )
    out = filter_hit(np.append(out, np.zeros(frames_of(RING_MS, sample_rate))), sections)
    if settings.room_db > -60:
        out = _in_room(out, settings, rng, sample_rate)
    out = out * (PEAK / max(float(np.max(np.abs(out))), 1e-12))
    return with_edges(out, start_ms=ATTACK_MS, end_ms=END_MS, sample_rate=sample_rate)


def _envelope(decay_ms: float, sample_rate: int) -> Samples:
    return staged(attack_ms=ATTACK_MS, hold_ms=0.5, decay_ms=decay_ms, release_ms=2 * decay_ms, sample_rate=sample_rate)


def _in_room(dry: Samples, settings: Clap, rng: np.random.Generator, sample_rate: int) -> Samples:
    """The clap and its echo from many walls: convolved with noise that falls by 60 dB in the room's time."""
    frames = frames_of(settings.room_ms * 1.5, sample_rate)
    fall = 10 ** (-3 * np.arange(frames) / frames_of(settings.room_ms, sample_rate))
    wet = scipy.signal.fftconvolve(dry, rng.standard_normal(frames) * fall)
    wet *= 10 ** (settings.room_db / 20) * np.max(np.abs(dry)) / max(float(np.max(np.abs(wet))), 1e-12)
    wet[: dry.size] += dry
    return np.asarray(wet)

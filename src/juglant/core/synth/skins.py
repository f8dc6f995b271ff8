"""Two drum skins, one driving the other, with wires that rattle on the second.

Modal synthesis: every mode of an ideal circular membrane is a damped rotation (an exact complex one-pole), struck by a
pulse. Frequencies follow the zeros of the Bessel functions, weights their value at the place struck (Fletcher & Rossing,
The Physics of Musical Instruments, ch. 3; Abramowitz & Stegun table 9.5). The first skin's sound drives the second's modes,
later by the air between them. A skin is heard by how fast it moves: 6 dB an octave re how far (method: two skins).
"""

from __future__ import annotations

from functools import lru_cache
from typing import Literal

import numba
import numpy as np
from pydantic import Field
from scipy import special

from juglant.core.parameter.parameter import Description, parameter
from juglant.core.signal.drive import drive
from juglant.core.signal.envelope import frames_of, staged, with_edges
from juglant.core.signal.filters import butterworth, filter_hit
from juglant.core.signal.limiter import limited
from juglant.core.types import Samples

CIRCLES, DIAMETERS, MODES = 4, 8, 18
HIGHEST_SHARE = 0.4
# Contact with a soft and with a hard stick, ms (this project's choice); a full stroke halves it.
SOFT_MS, HARD_MS = 7.0, 0.5
QUIETEST_DB = -30.0
# A stroke at full strength rings this much longer than the gentlest.
LONGER = 1.8
PEAK = 0.9
SMOOTH_MS = 6.0
# The stick's own noise: time to fall by 24 dB from soft to hard, ms, octaves wide, and how many a hard one lies above a
# soft one (this project's choice, from recorded sticks: most of it within 10 ms, between 2 and 6 kHz).
STICK_MS, STICK_OCTAVES, HARDER_OCTAVES = (14.0, 5.0), 1.8, 1.0
SOUND_CM_MS = 34.3
END_MS = 8.0
SILENT_DB = 100.0
# No mode fades faster than this many times the lowest.
FASTEST_DAMPING = 40.0
# Frames between two looks at a falling pitch, and the ratio above the landing at which it has fallen.
RENEWED, FALLEN = 4, 1e-7


class Skins(Description):
    """Membrane pair: two skins and wires, for toms, congas and acoustic snares."""

    engine: Literal["skins"] = "skins"
    landing_hz: float = parameter(
        110, 30, 400, "Hz", "Lowest mode of the skin that is struck.", title="First skin", scale="log", step=0.5
    )
    apart_semitones: float = parameter(
        5, 0, 12, "semitones", "How far above it the second skin is tuned.", title="Second skin", step=0.5, musical=(0, 12)
    )
    ring_ms: float = parameter(
        450,
        40,
        3000,
        "ms",
        "Time for the first skin to fall by 60 dB.",
        title="First rings",
        scale="log",
        step=5,
        musical=(120, 2200),
    )
    second_ring_ms: float = parameter(
        350,
        40,
        3000,
        "ms",
        "Time for the second skin to fall by 60 dB.",
        title="Second rings",
        scale="log",
        step=5,
        musical=(100, 1600),
    )
    damping: float = parameter(
        1,
        0,
        3,
        "",
        "How much faster higher modes fade, as a power of their ratio.",
        title="Damping",
        step=0.05,
        musical=(0.4, 1.8),
    )
    heard_by: Literal["movement", "velocity"] = Field(
        default="movement",
        title="Heard by",
        description="How far the skins move, or how fast, as they are heard: 6 dB an octave brighter, without a thump.",
    )
    shell_cm: float = parameter(
        0, 0, 80, "cm", "From skin to skin: the second, and its wires, answer later by the air between.", title="Shell",
        step=1, musical=(8, 45),
    )  # fmt: skip
    stick_db: float = parameter(
        -60, -60, 0, "dB", "Level of the stick's own noise; -60 is off.", title="Stick", step=0.5, musical=(-36, -8)
    )
    stick_hz: float = parameter(
        3500, 500, 10000, "Hz", "Middle of that noise; a harder stick moves it up.", title="Stick at", scale="log", step=50,
        musical=(2000, 6000),
    )  # fmt: skip
    second_db: float = parameter(
        -6, -60, 0, "dB", "Level of the second skin; -60 is off.", title="Second level", step=0.5, musical=(-24, 0)
    )
    place: float = parameter(
        0.3,
        0,
        0.95,
        "",
        "Where it is struck: 0 the centre, 1 the rim.",
        title="Place",
        step=0.01,
        musical=(0, 0.7),
        words={0: "centre", 0.95: "rim"},
    )
    stiffness: float = parameter(
        0.5,
        0,
        1,
        "",
        "0 a soft mallet, 1 a hard stick.",
        title="Stiffness",
        step=0.02,
        musical=(0.1, 0.95),
        words={0: "soft mallet", 1: "hard stick"},
    )
    strength: float = parameter(
        0.8,
        0,
        1,
        "",
        "Harder is stiffer and rings longer, not just louder.",
        title="Strength",
        step=0.02,
        musical=(0.5, 1),
        words={0: "soft", 1: "hard"},
    )
    drop_semitones: float = parameter(
        3, 0, 24, "semitones", "How far the first skin falls in pitch.", title="Pitch drop", step=0.5, musical=(0, 8)
    )
    drop_ms: float = parameter(
        40, 2, 300, "ms", "Time in which it falls to within a tenth.", title="Drops in", scale="log", step=1
    )
    wires_db: float = parameter(-60, -60, 0, "dB", "Level of the rattle; -60 is off.", title="Wires", step=0.5)
    wires_hz: float = parameter(
        1800, 300, 9000, "Hz", "Nothing of the rattle below.", title="Wires from", scale="log", step=50
    )
    wires_ms: float = parameter(
        140,
        10,
        800,
        "ms",
        "Time for the rattle to fall by 24 dB.",
        title="Wires ring",
        scale="log",
        step=5,
        musical=(60, 300),
    )
    drive_db: float = parameter(0, 0, 30, "dB", "Gain into saturation.", title="Drive", step=0.5, musical=(0, 10))
    limit_db: float = parameter(
        0, 0, 18, "dB", "Gain into a limiter that holds the peak.", title="Limiter", step=0.5, musical=(0, 8)
    )
    seed: int = Field(default=1, ge=0, le=9999, title="Seed", description="Another seed, another rattle.")


@lru_cache(maxsize=1)
def modes() -> tuple[Samples, Samples, Samples]:
    """The lowest modes of an ideal circular membrane: ratio to the lowest, diameters m, and zero j_mn; each (MODES,)."""
    found = [(zero, m) for m in range(DIAMETERS) for zero in special.jn_zeros(m, CIRCLES)]
    zeros, diameters = (np.array(column) for column in zip(*sorted(found)[:MODES], strict=True))
    return zeros / zeros[0], diameters.astype(float), zeros


def mode_weights(place: float) -> Samples:
    """How much a stroke at a place (0 centre .. 1 rim) moves each mode, (MODES,): J_m(j_mn r) over the mode's own norm."""
    _, diameters, zeros = modes()
    weights: Samples = special.jv(diameters, zeros * place) / np.abs(special.jv(diameters + 1, zeros))
    return weights


@numba.njit(cache=True, nogil=True)
def _ring(strike, hz, bend, ratios, weights, decays, rate, out):  # type: ignore[no-untyped-def]
    """Add damped rotations to `out`: mode k at hz * bend[n] * ratios[k], falling by decays[k] nepers a second."""
    for k in range(ratios.size):
        if weights[k] == 0.0:
            continue
        shrink = np.exp(-decays[k] / rate)
        z = 0j
        turn = 0j
        for n in range(out.size):
            # Once the pitch has fallen the turn stays; until then it is made anew every few frames.
            if n % RENEWED == 0 and (n == 0 or bend[n - RENEWED] - 1 > FALLEN):
                angle = 2 * np.pi * hz * bend[n] * ratios[k] / rate
                turn = shrink * complex(np.cos(angle), np.sin(angle))
            z = z * turn + (strike[n] if n < strike.size else 0.0)
            out[n] += weights[k] * z.imag


@numba.njit(cache=True, nogil=True)
def _ring_steadily(strike, hz, ratios, weights, decays, rate, out):  # type: ignore[no-untyped-def]
    for k in range(ratios.size):
        if weights[k] == 0.0:
            continue
        shrink, angle = np.exp(-decays[k] / rate), 2 * np.pi * hz * ratios[k] / rate
        turn = shrink * complex(np.cos(angle), np.sin(angle))
        z = 0j
        for n in range(out.size):
            z = z * turn + strike[n]
            out[n] += weights[k] * z.imag


def _stroke(settings: Skins, sample_rate: int) -> Samples:
    """The push of the stick, (frames,): a raised cosine as long as the contact lasts."""
    contact_ms = SOFT_MS * (HARD_MS / SOFT_MS) ** settings.stiffness / (1 + settings.strength)
    frames = max(3, frames_of(contact_ms, sample_rate))
    return 0.5 - 0.5 * np.cos(2 * np.pi * np.arange(frames) / frames)


def render(settings: Skins, *, tune: float, sample_rate: int, strike: Samples | None = None) -> Samples:
    """Render the skins, (frames,); `tune` moves both skins.

    strike: any sound, (frames,), in place of the stick; the skins then answer it.
    """
    ratios, _, _ = modes()
    first_hz = settings.landing_hz * tune
    second_hz = first_hz * 2 ** (settings.apart_semitones / 12)
    longer = LONGER**settings.strength / LONGER**0.5
    # A strong stroke lengthens no ring beyond a second, and shortens every one where it is gentle.
    rings_s = [min(max(1.0, ms / 1000), ms / 1000 * longer) for ms in (settings.ring_ms, settings.second_ring_ms)]
    push = _stroke(settings, sample_rate) if strike is None else strike
    span_s = max(*rings_s, settings.wires_ms / 1000 * 3 if settings.wires_db > -60 else 0.0) * SILENT_DB / 60
    out = np.zeros(push.size + round(span_s * sample_rate))
    time_s = np.arange(out.size) / sample_rate
    fall = np.exp(-np.log(10) * time_s / (settings.drop_ms / 1000))
    bend = np.exp(np.log(2) / 12 * settings.drop_semitones * fall)
    # Nepers a second; 60 dB are ln 1000.
    speed = np.minimum(ratios**settings.damping, FASTEST_DAMPING)
    weights = mode_weights(settings.place)
    low = _below(ratios * first_hz * float(bend[0]), sample_rate)
    _ring(push, first_hz, bend, ratios, weights * low, np.log(1000) / rings_s[0] * speed, float(sample_rate), out)
    out /= max(float(np.max(np.abs(out))), 1e-12)
    second = np.zeros_like(out)
    # The air between them moves the second skin as a whole: modes without diameters answer it.
    moved = np.where(modes()[1] == 0, 1.0, 0.0) * _below(ratios * second_hz, sample_rate)
    pushed = _later(out, frames_of(settings.shell_cm / SOUND_CM_MS, sample_rate))
    _ring_steadily(pushed, second_hz, ratios, moved, np.log(1000) / rings_s[1] * speed, float(sample_rate), second)
    second /= max(float(np.max(np.abs(second))), 1e-12)
    total = _heard(settings, out)
    if settings.second_db > -60:
        total = total + 10 ** (settings.second_db / 20) * _heard(settings, second)
    if settings.wires_db > -60:
        total = total + 10 ** (settings.wires_db / 20) * _wires(settings, second, tune=tune, sample_rate=sample_rate)
    if settings.stick_db > -60 and strike is None:
        noise = _stick(settings, sample_rate)[: total.size]
        total[: noise.size] += 10 ** (settings.stick_db / 20) * noise
    return _finished(settings, total, sample_rate)


def _later(sound: Samples, frames: int) -> Samples:
    """A sound that many frames later, as long as it was."""
    return np.concatenate((np.zeros(frames), sound[: sound.size - frames])) if 0 < frames < sound.size else sound


def _heard(settings: Skins, movement: Samples) -> Samples:
    """What is heard of a skin's movement, (frames,), peak 1."""
    if settings.heard_by == "movement":
        return movement
    velocity = np.diff(movement, prepend=0.0)
    return np.asarray(velocity / max(float(np.max(np.abs(velocity))), 1e-12))


def _stick(settings: Skins, sample_rate: int) -> Samples:
    """The noise of the stick itself, (frames,), peak 1: shorter and higher the harder it is."""
    hardness = settings.stiffness * (0.5 + 0.5 * settings.strength)
    soft_ms, hard_ms = STICK_MS
    fall_ms = soft_ms * (hard_ms / soft_ms) ** hardness
    shape = staged(attack_ms=0.2, hold_ms=0.3, decay_ms=fall_ms, release_ms=2 * fall_ms, sample_rate=sample_rate)
    centre = settings.stick_hz * 2 ** (HARDER_OCTAVES * (hardness - 0.5))
    low, high = (centre * 2 ** (side * STICK_OCTAVES / 2) for side in (-1, 1))
    sections = np.vstack(
        (
            butterworth(2, low, "highpass", sample_rate=sample_rate),
            butterworth(2, min(high, 0.45 * sample_rate), "lowpass", sample_rate=sample_rate),
        )
    )
    noise = np.random.default_rng([settings.seed, 3]).standard_normal(shape.size)
    burst = filter_hit(noise, sections) * shape
    return np.asarray(burst / max(float(np.max(np.abs(burst))), 1e-12))


def _below(hz: Samples, sample_rate: int) -> Samples:
    return np.where(hz < HIGHEST_SHARE * sample_rate, 1.0, 0.0)


def _wires(settings: Skins, second: Samples, *, tune: float, sample_rate: int) -> Samples:
    """Noise that rattles as hard as the second skin moves, (frames,), peak 1."""
    noise = np.random.default_rng(settings.seed).standard_normal(second.size)
    sections = butterworth(2, settings.wires_hz * tune, "highpass", sample_rate=sample_rate)
    moving = filter_hit(np.abs(second), butterworth(2, 1000 / (2 * np.pi * SMOOTH_MS), "lowpass", sample_rate=sample_rate))
    fading = 10 ** (-24 / 20 * np.arange(second.size) / sample_rate / (settings.wires_ms / 1000))
    fading = _later(fading, frames_of(settings.shell_cm / SOUND_CM_MS, sample_rate))
    rattle = filter_hit(noise, sections) * (np.maximum(moving, 0) + 0.3 * fading) * fading
    return rattle / max(float(np.max(np.abs(rattle))), 1e-12)


def _finished(settings: Skins, total: Samples, sample_rate: int) -> Samples:
    """Level of the stroke, drive and limiter, edges."""
    total = total * (PEAK / max(float(np.max(np.abs(total))), 1e-12))
    total = total * 10 ** (QUIETEST_DB * (1 - settings.strength) / 20)
    total = drive(total, drive_db=settings.drive_db, edged=settings.wires_db > -60, sample_rate=sample_rate)
    if settings.limit_db > 0:
        total = limited(total * 10 ** (settings.limit_db / 20), ceiling=PEAK, sample_rate=sample_rate)
    return with_edges(total, start_ms=0.2, end_ms=END_MS, sample_rate=sample_rate)

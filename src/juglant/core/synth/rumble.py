"""A rumble: a kick repeated in a room, saturated, and kept between a floor and a ceiling, made to the tempo.

Common practice (brief): repeats on the sixteenths after the kick, a reverb, saturation, a low-pass, a floor filter at 25
to 30 Hz, and a quieter copy an octave up that small systems can play.
"""

from __future__ import annotations

from typing import Literal

import numpy as np
import soxr
from pydantic import Field
from scipy import fft

from juglant.core.memory import newest
from juglant.core.parameter.parameter import Description, parameter
from juglant.core.signal.drive import drive
from juglant.core.signal.envelope import frames_of, with_edges
from juglant.core.signal.filters import butterworth, filter_hit
from juglant.core.types import Samples, Spectrum

BEATS: dict[str, float] = {"1/8": 0.5, "1/16": 0.25, "1/16 triplet": 1 / 6, "1/32": 0.125}
OFF_DB = -60.0
PEAK, START_MS, END_MS = 0.9, 2.0, 15.0
# A repeat ends softly, so that the room is fed no click.
TAKE_END_MS = 12.0
ROOM_LENGTH, SLOWER = 1.3, 4
# The upper part lives from the low-pass up to this many times its corner.
UPPER_SPAN = 5.0
# What is brought to one level, Hz, the width over which its level is read and its ends fade, octaves, and by how much at
# most, dB (this project's choice).
EVEN_HZ, EVEN_OCTAVES, EVEN_MOST_DB, EVEN_POINTS = (30.0, 90.0), 1 / 3, 30.0, 96
EVEN_ROUNDS, EVEN_FADE_MS = 2, 12.0
# Below this both sides are one (common practice: mono low end).
MONO_BELOW_HZ = 120.0


class Rumble(Description):
    """Rumble of a kick."""

    engine: Literal["rumble"] = "rumble"
    division: Literal["1/8", "1/16", "1/16 triplet", "1/32"] = Field(
        default="1/16", title="Repeats", description="From one repeat of the kick to the next."
    )
    length_beats: float = parameter(1, 0.5, 4, "beats", "From this kick to the next.", title="Length", step=0.25)
    take_ms: float = parameter(
        130, 20, 600, "ms", "How much of the kick each repeat plays.", title="Takes", scale="log", step=5, musical=(60, 250)
    )
    fade_db: float = parameter(
        1, 0, 12, "dB", "Each repeat quieter than the one before.", title="Fade", step=0.5, musical=(0, 4)
    )
    ring_ms: float = parameter(
        600, 60, 3000, "ms", "Time for the room to fall by 60 dB.", title="Room rings", scale="log", step=10,
        musical=(250, 1500),
    )  # fmt: skip
    room_pct: float = parameter(65, 0, 100, "%", "Room against repeats.", title="Room", step=1, musical=(30, 100))
    drive_db: float = parameter(9, 0, 30, "dB", "Gain into saturation.", title="Drive", step=0.5, musical=(3, 18))
    low_pass_hz: float = parameter(
        130, 60, 600, "Hz", "Little of it above.", title="Low-pass", scale="log", step=5, musical=(90, 240)
    )
    floor_hz: float = parameter(
        28, 20, 45, "Hz", "Nothing of it below.", title="Floor", scale="log", step=1, musical=(25, 32)
    )
    upper_db: float = parameter(
        -22, OFF_DB, 0, "dB", "Level of the transposed upper part; -60 is off.", title="Upper part", step=0.5,
        musical=(-30, -12),
    )  # fmt: skip
    upper_semitones: float = parameter(
        12, 0, 36, "semitones", "How far up its kick is transposed.", title="Transposed by", step=1, musical=(12, 24)
    )
    width_pct: float = parameter(
        0, 0, 100, "%", "How unlike the sides are above 120 Hz.", title="Width", step=1, musical=(0, 50)
    )
    gap_ms: float = parameter(
        30, 0, 300, "ms", "Silent this long before the next kick.", title="Gap", step=1, musical=(10, 80)
    )
    even_pct: float = parameter(
        0, 0, 100, "%", "How far 30 to 90 Hz are brought to one level.", title="Evenness", step=5, musical=(40, 100)
    )
    seed: int = Field(default=1, ge=0, le=9999, title="Seed", description="Another seed, another room.")


def _repeats(take: Samples, settings: Rumble, total: int, step: float) -> Samples:
    """The take at every step but the first, which is the kick's own, (total,)."""
    out, gain = np.zeros(total), 1.0
    for turn in range(1, max(2, int(np.ceil(total / step)))):
        start = round(turn * step)
        if start >= total:
            break
        part = take[: total - start]
        out[start : start + part.size] += gain * part
        gain *= 10 ** (-settings.fade_db / 20)
    return out


@newest(24)
def _room(seed: int, side: int, ring_ms: float, most: int, size: int, sample_rate: int) -> Spectrum:
    """Spectrum of a room: noise that falls by 60 dB in its time, no longer than it is heard (pure, remembered, bounded)."""
    frames = min(most, frames_of(ring_ms * ROOM_LENGTH, sample_rate))
    fall = 10 ** (-3 * np.arange(frames) / frames_of(ring_ms, sample_rate))
    room = np.random.default_rng([seed, side]).standard_normal(frames) * fall
    return np.asarray(fft.rfft(room, size))


def _in_room(dry: Samples, settings: Rumble, side: int, sample_rate: int) -> Samples:
    """What a room makes of it, as loud as it is at its peak, (frames,)."""
    size = fft.next_fast_len(2 * dry.size, real=True)
    room = _room(settings.seed, side, settings.ring_ms, dry.size, size, sample_rate)
    wet = fft.irfft(fft.rfft(dry, size) * room, size)[: dry.size]
    return np.asarray(wet * np.max(np.abs(dry), initial=0.0) / max(float(np.max(np.abs(wet), initial=0.0)), 1e-12))


def _mixed(dry: Samples, settings: Rumble, side: int, sample_rate: int) -> Samples:
    share = settings.room_pct / 100
    return (1 - share) * dry + share * _in_room(dry, settings, side, sample_rate) if share else dry


def _take(kick: Samples, settings: Rumble, ratio: float, sample_rate: int) -> Samples:
    """The start of the kick, played `ratio` times as fast."""
    take = kick[: frames_of(settings.take_ms, sample_rate)]
    take = with_edges(take, start_ms=0, end_ms=TAKE_END_MS, sample_rate=sample_rate)
    return take if ratio == 1 else np.asarray(soxr.resample(take, sample_rate * ratio, sample_rate, quality="HQ"))


def _driven(audio: Samples, settings: Rumble, sample_rate: int) -> Samples:
    peak = float(np.max(np.abs(audio), initial=0.0))
    if peak == 0:
        return audio
    return drive(audio * (PEAK / peak), drive_db=settings.drive_db, edged=True, sample_rate=sample_rate)


def _upper(kick: Samples, settings: Rumble, tune: float, total: int, step: float, sample_rate: int) -> Samples:
    """The transposed part, above the low-pass, (total,)."""
    take = _take(kick, settings, tune * 2 ** (settings.upper_semitones / 12), sample_rate)
    mixed = _mixed(_repeats(take, settings, total, step), settings, 2, sample_rate)
    low, high = settings.low_pass_hz, min(0.45 * sample_rate, UPPER_SPAN * settings.low_pass_hz)
    sections = np.vstack(
        [butterworth(2, hz, kind, sample_rate=sample_rate) for hz, kind in ((low, "highpass"), (high, "lowpass"))]
    )
    part = filter_hit(mixed, sections)
    return part * (10 ** (settings.upper_db / 20) * PEAK / max(float(np.max(np.abs(part), initial=0.0)), 1e-12))


def render(settings: Rumble, *, tune: float, sample_rate: int, kick: Samples | None, bpm: float) -> Samples:
    """Render the rumble of a kick (frames,) at a tempo: (frames,), or (2, frames) where it has width.

    It begins with the kick and ends before the next; `tune` is a ratio applied to its pitch. Silence without a kick.
    """
    if kick is None or not np.any(kick):
        return np.zeros(1)
    beat = 60 * sample_rate / bpm
    ends = max(1, round(settings.length_beats * beat) - frames_of(settings.gap_ms, sample_rate))
    # Nothing of it lies above 3 kHz: a quarter of the rate is enough for all of it.
    kick = np.asarray(soxr.resample(kick, sample_rate, sample_rate / SLOWER, quality="HQ"))
    rows = _rows(settings, kick, tune, -(-ends // SLOWER), BEATS[settings.division] * beat / SLOWER, sample_rate // SLOWER)
    made = []
    for row in rows:
        wide = np.zeros(ends)
        audio = soxr.resample(row, sample_rate / SLOWER, sample_rate, quality="HQ")[:ends]
        wide[: audio.size] = audio
        made.append(with_edges(wide, start_ms=START_MS, end_ms=END_MS, sample_rate=sample_rate))
    return made[0] if len(made) == 1 else np.stack(made)


def evened(audio: Samples, share: float, *, sample_rate: int) -> Samples:
    """Audio, (frames,), with 30 to 90 Hz brought to one level by a share of the way, without a turn of phase.

    The level is that of bands a third of an octave wide; nothing is moved by more than 30 dB.
    """
    size = fft.next_fast_len(2 * audio.size, real=True)
    spectrum = fft.rfft(audio, size)
    frequency = fft.rfftfreq(size, 1 / sample_rate)
    total = np.concatenate(([0.0], np.cumsum(np.abs(spectrum) ** 2)))
    points = np.geomspace(*EVEN_HZ, EVEN_POINTS)
    half = 2 ** (EVEN_OCTAVES / 2)
    low, high = (np.searchsorted(frequency, points * side) for side in (1 / half, half))
    # By bands of a third of an octave, which is what is heard as even.
    level_db = 10 * np.log10(total[np.maximum(high, low + 1)] - total[low] + 1e-30)
    if level_db.max() < -200:
        return audio
    wanted = np.clip(level_db.mean() - level_db, -EVEN_MOST_DB, EVEN_MOST_DB) * share
    octaves = np.log2(np.maximum(frequency, 1.0))
    gain_db = np.interp(octaves, np.log2(points), wanted)
    # From both ends back to what it was.
    edges = np.log2(EVEN_HZ)
    outside = np.maximum(edges[0] - octaves, octaves - edges[1]).clip(0, EVEN_OCTAVES) / EVEN_OCTAVES
    gain_db *= 0.5 + 0.5 * np.cos(np.pi * outside)
    return np.asarray(fft.irfft(spectrum * 10 ** (gain_db / 20), size)[: audio.size])


def _rows(settings: Rumble, kick: Samples, tune: float, frames: int, step: float, sample_rate: int) -> list[Samples]:
    """One row, or two where the rumble has width, (frames,) each, at most PEAK."""
    dry = _repeats(_take(kick, settings, tune, sample_rate), settings, frames, step)
    sections = np.vstack(
        (
            butterworth(4, settings.low_pass_hz, "lowpass", sample_rate=sample_rate),
            butterworth(4, settings.floor_hz, "highpass", sample_rate=sample_rate),
        )
    )
    out = filter_hit(_driven(_mixed(dry, settings, 0, sample_rate), settings, sample_rate), sections)
    for _ in range(EVEN_ROUNDS if settings.even_pct > 0 else 0):
        # Filters without a turn of phase ring ahead: nothing of it sounds before its first repeat.
        out = evened(out, settings.even_pct / 100, sample_rate=sample_rate)
        out[: round(step)] = 0.0
        out[round(step) :] = with_edges(out[round(step) :], start_ms=EVEN_FADE_MS, end_ms=END_MS, sample_rate=sample_rate)
    out *= PEAK / max(float(np.max(np.abs(out), initial=0.0)), 1e-12)
    if settings.upper_db > OFF_DB:
        out = out + _upper(kick, settings, tune, frames, step, sample_rate)
    rows = [out]
    if settings.width_pct > 0:
        above = butterworth(4, MONO_BELOW_HZ, "highpass", sample_rate=sample_rate)
        side = filter_hit(_in_room(out, settings, 1, sample_rate), above) * (settings.width_pct / 100)
        rows = [out + side, out - side]
    peak = max(float(np.max(np.abs(row), initial=0.0)) for row in rows)
    return [row * (PEAK / max(peak, 1e-12)) for row in rows]

"""Tones a bass is made from: partials, a filtered saw or pulse, or a modulated sine that is plucked."""

from __future__ import annotations

import math
from functools import lru_cache

import numba
import numpy as np

from juglant.core.signal.envelope import frames_of
from juglant.core.signal.filters import moving_low_pass
from juglant.core.signal.shift import LEAST_RATIO, MOST_RATIO, resampled
from juglant.core.synth.takes import find_take
from juglant.core.types import Samples

# Nothing is generated above this share of the sample rate, so that nothing folds back.
TOP_SHARE = 0.45
# With 2**16 places and no partial above the 640th, straight lines between places err by less than -100 dB.
TABLE = 1 << 16
MOST_PARTIALS = 640
PARTIALS = 12
FALL_DB = 24.0
# More than the resampler looks ahead, at the highest speed.
RESAMPLER_FRAMES = 4096


@numba.njit(cache=True, nogil=True)
def _partials(step: float, weights: Samples, out: Samples) -> None:
    # sin((k + 1) x) = 2 cos x sin kx - sin((k - 1) x): one sine and one cosine make all of them.
    for i in range(out.size):
        turn = 2 * math.pi * ((step * i) % 1.0)
        twice, last, now = 2 * math.cos(turn), 0.0, math.sin(turn)
        value = 0.0
        for k in range(weights.size):
            value += weights[k] * now
            last, now = now, twice * now - last
        out[i] = value


def partials(frequency_hz: float, ratio: float, *, frames: int, sample_rate: int) -> Samples:
    """A sine and its harmonics, each `ratio` times the one before it, brought to a peak of 1, (frames,)."""
    count = max(1, min(PARTIALS, int(TOP_SHARE * sample_rate / frequency_hz)))
    weights: Samples = np.asarray(ratio ** np.arange(count), dtype=np.float64)
    weights = weights[weights > 1e-6]
    tone = np.empty(frames)
    _partials(frequency_hz / sample_rate, weights, tone)
    cycle = 2 * np.pi * np.arange(512) / 512
    peak = np.max(np.abs(sum(weight * np.sin((k + 1) * cycle) for k, weight in enumerate(weights))))
    return np.asarray(tone / peak)


@lru_cache(maxsize=64)
def _cycle(shape: str, width: float, count: int) -> Samples:
    """One cycle of a band-limited wave with `count` partials, (TABLE + 1,): Fourier series of a saw or a pulse."""
    k = np.arange(1, count + 1)
    spectrum = np.zeros(TABLE // 2 + 1, complex)
    # A pulse is the difference of two saws, `width` of a cycle apart.
    series = -1j / k if shape == "saw" else (-1j / k) * (1 - np.exp(-2j * np.pi * k * width))
    spectrum[1 : count + 1] = series * TABLE / np.pi
    cycle = np.fft.irfft(spectrum, TABLE)
    cycle /= np.max(np.abs(cycle))
    return np.append(cycle, cycle[0])


@numba.njit(cache=True, nogil=True)
def _read(cycle: Samples, step: float, out: Samples) -> None:
    """Read a cycle at `step` cycles a frame from its start, on straight lines between its places."""
    for i in range(out.size):
        place = (i * step) % 1.0 * (cycle.size - 1)
        k = int(place)
        out[i] = cycle[k] + (place - k) * (cycle[k + 1] - cycle[k])


def edged(
    shape: str, frequency_hz: float, *, width: float, detune_cents: float, frames: int, sample_rate: int
) -> tuple[Samples, Samples]:
    """Two saws or pulses, tuned apart: their mean and half their difference, each (frames,), no partial above 0.45 fs."""
    voices: list[Samples] = []
    for cents in (-detune_cents / 2, detune_cents / 2):
        hz = frequency_hz * 2 ** (cents / 1200)
        count = max(1, min(MOST_PARTIALS, int(TOP_SHARE * sample_rate / hz)))
        voice = np.empty(frames)
        _read(_cycle(shape, width, count), hz / sample_rate, voice)
        voices.append(voice)
        if detune_cents == 0:
            return voices[0], np.zeros(frames)
    return (voices[0] + voices[1]) / 2, (voices[0] - voices[1]) / 2


def swept_filter(
    tone: Samples, frequency_hz: float, *, octaves: float, sweep_octaves: float, decay_ms: float, sample_rate: int
) -> Samples:
    """A 24 dB low-pass `octaves` above the note that opens further at the start and falls back by 24 dB in its time."""
    time_ms = np.arange(tone.size) * (1000 / sample_rate)
    sweep = sweep_octaves * np.exp(-math.log(10) * FALL_DB / 20 / decay_ms * time_ms)
    corner = np.minimum(frequency_hz * np.exp2(octaves + sweep), TOP_SHARE * sample_rate)
    return moving_low_pass(tone, corner, slope_db=24, sample_rate=sample_rate)


def plucked(frequency_hz: float, *, ratio: float, index: float, decay_ms: float, frames: int, sample_rate: int) -> Samples:
    """A sine that another modulates less and less, (frames,).

    Chowning 1973. The index stays where Carson's rule keeps the sidebands below 0.45 fs.
    """
    time = np.arange(frames) / sample_rate
    room = TOP_SHARE * sample_rate / frequency_hz - 1
    kept = max(0.0, min(index, room / ratio - 2))
    depth = kept * np.exp(-math.log(10) * FALL_DB / 20 * 1000 / decay_ms * time)
    turn = 2 * np.pi * frequency_hz * time
    return np.asarray(np.sin(turn + depth * np.sin(ratio * turn)))


def recorded(take: str | None, ratio: float, *, begin_ms: float, frames: int, sample_rate: int) -> Samples:
    """A recorded note from a place on, `ratio` times as fast, in one channel, (frames,): silence after its end, or without
    it.
    """
    out = np.zeros(frames)
    found = find_take(take) if take else None
    if found is None:
        return out
    speed = min(MOST_RATIO, max(LEAST_RATIO, ratio))
    needed = math.ceil((frames + 1) * speed * found.sample_rate / sample_rate) + RESAMPLER_FRAMES
    begin = frames_of(begin_ms, found.sample_rate)
    part = found.audio[:, begin : begin + needed]
    if not part.size:
        return out
    audio = resampled(part.mean(axis=0, keepdims=True), found.sample_rate * speed, sample_rate)[0]
    count = min(frames, audio.size)
    out[:count] = audio[:count]
    return out

"""What a recording carries besides its sounds: mains hum, hiss, an offset; read where it rests, and taken out where asked.

Hum is a series of steady tones on one frequency near 50 or 60 Hz, fitted by least squares to what sounds between impacts;
hiss is what is left there. Both are kept unless somebody asks: they may be the groove.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
from scipy import fft, ndimage
from scipy import signal as filters

from juglant.core.measure.rooms import Rings, rings_in
from juglant.core.types import Samples

FRAME_S, SLOW_HZ = 0.02, 2000
# A recording rests in frames within 3 dB of the quietest tenth, where these lie so far under its loudest.
QUIETEST, NEAR_DB, RESTS_DB = 10, 3.0, 20.0
MAINS_HZ, AROUND_HZ, PARTIALS, SEARCHED, STEPS = (50.0, 60.0), 0.4, 10, 2, 33
# A partial is one where its power is so many times what noise would give it.
SURE, LEAST_OF_REST = 16.0, 0.5
LEAST_S, SILENT_DB, LEAST_OFFSET = 0.25, -110.0, 1e-4
WINDOW, OVERLAP = 2048, 4
# Of noise a bin with its neighbours is hardly ever over this many times its mean.
OVER_MEAN, SMOOTH_S, MOST_DOWN_DB = 6.0, 0.05, 24.0


@dataclass(frozen=True)
class Carried:
    """What a recording carries. floor_db, hum_db, hiss_db: rms, dBFS, None where there is none or it never rests; hum_hz:
    the mains' frequency; partials: how many of it are heard; offset: the mean sample; rests_s: in how much of it that was
    read; rings: the room around it and tails under its impacts."""

    floor_db: float | None
    hum_db: float | None
    hum_hz: float | None
    partials: int
    hiss_db: float | None
    offset: float
    rests_s: float
    rings: Rings
    # By so much hiss may be taken down.
    most_down_db: float = MOST_DOWN_DB


@dataclass(frozen=True)
class _Hum:
    hz: float
    # Amplitudes of cosines and sines, by partial: (partials, 2).
    parts: Samples
    heard: npt.NDArray[np.bool_]

    def sound(self, frames: int, rate: int) -> Samples:
        """All that is heard of it, (frames,)."""
        time, out = np.arange(frames) / rate, np.zeros(frames)
        for number in np.flatnonzero(self.heard):
            turn = 2 * np.pi * self.hz * (number + 1) * time
            out += self.parts[number, 0] * np.cos(turn) + self.parts[number, 1] * np.sin(turn)
        return out


def resting(sound: Samples, rate: int) -> npt.NDArray[np.bool_] | None:
    """Which samples of one channel, (frames,), are of what it carries alone; None where it never rests."""
    frame = max(1, round(FRAME_S * rate))
    count = sound.size // frame
    if count < 4:
        return None
    # Whatever the offset is.
    power = np.var(sound[: count * frame].reshape(count, frame), axis=1)
    quiet = float(np.percentile(power, QUIETEST))
    if quiet <= 0:
        # Digital silence: what is quiet beside it, if anything is.
        quiet = float(np.percentile(power[power > 0], QUIETEST)) if np.any(power > 0) else 0.0
    if quiet <= 0 or quiet > power.max() * 10 ** (-RESTS_DB / 10):
        return None
    rests = (power <= quiet * 10 ** (NEAR_DB / 10)) & (power > 0)
    # The frame beside a loud one holds its beginning or its end.
    rests &= ~ndimage.binary_dilation(power > quiet * 10 ** (2 * NEAR_DB / 10))
    if rests.sum() * FRAME_S < LEAST_S:
        return None
    out = np.zeros(sound.size, dtype=bool)
    out[: count * frame] = np.repeat(rests, frame)
    return out


def _hum(sound: Samples, rests: npt.NDArray[np.bool_], rate: int) -> _Hum | None:
    """The hum of one channel, fitted where it rests; None without one."""
    step = max(1, rate // SLOW_HZ)
    slow = filters.sosfiltfilt(filters.butter(4, 0.4 * rate / step, fs=rate, output="sos"), sound)[::step]
    # Beside what is louder a filter rings.
    kept = ndimage.binary_erosion(rests[::step], iterations=max(1, round(0.01 * rate / step)))
    value, time = slow[kept], np.flatnonzero(kept) * step / rate
    if value.size < 8 * PARTIALS:
        return None

    def fitted(hz: float, count: int = SEARCHED) -> tuple[float, float, Samples]:
        turns = 2 * np.pi * hz * np.outer(time, np.arange(1, count + 1))
        basis = np.concatenate((np.cos(turns), np.sin(turns)), axis=1)
        # Normal equations: tones of this kind are nearly apart from each other, and a little on the diagonal keeps them so.
        found = np.linalg.solve(basis.T @ basis + 1e-9 * value.size * np.eye(2 * count), basis.T @ value)
        return float(np.mean((value - basis @ found) ** 2)), hz, found.reshape(2, count).T

    near = [mains + off for mains in MAINS_HZ for off in np.linspace(-AROUND_HZ, AROUND_HZ, STEPS)]
    left, hz, parts = min((fitted(one) for one in near), key=lambda one: one[0])
    width = 2 * AROUND_HZ / (STEPS - 1)
    for _ in range(3):
        finer = (fitted(hz + off) for off in np.linspace(-width, width, 7))
        left, hz, parts = min(finer, key=lambda one: one[0])
        width /= 3
    left, hz, parts = fitted(float(hz), PARTIALS)
    level = np.sum(parts**2, axis=1) / 2
    heard = (level > SURE * 2 * left / value.size) & (level > LEAST_OF_REST * left)
    if not heard[:2].any():
        return None
    return _Hum(hz, parts, heard)


def _rms_db(power: float) -> float | None:
    level = 10 * float(np.log10(power + 1e-15))
    return round(level, 2) if level > SILENT_DB else None


def carried(sound: Samples, *, sample_rate: int) -> Carried:
    """What a recording in one channel, (frames,), carries besides its sounds."""
    sound = np.asarray(sound, dtype=np.float64)
    rests = resting(sound, sample_rate)
    offset = _mean(sound, rests)
    said = round(offset, 6) if abs(offset) >= LEAST_OFFSET else 0.0
    rings = rings_in(sound, sample_rate=sample_rate)
    if rests is None:
        return Carried(None, None, None, 0, None, said, 0.0, rings)
    left = sound - offset
    hum = _hum(left, rests, sample_rate)
    humming = 0.0
    if hum is not None:
        humming = float(np.sum(hum.parts[hum.heard] ** 2) / 2)
        left = left - hum.sound(left.size, sample_rate)
        # Without it, what is under it is seen to ring on.
        again = resting(left, sample_rate)
        rests = rests if again is None else again
    hiss = float(np.mean(left[rests] ** 2))
    return Carried(
        floor_db=_rms_db(hiss + humming),
        hum_db=None if hum is None else _rms_db(humming),
        hum_hz=None if hum is None else round(hum.hz, 2),
        partials=0 if hum is None else int(hum.heard.sum()),
        hiss_db=_rms_db(hiss),
        offset=said,
        rests_s=round(float(rests.sum()) / sample_rate, 3),
        rings=rings,
    )


def offset_of(sound: Samples, rate: int) -> float:
    """The mean of what one channel, (frames,), carries, where it rests, else of all of it."""
    return _mean(np.asarray(sound, dtype=np.float64), resting(sound, rate))


def _mean(sound: Samples, rests: npt.NDArray[np.bool_] | None) -> float:
    """The mean of what a recording carries: a low sound of its own has one for a while."""
    kept = sound if rests is None else sound[rests]
    return float(kept.mean()) if kept.size else 0.0


def _quieter(sound: Samples, rests: npt.NDArray[np.bool_], down_db: float, rate: int) -> Samples:
    """One channel with its hiss down by so much wherever no more than hiss sounds, bin by bin."""
    hop = WINDOW // OVERLAP
    window = np.hanning(WINDOW + 1)[:-1]
    padded = np.pad(sound, (WINDOW, 2 * WINDOW))
    frames = np.lib.stride_tricks.sliding_window_view(padded, WINDOW)[::hop]
    at = np.arange(frames.shape[0]) * hop - WINDOW
    spectrum = fft.rfft(frames * window, axis=1)
    power = np.abs(spectrum) ** 2
    inside = np.pad(rests, (WINDOW, 2 * WINDOW))
    whole = np.array([bool(inside[begin + WINDOW : begin + 2 * WINDOW].all()) for begin in at])
    profile = power[whole].mean(axis=0) if whole.sum() >= 3 else None
    if profile is None:
        return sound
    least = 10 ** (-down_db / 20)
    open_ = ndimage.uniform_filter(power, 3) > OVER_MEAN * profile
    # Whatever rises opens at once and closes slowly: a tail fades into the floor.
    hold = max(1, round(SMOOTH_S * rate / hop))
    open_ = ndimage.binary_dilation(open_, structure=np.ones((2 * hold + 1, 3), dtype=bool))
    gain = ndimage.uniform_filter1d(np.where(open_, 1.0, least), hold, axis=0)
    made = fft.irfft(spectrum * gain, WINDOW, axis=1) * window
    out, weight = np.zeros(padded.size), np.zeros(padded.size)
    for number, begin in enumerate(at + WINDOW):
        out[begin : begin + WINDOW] += made[number]
        weight[begin : begin + WINDOW] += window**2
    return np.asarray((out / np.maximum(weight, 1e-6))[WINDOW : WINDOW + sound.size])


def cleaned(audio: Samples, *, sample_rate: int, hum: bool, hiss_down_db: float, offset: bool) -> Samples:
    """A recording, (channels, frames), without its hum, with its hiss down by so much, without its offset, as asked.

    What never rests stays as it is but for its offset: what it carries cannot be told from what it is.
    """
    rows = []
    for row in np.asarray(audio, dtype=np.float64):
        rests = resting(row, sample_rate)
        mean = _mean(row, rests)
        centred = row - mean
        if rests is not None and hum and (found := _hum(centred, rests, sample_rate)) is not None:
            centred = centred - found.sound(centred.size, sample_rate)
        rests = None if rests is None else resting(centred, sample_rate)
        if rests is not None and hiss_down_db > 0:
            centred = _quieter(centred, rests, min(hiss_down_db, MOST_DOWN_DB), sample_rate)
        rows.append(centred if offset else centred + mean)
    return np.stack(rows)

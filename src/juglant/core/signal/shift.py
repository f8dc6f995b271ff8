"""Moving the pitch of a recorded sound: by playback speed, or with its length and its attack as they are."""

from __future__ import annotations

import math

import numba
import numpy as np
import soxr

from juglant.core.types import Samples

# Waveform-similarity overlap-add (Verhelst & Roelands 1993): windows long enough for two periods of 30 Hz, and a search
# of more than half of its period to either side.
WINDOW_S, SEARCH_S = 0.08, 0.02
# The untouched attack goes over into the moved tail in this time.
JOIN_S = 0.012
AS_GOOD = 0.02
LEAST_RATIO, MOST_RATIO = 0.25, 4.0


def resampled(audio: Samples, from_hz: float, to_hz: float) -> Samples:
    """(channels, frames) at another rate, or at another speed: the ratio of the two rates alone counts."""
    if from_hz == to_hz or not audio.shape[1]:
        return audio
    return np.asarray(soxr.resample(np.ascontiguousarray(audio.T), from_hz, to_hz, quality="VHQ").T, dtype=np.float64)


@numba.njit(cache=True, nogil=True)
def _likeness(signal: Samples, wanted: Samples, first: int, last: int, out: Samples) -> None:
    """Normalised correlation of `wanted` with the stretches of `signal` that start from `first` to before `last`."""
    own = 1e-30
    for i in range(wanted.size):
        own += wanted[i] * wanted[i]
    for start in range(first, last):
        product, power = 0.0, 1e-30
        for i in range(wanted.size):
            product += wanted[i] * signal[start + i]
            power += signal[start + i] * signal[start + i]
        out[start - first] = product / math.sqrt(power * own)


def _best_place(signal: Samples, wanted: Samples, around: int, reach: int, *, near: int | None = None) -> int:
    """Start within `reach` of `around` of the stretch of `signal` that is most like `wanted`.

    A steady tone offers itself again with every period: of places as good, the one nearest to `near`, or to `around`.
    """
    first, last = max(0, around - reach), min(signal.size - wanted.size, around + reach) + 1
    if last <= first:
        return max(0, min(around, signal.size - wanted.size))
    like = np.empty(last - first)
    _likeness(signal, wanted, first, last, like)
    good = np.flatnonzero(like >= like.max() - AS_GOOD)
    at = int(good[np.argmin(np.abs(good + first - (around if near is None else near)))])
    # From its flank to its top.
    for way in (1, -1):
        while 0 <= at + way < like.size and like[at + way] > like[at]:
            at += way
    return first + at


def _coarse_place(signal: Samples, wanted: Samples, around: int, reach: int, step: int) -> int:
    """The same, first on every `step`-th sample, then on every one around what was found."""
    rough = step * _best_place(signal[::step], wanted[::step], around // step, reach // step)
    return _best_place(signal, wanted, rough, 2 * step)


def stretched(audio: Samples, ratio: float, *, sample_rate: int) -> Samples:
    """(channels, frames) `ratio` times as long at the same pitch, to the sample; all channels are moved alike."""
    count, total = audio.shape[1], max(1, round(audio.shape[1] * ratio))
    window = min(round(WINDOW_S * sample_rate) // 2 * 2, count // 2 * 2)
    if window < 16 or total == count:
        return np.asarray(audio[:, :total] if total <= count else np.pad(audio, ((0, 0), (0, total - count))))
    hop, reach = window // 2, round(SEARCH_S * sample_rate)
    step = max(1, sample_rate // 4000)
    mono = audio.mean(axis=0)
    # A window whose halves add up to one.
    rise = 0.5 - 0.5 * np.cos(np.pi * (np.arange(hop) + 0.5) / hop)
    shape = np.concatenate((rise, rise[::-1]))
    out = np.zeros((audio.shape[0], total + 2 * window))
    padded = np.pad(audio, ((0, 0), (0, 2 * window)))
    follow = np.pad(mono, (0, 2 * window))
    place = 0
    for begin in range(0, total, hop):
        if begin:
            # What would follow in the original is what the next piece must be like.
            wanted = follow[place + hop : place + hop + hop]
            around = min(round(begin / ratio), count - 1)
            place = _coarse_place(follow[: count + window], wanted, around, reach, step)
        piece = padded[:, place : place + window] * shape
        if begin == 0:
            piece[:, :hop] = padded[:, :hop]
        out[:, begin : begin + window] += piece
    return out[:, :total]


def length_kept(audio: Samples, ratio: float, *, keep_frames: int, sample_rate: int) -> Samples:
    """(channels, frames) with every pitch after the first `keep_frames` moved by `ratio`; length and attack stay.

    The tail is made longer by the ratio at its own pitch and then played that much faster. Raises ValueError for a ratio
    beyond two octaves.
    """
    if not LEAST_RATIO <= ratio <= MOST_RATIO:
        raise ValueError(f"ratio must be {LEAST_RATIO} to {MOST_RATIO}, got {ratio}")
    join = round(JOIN_S * sample_rate)
    count = audio.shape[1]
    if ratio == 1 or count <= keep_frames + 2 * join:
        return audio
    tail = audio[:, keep_frames:]
    longer = stretched(tail, ratio, sample_rate=sample_rate)
    moved = resampled(longer, sample_rate * ratio, sample_rate)
    moved = np.pad(moved[:, : tail.shape[1]], ((0, 0), (0, max(0, tail.shape[1] - moved.shape[1]))))
    # Both are in step where the join is: the moved tail begins up to a period later.
    reach = min(round(2 * SEARCH_S * sample_rate), moved.shape[1] - 2 * join)
    at = _best_place(moved.mean(axis=0)[: reach + join], tail.mean(axis=0)[:join], reach // 2, reach // 2 + 1, near=0)
    moved = np.pad(moved[:, at:], ((0, 0), (0, at)))
    fade = 0.5 - 0.5 * np.cos(np.pi * (np.arange(join) + 0.5) / join)
    out = audio.copy()
    out[:, keep_frames:] = moved
    out[:, keep_frames : keep_frames + join] = moved[:, :join] * fade + tail[:, :join] * (1 - fade)
    return out

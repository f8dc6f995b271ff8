"""The notes of a recorded bass line, read to the grid: what is one voice, low and pitched.

Frames of 90 ms are compared with their own later selves, normalised (McLeod & Wyvill 2005); a note goes on while its pitch
and its level do, and ends where either is gone or begins anew.
"""

from __future__ import annotations

import itertools
from dataclasses import dataclass

import numpy as np
from scipy import fft

from juglant.core.signal.decimate import decimate
from juglant.core.types import Indices, Mask, Samples

WORK_RATE = 2000
LOWEST_HZ, HIGHEST_HZ = 26.0, 260.0
FRAME_S, HOP_S = 0.09, 0.01
# Heard within this of the loudest frame; pitched from this clarity on; the first peak this near the highest is the period.
RANGE_DB, CLEAR, NEARLY = 30.0, 0.75, 0.93
# A new start: the level rises by this within RISE_S. A new note: the pitch moves by this and stays for KEPT_S.
RISE_DB, RISE_S, STEP_SEMITONES, KEPT_S = 5.0, 0.03, 0.6, 0.05
SHORTEST_S, SILENT = 0.07, 1e-6
# Two notes of one pitch, end to end: the fundamental's envelope is this much lower between them than within DIP_REACH_S.
FUNDAMENTAL_HZ, DIP_DB, DIP_REACH_S = 130.0, 4.0, 0.05
# Frames whose pitch is further than this from the note's own do not speak for it.
AGREES_SEMITONES = 0.5


@dataclass(frozen=True)
class ReadNote:
    """One note: start and length in seconds, MIDI number as played (fraction in), and how sure it is, 0..1."""

    at_s: float
    length_s: float
    number: float
    confidence: float


@dataclass(frozen=True)
class ReadLine:
    """The notes that were read, in order, and where something sounds that was not, (start, length) in seconds."""

    notes: tuple[ReadNote, ...]
    unread: tuple[tuple[float, float], ...]


def read_line(signal: Samples, *, sample_rate: int, a4_hz: float) -> ReadLine:
    """Read the notes of one voice, (frames,)."""
    factor = max(1, round(sample_rate / WORK_RATE))
    rate = sample_rate / factor
    x = _above_dc(decimate(signal, factor, pass_share=0.7), rate)
    frame, hop = round(FRAME_S * rate), max(1, round(HOP_S * rate))
    if x.size < frame or float(np.max(np.abs(x))) < SILENT:
        return ReadLine((), ())
    # Centred on their times, silence around the recording.
    padded = np.concatenate((np.zeros(frame // 2), x, np.zeros(frame)))
    starts = np.arange(0, x.size, hop)
    frames = np.lib.stride_tricks.sliding_window_view(padded, frame)[starts]
    number, clarity = _pitches(frames, rate, a4_hz)
    level = _levels(x, starts, rate)
    heard = level > level.max() - RANGE_DB
    rises = _rises(level, round(RISE_S / HOP_S)) | _dips(x, starts, rate)
    notes: list[ReadNote] = []
    covered = np.zeros(heard.size, dtype=bool)
    for first, last in _stretches(heard, rises):
        for begin, end in _by_pitch(number[first:last], clarity[first:last]):
            at, length = (first + begin) * HOP_S, (end - begin) * HOP_S
            own = slice(first + begin, first + end)
            clear = clarity[own] >= CLEAR
            if length < SHORTEST_S or not clear.any():
                continue
            middle = float(np.median(number[own][clear]))
            agrees = clear & (np.abs(number[own] - middle) < AGREES_SEMITONES)
            share = float(np.mean(agrees))
            if share < 0.5:
                continue
            covered[own] = True
            notes.append(ReadNote(at, length, middle, share * float(np.mean(clarity[own][agrees]))))
    # What is heard and belongs to no note, in pieces or whole.
    left = _stretches(heard & ~covered, np.zeros(heard.size, dtype=bool))
    unread = [(first * HOP_S, (last - first) * HOP_S) for first, last in left if (last - first) * HOP_S >= SHORTEST_S]
    return ReadLine(tuple(notes), tuple(unread))


def _above_dc(x: Samples, rate: float) -> Samples:
    """Without what lies under the lowest note, zero phase, silence around it: a step is no sound."""
    length = fft.next_fast_len(x.size + round(rate), real=True)
    frequency = fft.rfftfreq(length, 1 / rate)
    gain = 1 / (1 + (LOWEST_HZ * 0.7 / np.maximum(frequency, 1e-3)) ** 8)
    x = x - x.mean()
    return np.asarray(fft.irfft(fft.rfft(x, length) * gain, length)[: x.size])


def _pitches(frames: Samples, rate: float, a4_hz: float) -> tuple[Samples, Samples]:
    """MIDI number (fraction in) and clarity of each frame, (frames,): the first high peak of the normalised difference."""
    size = frames.shape[1]
    length = fft.next_fast_len(2 * size, real=True)
    spectrum = fft.rfft(frames, length, axis=1)
    correlation = fft.irfft(spectrum.real**2 + spectrum.imag**2, length, axis=1)[:, :size]
    power = np.cumsum(np.concatenate((np.zeros((frames.shape[0], 1)), frames**2), axis=1), axis=1)
    lags = np.arange(size)
    # Energy of the part that stays and of the part that is compared with it.
    both = power[:, size - lags] + (power[:, -1:] - power[:, lags])
    curve = 2 * correlation / np.maximum(both, 1e-12)
    low, high = max(2, int(rate / HIGHEST_HZ)), min(size - 2, int(np.ceil(rate / LOWEST_HZ)))
    number, clarity = np.zeros(frames.shape[0]), np.zeros(frames.shape[0])
    for k, row in enumerate(curve):
        inner = row[low - 1 : high + 2]
        peaks = np.flatnonzero((inner[1:-1] >= inner[:-2]) & (inner[1:-1] > inner[2:])) + low
        if not peaks.size or row[peaks].max() <= 0:
            continue
        best = peaks[row[peaks] >= NEARLY * row[peaks].max()][0]
        left, mid, right = row[best - 1 : best + 2]
        bend = left - 2 * mid + right
        shift = 0.5 * (left - right) / bend if bend < 0 else 0.0
        number[k] = 69 + 12 * np.log2(rate / (best + shift) / a4_hz)
        clarity[k] = min(1.0, mid)
    return number, clarity


def _levels(x: Samples, starts: Indices, rate: float) -> Samples:
    """Level around each frame's time in windows of two hops, dB, (frames,)."""
    size = round(2 * HOP_S * rate)
    power = np.concatenate((np.zeros(size), np.cumsum(np.concatenate((x**2, np.zeros(size))))))
    return np.asarray(10 * np.log10(np.maximum((power[starts + size] - power[starts]) / size, 1e-14)))


def _dips(x: Samples, starts: Indices, rate: float) -> Mask:
    """Frames at which the fundamental's envelope is lowest between two parts of the same note: one ends, one begins."""
    length = fft.next_fast_len(2 * x.size)
    frequency = fft.fftfreq(length, 1 / rate)
    # The upper half alone, below the second partial of most notes: a smooth envelope.
    gain = np.where((frequency > 0) & (frequency < 4 * FUNDAMENTAL_HZ), np.exp(-((frequency / FUNDAMENTAL_HZ) ** 4)), 0)
    envelope = np.abs(fft.ifft(2 * fft.fft(x, length) * gain))[: x.size]
    decibels = 20 * np.log10(np.maximum(envelope, 1e-7))
    reach, out = round(DIP_REACH_S * rate), np.zeros(starts.size, dtype=bool)
    floor = decibels.max() - RANGE_DB - DIP_DB
    inner = np.flatnonzero((decibels[1:-1] <= decibels[:-2]) & (decibels[1:-1] < decibels[2:])) + 1
    for k in inner:
        before, after = decibels[max(0, k - reach) : k], decibels[k : k + reach]
        if before.size and after.size and min(before.max(), after.max()) > max(decibels[k] + DIP_DB, floor):
            out[min(starts.size - 1, round(k / (starts[1] - starts[0] if starts.size > 1 else 1)))] = True
    return out


def _rises(level: Samples, back: int) -> Mask:
    """Where the level has just risen by enough: a new start; the first frame of each rise."""
    before = np.concatenate((np.full(back, level.min()), level[:-back])) if level.size > back else np.full_like(level, -140)
    rising = level - before >= RISE_DB
    return np.asarray(rising & ~np.concatenate(([False], rising[:-1])))


def _stretches(heard: Mask, rises: Mask) -> list[tuple[int, int]]:
    """First and end of each stretch that is heard, cut where a new start is."""
    edges = np.flatnonzero(np.diff(np.concatenate(([0], heard.astype(np.int8), [0]))))
    out = []
    for first, end in zip(edges[::2], edges[1::2], strict=True):
        cuts = [int(first), *(int(k) for k in np.flatnonzero(rises[first + 3 : end]) + first + 3), int(end)]
        out += [(one, other) for one, other in itertools.pairwise(cuts) if other > one]
    return out


def _by_pitch(number: Samples, clarity: Samples) -> list[tuple[int, int]]:
    """First and end of each stretch of one pitch: a step that stays begins another note."""
    kept, first, out, away = round(KEPT_S / HOP_S), 0, [], 0
    reference: float | None = None
    for k in range(number.size):
        if clarity[k] < CLEAR:
            continue
        if reference is None:
            reference = float(number[k])
        if abs(number[k] - reference) < STEP_SEMITONES:
            away = 0
            # A slow bend is followed.
            reference = 0.8 * reference + 0.2 * float(number[k])
            continue
        away += 1
        if away >= kept:
            begin = k - away + 1
            out.append((first, begin))
            first, reference, away = begin, float(number[k]), 0
    out.append((first, number.size))
    return out

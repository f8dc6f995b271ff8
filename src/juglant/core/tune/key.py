"""Which key a loop or a set of notes is in, how sure that is, and what concert pitch it was tuned to.

Pitch-class weights against the 24 probe-tone profiles of Krumhansl & Kessler 1982 (correlation).
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal

import numpy as np
import scipy
import soxr

from juglant.core.types import Samples

MAJOR = (6.35, 2.23, 3.48, 2.33, 4.38, 4.09, 2.52, 5.19, 2.39, 3.66, 2.29, 2.88)
MINOR = (6.33, 2.68, 3.52, 5.38, 2.60, 3.53, 2.54, 4.75, 3.98, 2.69, 3.34, 3.17)
Mode = Literal["major", "natural minor"]
# As the sheets of most tracks spell the twelve tonics.
TONICS = ("C", "Db", "D", "Eb", "E", "F", "F#", "G", "Ab", "A", "Bb", "B")
WORK_RATE, WINDOW = 8000, 8192
LOWEST_HZ, HIGHEST_HZ = 50.0, 2000.0
# Peaks further than this under the loudest of their frame are no notes.
PEAK_DB = 30.0
CONCERT_HZ = 440.0
# A4 is offered where the peaks agree on it this well, and it is this far from where it was.
AGREED, OFFERED_CENTS = 0.5, 4.0
# Of the correlations' lead over each other how much makes one sure (this project's choice).
SHARPNESS = 12.0


@dataclass(frozen=True)
class KeyGuess:
    """One key, its correlation with the profile, and its share of the belief in all 24."""

    tonic: str
    mode: Mode
    correlation: float
    confidence: float


@dataclass(frozen=True)
class KeyFound:
    """Keys, the likeliest first; a4_hz: concert pitch, None where the peaks agree on none."""

    guesses: tuple[KeyGuess, ...]
    a4_hz: float | None


def keys_of(weights: Samples) -> tuple[KeyGuess, ...]:
    """All 24 keys by how well the weights of the pitch classes from C, (12,), fit their profiles; empty without weights."""
    if weights.shape != (12,):
        raise ValueError(f"weights must be (12,), got {weights.shape}")
    if not np.any(weights > 0) or np.ptp(weights) == 0:
        return ()
    found: list[tuple[float, str, Mode]] = []
    for number, tonic in enumerate(TONICS):
        for mode, profile in (("major", MAJOR), ("natural minor", MINOR)):
            fit = float(np.corrcoef(weights, np.roll(profile, number))[0, 1])
            found.append((fit, tonic, mode))  # type: ignore[arg-type]
    belief = np.exp(SHARPNESS * (np.array([one[0] for one in found]) - 1))
    belief /= belief.sum()
    ranked = sorted(zip(found, belief.tolist(), strict=True), key=lambda one: -one[0][0])
    return tuple(KeyGuess(tonic, mode, fit, share) for (fit, tonic, mode), share in ranked)


def weights_of_notes(notes: list[tuple[int, float]]) -> Samples:
    """Weights of the pitch classes, (12,), of notes with their lengths."""
    out = np.zeros(12)
    for number, length in notes:
        out[number % 12] += max(0.0, length)
    return out


def find_key(audio: Samples, *, sample_rate: int) -> KeyFound:
    """The key of a loop, (frames,), from its spectral peaks between 50 and 2000 Hz."""
    pitch, level = peaks_of(audio, sample_rate)
    if not pitch.size:
        return KeyFound((), None)
    # How far every peak is from the nearest semitone of A4 = 440, on a circle of one semitone.
    turn = np.exp(2j * np.pi * pitch)
    mean = np.sum(level * turn) / level.sum()
    off_cents = 100 * float(np.angle(mean)) / (2 * math.pi)
    agreed = abs(mean) >= AGREED
    a4_hz = CONCERT_HZ * 2 ** (off_cents / 1200) if agreed else None
    number = pitch - (off_cents / 100 if agreed else 0)
    nearest = np.round(number)
    # A peak between two notes tells of neither.
    weight = level * np.maximum(0, 1 - 2 * np.abs(number - nearest))
    weights: Samples = np.bincount(nearest.astype(int) % 12, weight, minlength=12).astype(np.float64)
    return KeyFound(keys_of(weights), a4_hz)


def offered_a4(found: KeyFound, a4_hz: float) -> float | None:
    """The concert pitch to offer to a track that has another, None where both agree."""
    if found.a4_hz is None or abs(1200 * math.log2(found.a4_hz / a4_hz)) < OFFERED_CENTS:
        return None
    return found.a4_hz


def peaks_of(audio: Samples, sample_rate: int, *, a4_hz: float = CONCERT_HZ) -> tuple[Samples, Samples]:
    """Note numbers (fractional, A4 = 69 at its own pitch) and levels of every frame's spectral peaks, both (peaks,)."""
    slow = soxr.resample(audio, sample_rate, WORK_RATE, quality="HQ") if sample_rate != WORK_RATE else audio
    if slow.size < WINDOW:
        slow = np.pad(slow, (0, WINDOW - slow.size))
    _, _, spectrum = scipy.signal.stft(slow, WORK_RATE, window="hann", nperseg=WINDOW, noverlap=WINDOW // 2, boundary=None)
    size = np.abs(spectrum)
    inside = slice(round(LOWEST_HZ * WINDOW / WORK_RATE), round(HIGHEST_HZ * WINDOW / WORK_RATE))
    loudest = size[inside].max(initial=0.0)
    pitches, levels = [], []
    for frame in size.T:
        floor = max(frame[inside].max() * 10 ** (-PEAK_DB / 20), loudest * 1e-3, 1e-9)
        at, _ = scipy.signal.find_peaks(frame, height=floor)
        at = at[(at >= inside.start) & (at < inside.stop)]
        left, here, right = (np.log(frame[at + k] + 1e-12) for k in (-1, 0, 1))
        bend = left - 2 * here + right
        place = at + np.where(np.abs(bend) > 1e-9, 0.5 * (left - right) / np.where(bend == 0, 1, bend), 0)
        pitches.append(69 + 12 * np.log2(place * WORK_RATE / WINDOW / a4_hz))
        levels.append(np.sqrt(frame[at]))
    return np.concatenate(pitches), np.concatenate(levels)

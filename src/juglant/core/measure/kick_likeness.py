"""Where a kick may begin in a loop, and how sure that is: signs of each place alone, then against the most kick-like ones.

A logistic model twice. The first judges a place by itself: what rises there and how it falls, band by band. The second also
asks how far the place is the same sound as the places the first was surest of (a matched filter, Turin 1960): the kick of a
loop repeats, with a bass under it too. docs/methods.md says how it does on loops it was not fitted on.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import scipy
from numpy.lib.stride_tricks import sliding_window_view

from juglant.core.measure.kick_weights import ALONE, AMONG
from juglant.core.signal.decimate import decimate
from juglant.core.signal.filters import filter_signal
from juglant.core.types import Indices, Mask, Samples

BANDS_HZ = ((25, 60), (60, 120), (120, 250), (250, 1000), (1000, 4000), (4000, 14000))
HIGHEST_SHARE = 0.45
FRAME_S = 0.0025
# What is so far under a band's own peak, or under the loudest band's, counts as that.
BAND_FLOOR, FLOOR = 1e-6, 1e-9
# Frames of before and after, of the fall that follows and of what is left later.
BEFORE, AFTER, EARLY, FALL, LATE = (-8, -1), (0, 8), (4, 16), (24, 40), (60, 80)
# Rises are weighed by band, the lows most; of a band that is this far under its peak none counts.
RISE_WEIGHTS = np.array([1.0, 1.0, 1.0, 0.5, 0.5, 0.3])
MOST_RISE_DB, UNDER_PEAK_DB, LEAST_RISE = 20.0, 24.0, 5.0
APART_S = 0.045
# The matched filter hears this band, its slope, for so long, and looks this far around a place.
HEARD_HZ, HEARD_RATE = (30.0, 500.0), 4800
LENGTH_S, FADE_S, RISE_S, LAG_S = 0.08, 0.05, 0.001, 0.003
SEEDS, ALIKE = 8, 0.7
# What begins within this begins the loop.
OPENING_S = 0.03
TINY = 1e-12


@dataclass(frozen=True)
class BandFrames:
    """Energies of a signal by band in frames of 2.5 ms, (bands, frames), and their running sums."""

    energies: Samples
    sums: Samples
    hop: int

    @classmethod
    def of(cls, signal: Samples, sample_rate: int) -> BandFrames:
        """Causal band-passes (Butterworth 2), each floored; at least one frame long."""
        hop = round(FRAME_S * sample_rate)
        padded = np.pad(signal, (0, (-signal.size) % hop))
        rows = []
        for low, high in BANDS_HZ:
            edges = [low, min(high, HIGHEST_SHARE * sample_rate)]
            sections = scipy.signal.butter(2, edges, "bandpass", fs=sample_rate, output="sos")
            rows.append((filter_signal(sections, padded) ** 2).reshape(-1, hop).mean(axis=1))
        energies = np.array(rows)
        top = energies.max(axis=1, keepdims=True)
        energies = energies + np.maximum(BAND_FLOOR * top, FLOOR * max(float(top.max()), TINY))
        return cls(energies, np.pad(np.cumsum(energies, axis=1), ((0, 0), (1, 0))), hop)

    def mean(self, places: Indices, span: tuple[int, int]) -> Samples:
        """Mean energy of each band from and to frames counted from each place, (bands, places), held inside."""
        count = self.energies.shape[1]
        last = np.clip(places + span[1], 1, count)
        first = np.minimum(np.clip(places + span[0], 0, count - 1), last - 1)
        return (self.sums[:, last] - self.sums[:, first]) / (last - first)

    def before(self, places: Indices) -> Samples:
        """What came before each place; nothing before the first."""
        found = self.mean(places, BEFORE)
        found[:, places < 2] = self.energies.min(axis=1, keepdims=True)
        return found


def _db(ratio: Samples) -> Samples:
    return np.asarray(10 * np.log10(ratio))


def rising_frames(frames: BandFrames) -> list[int]:
    """Frames at which something begins, at least 45 ms apart, in order: where the bands together rise most."""
    places = np.arange(frames.energies.shape[1])
    after = frames.mean(places, AFTER)
    rise = _db(after / frames.before(places))
    rise[_db(after / frames.energies.max(axis=1, keepdims=True)) < -UNDER_PEAK_DB] = 0
    strength = RISE_WEIGHTS @ np.clip(rise, 0, MOST_RISE_DB)
    apart, taken, out = round(APART_S / FRAME_S), np.zeros(places.size, dtype=bool), []
    for place in np.argsort(-strength, kind="stable"):
        if strength[place] < LEAST_RISE:
            break
        if not taken[max(0, place - apart) : place + apart + 1].any():
            taken[place] = True
            out.append(int(place))
    return sorted(out)


def signs_alone(frames: BandFrames, places: Indices) -> Samples:
    """What speaks for a kick at each place by itself, (places, 30), dB by band: rise, level re the band's loudest, fall,
    what is left later, and share of what was added.
    """
    after, before = frames.mean(places, AFTER), frames.before(places)
    top = frames.mean(np.arange(frames.energies.shape[1]), AFTER).max(axis=1, keepdims=True)
    added = np.maximum(after - before, 1e-3 * after)
    return np.concatenate((
        _db(after / before),
        _db(after / top),
        _db(frames.mean(places, FALL) / after),
        _db(frames.mean(places, LATE) / frames.mean(places, EARLY)),
        _db(added / added.sum(axis=0)),
    )).T  # fmt: skip


@dataclass(frozen=True)
class _Heard:
    """What the matched filter hears around each place, (places, lags, frames), windowed from each lag on."""

    around: Samples

    @classmethod
    def of(cls, signal: Samples, starts_s: Samples, sample_rate: int) -> _Heard:
        factor = max(1, sample_rate // HEARD_RATE)
        sections = scipy.signal.butter(2, HEARD_HZ, "bandpass", fs=sample_rate, output="sos")
        slope = np.diff(decimate(filter_signal(sections, signal), factor, pass_share=0.8), prepend=0.0)
        rate = sample_rate / factor
        length, lag = round(LENGTH_S * rate), round(LAG_S * rate)
        time = np.arange(length) / rate
        window = np.minimum(time / RISE_S, 1) * np.exp(-time / FADE_S)
        padded = np.pad(slope, (lag, length + lag))
        first = np.minimum(np.round(starts_s * rate).astype(int), slope.size)
        spans = sliding_window_view(padded, length)
        return cls(spans[first[:, None] + np.arange(2 * lag + 1)] * window)

    def template(self, seed: int) -> Samples:
        """The sound at one place."""
        return np.asarray(self.around[seed, self.around.shape[1] // 2])

    def against(self, template: Samples) -> tuple[Samples, Samples, Indices]:
        """How alike each place is, -1..1, how strong against the template, and at which lag, each (places,)."""
        power = float(np.sum(template**2)) + TINY
        found = self.around @ template
        best = np.argmax(found, axis=1)
        rows = np.arange(best.size)
        own = np.sqrt(np.sum(self.around[rows, best] ** 2, axis=1)) + TINY
        return found[rows, best] / (np.sqrt(power) * own), found[rows, best] / power, best

    def mean_of(self, alike: Mask, lags: Indices) -> Samples:
        """The mean sound of some places, each at its lag."""
        return np.asarray(self.around[alike, lags[alike]].mean(axis=0))


def signs_among(heard: _Heard, chance: Samples, starts_s: Samples) -> Samples:
    """How each place stands to the sound the surest of them share, (places, 8): likeness, strength, its distance from 1,
    how many are alike, its own odds, the best of all chances; and to what begins the loop, on bar 1: likeness, strength.
    """
    sure = int(np.sum(chance > 0.5 * chance.max()))
    seeds = np.argsort(-chance, kind="stable")[: min(SEEDS, max(1, sure))]
    tried = [heard.against(heard.template(int(seed))) for seed in seeds]
    best = int(np.argmax([np.sum(chance * np.clip(alike, 0, 1) ** 2) for alike, _, _ in tried]))
    alike, _, lags = tried[best]
    shared = alike > ALIKE
    template = heard.mean_of(shared, lags) if np.sum(shared) > 1 else heard.template(int(seeds[best]))
    likeness, strength, _ = heard.against(template)
    odds = np.log(chance / (1 - chance + TINY) + TINY)
    off = np.abs(np.log(np.clip(strength, 0.05, 20)))
    count, surest = np.log1p(np.sum(shared)), chance.max()
    first = int(np.argmin(starts_s))
    opening = np.zeros((2, chance.size))
    if starts_s[first] < OPENING_S:
        alike, level, _ = heard.against(heard.template(first))
        opening = np.stack((alike, np.clip(level, -1, 2)))
    return np.column_stack((
        likeness, np.clip(strength, -1, 2), off, np.full(chance.size, count), odds, np.full(chance.size, surest), *opening
    ))  # fmt: skip


def kick_confidence(signal: Samples, frames: BandFrames, starts_s: Samples, *, sample_rate: int) -> Samples:
    """How sure it is that a kick begins at each of some places of a loop, (places,), 0..1; signal: (frames,)."""
    if not starts_s.size:
        return np.zeros(0)
    alone = signs_alone(frames, np.round(starts_s / FRAME_S).astype(int))
    among = signs_among(_Heard.of(signal, starts_s, sample_rate), ALONE.chance(alone), starts_s)
    return AMONG.chance(np.concatenate((alone, among), axis=1))

"""Where kicks fall in a recorded loop: rises of the low band, each walked back to its start."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from juglant.core.measure.timing import low_band_envelope
from juglant.core.signal.decimate import decimate
from juglant.core.types import Indices, Samples

# The low band rises by this much within RISE_MS, up to within RANGE_DB of the loudest.
RISE_DB, RISE_MS, RANGE_DB = 6.0, 40.0, 24.0
# Two strokes are at least this far apart; the top of one comes this soon after its start.
APART_MS, TOP_MS = 70.0, 60.0
# A start is where the next milliseconds hold most against the last ones; then back to the last turn of the wave.
BEFORE_MS, AFTER_MS, BACK_MS = 15.0, 4.0, 1.0
# What came before counts as at least this share of what comes after.
NOTHING = 1e-4
SILENT = 1e-6
# A loop without a low end holds no kick.
LEAST_LOW_DB = -20.0


@dataclass(frozen=True)
class FoundStroke:
    """One stroke: where it starts, s, and its low-band peak re the loudest of all, dB."""

    at_s: float
    level_db: float


def find_strokes(signal: Samples, *, sample_rate: int) -> list[FoundStroke]:
    """Every kick of a loop in one channel, (frames,), in order; empty where its low band never rises."""
    if not np.any(np.abs(signal) > SILENT):
        return []
    low, whole, rate = low_band_envelope(signal, sample_rate=sample_rate)
    if low.max() < whole.max() * 10 ** (LEAST_LOW_DB / 20):
        return []
    slope = np.diff(decimate(signal, max(1, sample_rate // rate), pass_share=0.8), prepend=0.0)
    level = 20 * np.log10(np.maximum(low, low.max() * 1e-6))
    rise, apart, top = (max(1, round(ms * rate / 1000)) for ms in (RISE_MS, APART_MS, TOP_MS))
    before = np.concatenate((np.full(rise, level.min()), level[:-rise])) if level.size > rise else level
    rising = level - before
    found: list[FoundStroke] = []
    loudest, last = float(level.max()), -apart
    # From the steepest rise of each stretch that rises enough.
    edges = np.flatnonzero((rising >= RISE_DB) & (level > loudest - RANGE_DB - RISE_DB))
    for first, end in _runs(edges, gap=rise):
        peak = first + int(np.argmax(level[first : min(level.size, end + top)]))
        if level[peak] < loudest - RANGE_DB or peak - last < apart:
            continue
        at = _start(signal, slope, first, peak, rate)
        if found and at / sample_rate - found[-1].at_s < APART_MS / 1000:
            continue
        found.append(FoundStroke(at / sample_rate, float(level[peak] - loudest)))
        last = peak
    return found


def _runs(places: Indices, *, gap: int) -> list[tuple[int, int]]:
    """First and last of each run of rising places that are closer than `gap`."""
    if not places.size:
        return []
    breaks = np.flatnonzero(np.diff(places) > gap)
    firsts, lasts = np.append(places[0], places[breaks + 1]), np.append(places[breaks], places[-1])
    return [(int(one), int(other)) for one, other in zip(firsts, lasts, strict=True)]


def _start(signal: Samples, slow: Samples, rise: int, peak: int, rate: int) -> int:
    """The frame of `signal` at which a stroke begins whose low band begins to rise about `rise` and is highest at `peak`.

    slow: the slope of the signal at `rate`: a tail that rings on is quiet there, an attack is not. It begins where most
    comes after against what came before.
    """
    ahead, after, back = (max(1, round(ms * rate / 1000)) for ms in (BEFORE_MS, AFTER_MS, BACK_MS))
    first, last = max(0, rise - round(RISE_MS * rate / 1000)), min(peak + 1, slow.size)
    padded = np.concatenate((np.zeros(ahead), slow**2, np.zeros(after)))
    total = np.concatenate(([0.0], np.cumsum(padded)))
    at = np.arange(first, max(last, first + 1)) + ahead
    ahead_power = (total[at] - total[at - ahead]) / ahead
    after_power = (total[at + after] - total[at]) / after
    start = first + int(np.argmax(after_power / (ahead_power + NOTHING * after_power.max() + 1e-30)))
    frame = round(start * signal.size / slow.size)
    stretch = signal[max(0, frame - round(back * signal.size / slow.size)) : frame + 1]
    turns = np.flatnonzero((stretch[1:] == 0) | (stretch[1:] * stretch[:-1] < 0))
    return frame - stretch.size + 2 + int(turns[-1]) if turns.size else frame

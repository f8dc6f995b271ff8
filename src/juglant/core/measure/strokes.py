"""Where kicks fall in a recorded loop: all that begins there, walked back to its start, and how sure it is a kick."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from juglant.core.measure.kick_likeness import BandFrames, kick_confidence, rising_frames
from juglant.core.measure.timing import low_and_whole
from juglant.core.signal.decimate import decimate
from juglant.core.types import Samples

# Two strokes are at least this far apart; the top of one comes this soon after its start.
APART_MS, TOP_MS = 60.0, 60.0
# A start is where the next milliseconds hold most against the last ones; then back to the last turn of the wave.
BEFORE_MS, AFTER_MS, BACK_MS = 15.0, 4.0, 1.0
# It is looked for so far around where the bands rise.
AHEAD_MS, BEHIND_MS = 12.0, 25.0
# What came before counts as at least this share of what comes after.
NOTHING = 1e-3
SILENT = 1e-6
# A loop without a low end holds no kick.
LEAST_LOW_DB = -20.0
# From here on it is a kick; below this it is not worth showing.
SURE, SHOWN = 0.5, 0.005
SHORTEST_MS = 20.0


@dataclass(frozen=True)
class FoundStroke:
    """One stroke: where it starts, s, its low-band peak re the loudest of all, dB, and how sure it is a kick, 0..1."""

    at_s: float
    level_db: float
    confidence: float

    @property
    def sure(self) -> bool:
        """Whether it is read as a kick unless the user says otherwise."""
        return self.confidence >= SURE


def read_strokes(signal: Samples, *, sample_rate: int) -> list[FoundStroke]:
    """Everything in a loop, (frames,), that may be a kick, in order; empty where its low end is not heard."""
    if signal.size < SHORTEST_MS * sample_rate / 1000 or not np.any(np.abs(signal) > SILENT):
        return []
    low, whole, rate = low_and_whole(signal, sample_rate=sample_rate)
    if low.max() < whole.max() * 10 ** (LEAST_LOW_DB / 20):
        return []
    frames = BandFrames.of(signal, sample_rate)
    slope = np.diff(decimate(signal, max(1, sample_rate // rate), pass_share=0.8), prepend=0.0)
    rises = [place * frames.hop * rate // sample_rate for place in rising_frames(frames)]
    starts = np.array([_start(signal, slope, rise, rate) for rise in rises])
    starts_s = starts / sample_rate
    sure = kick_confidence(signal, frames, starts_s, sample_rate=sample_rate)
    top = max(1, round(TOP_MS * rate / 1000))
    peaks = [float(low[round(at * rate) : round(at * rate) + top].max(initial=0.0)) for at in starts_s]
    levels = 20 * np.log10(np.maximum(peaks, low.max() * 1e-6) / low.max())
    found: list[FoundStroke] = []
    # The surer of two that are too close to be two.
    for index in np.argsort(-sure, kind="stable"):
        if sure[index] >= SHOWN and all(abs(starts_s[index] - one.at_s) >= APART_MS / 1000 for one in found):
            found.append(FoundStroke(float(starts_s[index]), float(levels[index]), float(sure[index])))
    return sorted(found, key=lambda one: one.at_s)


def find_strokes(signal: Samples, *, sample_rate: int) -> list[FoundStroke]:
    """Every kick of a loop in one channel, (frames,), in order: of what may be one, what surely is."""
    return [one for one in read_strokes(signal, sample_rate=sample_rate) if one.sure]


def _start(signal: Samples, slow: Samples, rise: int, rate: int) -> int:
    """The frame of `signal` at which a stroke begins whose bands begin to rise about `rise`.

    slow: the slope of the signal at `rate`: a tail that rings on is quiet there, an attack is not. It begins where most
    comes after against what came before.
    """
    ahead, after, back = (max(1, round(ms * rate / 1000)) for ms in (BEFORE_MS, AFTER_MS, BACK_MS))
    first = max(0, rise - round(AHEAD_MS * rate / 1000))
    last = min(rise + round(BEHIND_MS * rate / 1000), slow.size)
    padded = np.concatenate((np.zeros(ahead), slow**2, np.zeros(after)))
    total = np.concatenate(([0.0], np.cumsum(padded)))
    at = np.arange(first, max(last, first + 1)) + ahead
    ahead_power = (total[at] - total[at - ahead]) / ahead
    after_power = (total[at + after] - total[at]) / after
    start = first + int(np.argmax(after_power / (ahead_power + NOTHING * after_power.max() + 1e-30)))
    frame = round(start * signal.size / slow.size)
    from_frame = max(0, frame - round(back * signal.size / slow.size))
    stretch = signal[from_frame : frame + 1]
    turns = np.flatnonzero((stretch[1:] == 0) | (stretch[1:] * stretch[:-1] < 0))
    if turns.size:
        return from_frame + 1 + int(turns[-1])
    # What the recording begins with began there.
    return frame if from_frame else 0

"""One figure of the bench, what it is held against, and the loops it is timed on.

A time is held against a yardstick of the same kind of work, timed right before and after it: a slow hour of the machine
makes both slower, and is not read as slow code. Limits are written in ms of the machine they were set on, and compared as
multiples of the yardstick there and here.
"""

from __future__ import annotations

import statistics
import time
from collections.abc import Callable
from dataclasses import dataclass
from functools import cache
from typing import Any, Literal

import numpy as np
import scipy.fft
import scipy.signal

Kind = Literal["transforms", "filter", "loop"]
# What each yardstick took on the quiet machine of two cores on which the limits were set, ms.
NOMINAL_MS: dict[Kind, float] = {"transforms": 7.0, "filter": 5.3, "loop": 13.0}
YARDSTICK_TIMES = 9


@cache
def _noise() -> Any:
    return np.random.default_rng(1).standard_normal(1 << 17)


@cache
def _sections() -> Any:
    return scipy.signal.butter(4, 100, fs=48000, output="sos")


YARDSTICKS: dict[Kind, Callable[[], Any]] = {
    "transforms": lambda: [scipy.fft.irfft(scipy.fft.rfft(_noise())) for _ in range(3)],
    "filter": lambda: scipy.signal.sosfilt(_sections(), np.tile(_noise(), 4)),
    "loop": lambda: sum(range(1_000_000)),
}


class Measured(float):
    """A figure, and how many times slower than where the limits were set its yardstick was around it."""

    slow: float

    def __new__(cls, value: float, slow: float = 1.0) -> Measured:
        found = super().__new__(cls, value)
        found.slow = slow
        return found

    def per(self, amount: float) -> Measured:
        """The same for one of so many."""
        return Measured(self / amount, self.slow)


@dataclass(frozen=True)
class Line:
    """One figure, its unit, and the limit it is held against (None: stated only)."""

    name: str
    value: float
    unit: str
    limit: float | None = None
    at_least: bool = False

    @property
    def slow(self) -> float:
        """How much slower the machine was while it was measured; 1 for what no machine makes slower."""
        return getattr(self.value, "slow", 1.0)

    @property
    def within(self) -> bool:
        """Whether the limit is kept."""
        if self.limit is None:
            return True
        return self.value * self.slow >= self.limit if self.at_least else self.value / self.slow <= self.limit


def yardstick_ms(kind: Kind) -> float:
    """Median time of a yardstick in ms."""
    work = YARDSTICKS[kind]
    return _median_ms(work, YARDSTICK_TIMES)


def timed_ms(work: Callable[[], Any], times: int, kind: Kind = "transforms") -> Measured:
    """Median time of a call in ms, with its yardstick right before and after."""
    before = yardstick_ms(kind)
    found = _median_ms(work, times)
    return Measured(found, slowness(kind, before, yardstick_ms(kind)))


def slowness(kind: Kind, before_ms: float, after_ms: float) -> float:
    """How many times slower a yardstick was than where the limits were set."""
    return (before_ms + after_ms) / 2 / NOMINAL_MS[kind]


def _median_ms(work: Callable[[], Any], times: int) -> float:
    found = []
    for _ in range(times):
        began = time.perf_counter()
        work()
        found.append(1000 * (time.perf_counter() - began))
    return statistics.median(found)


def bars_of(count: int) -> Any:
    """The demo's four bars, over and over, or fewer of them."""
    from juglant.demo.track import solved_track

    track = solved_track()
    notes = [
        note.model_copy(update={"at_beats": at})
        for turn in range(-(-count // 4))
        for note in track.bass_notes
        if (at := note.at_beats + 16 * turn) < 4 * count
    ]
    sheet = track.sheet.model_copy(update={"bars": count})
    return track.having(sheet=sheet, bass_notes=tuple(notes), kick_at_beats=tuple(float(beat) for beat in range(4 * count)))

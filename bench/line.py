"""One figure of the bench, how it is timed, and the loops it is timed on."""

from __future__ import annotations

import statistics
import time
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any


@dataclass(frozen=True)
class Line:
    """One figure, its unit, and the limit it is held against (None: stated only)."""

    name: str
    value: float
    unit: str
    limit: float | None = None
    at_least: bool = False

    @property
    def within(self) -> bool:
        """Whether the limit is kept."""
        if self.limit is None:
            return True
        return self.value >= self.limit if self.at_least else self.value <= self.limit


def timed_ms(work: Callable[[], Any], times: int) -> float:
    """Median time of a call in ms."""
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
    return track.model_copy(
        update={
            "sheet": sheet,
            "bass_notes": tuple(notes),
            "kick_at_beats": tuple(float(beat) for beat in range(4 * count)),
        }
    )

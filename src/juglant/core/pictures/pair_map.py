"""Any two parts against each other, by third octave and time."""

from __future__ import annotations

import numpy as np

from juglant.core.analysis.pairs import ZONES, checked, contest_of_pair, side_of, zone_rows
from juglant.core.measure.bands import CENTRES_HZ, FRAME_S
from juglant.core.memory import newest
from juglant.core.model.track import Track
from juglant.core.pictures.strip import Picture, rounded
from juglant.core.types import Samples

# No more columns than a screen shows.
MOST_COLUMNS = 400
# Clearer or more buried than this is drawn alike.
MOST_DB = 30.0


class PairMap(Picture):
    """The first part over the second in dB, as heard, while the first is active, else None. Rows are bands, low to high.

    frame_beats: the width of a column; only bands in which both are there.
    """

    frame_beats: float
    centres_hz: tuple[float, ...]
    over_db: tuple[tuple[float | None, ...], ...]


@newest(8)
def draw_pair(track: Track, owner: str, yielder: str) -> PairMap:
    """Two parts in every zone (remembered); raises NoSuchPart, or InvalidTrack where they are one and the same."""
    checked(track, owner, yielder)
    one, other = side_of(track, owner), side_of(track, yielder)
    count, frames = one.heard.shape
    active, judged = np.zeros((count, frames), dtype=bool), np.zeros(count, dtype=bool)
    for zone in ZONES:
        rows = zone_rows(zone, count)
        if not rows:
            continue
        contest = contest_of_pair(track, owner, one, other, rows)
        active[rows], judged[rows] = contest.active, contest.judged
    every = -(-frames // MOST_COLUMNS)
    mine, theirs = (_columns(side.heard * active, every) for side in (one, other))
    there = _columns(active.astype(float), every) > 0
    over = np.clip(10 * np.log10(np.maximum(mine, 1e-30) / np.maximum(theirs, 1e-30)), -MOST_DB, MOST_DB)
    shown = [row for row in range(count) if judged[row]]
    return PairMap(
        frame_beats=every * FRAME_S * track.sheet.bpm / 60,
        centres_hz=rounded(np.array(CENTRES_HZ)[shown], 1),
        over_db=tuple(
            tuple(round(float(value), 1) if on else None for value, on in zip(over[row], there[row], strict=True))
            for row in shown
        ),
    )


def _columns(values: Samples, every: int) -> Samples:
    """Sums over so many frames each, (bands, columns)."""
    return np.asarray(np.add.reduceat(values, np.arange(0, values.shape[1], every), axis=1))

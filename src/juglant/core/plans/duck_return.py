"""How a computed curve comes back: evenly, early, or along the key's own decay; whichever takes least (method: ducking)."""

from __future__ import annotations

import math

import numpy as np

from juglant.core.duck.curve import GainRows
from juglant.core.duck.guards import low_note_distortion_db
from juglant.core.duck.part_curves import with_curve
from juglant.core.duck.shaped import LEAST_RETURN_MS
from juglant.core.duck.strokes import Activity
from juglant.core.loop.gain import part_rows
from juglant.core.measure.bands import FRAME_S
from juglant.core.measure.level import k_weighting
from juglant.core.model.duck import Duck
from juglant.core.model.track import Track
from juglant.core.signal.filters import filter_loop
from juglant.core.types import Samples

# A shorter return is a step in a held note: this, or so many periods of its lowest.
SHORTEST_RETURN_MS, SHORTEST_PERIODS = 60.0, 3.0
# Within a third of the shortest return (a period of the lowest note) no more than half of the way: else that is the step.
HALF_WAY, WITHIN = 0.5, 1 / 3
LATEST_SHAPE, SHAPES = 3.0, 25


def shortest_return_ms(lowest_hz: float | None) -> float:
    """The shortest return a computed curve has, ms: of a part without a pitch the first of both."""
    return SHORTEST_RETURN_MS if not lowest_hz else max(SHORTEST_RETURN_MS, 1000 * SHORTEST_PERIODS / lowest_hz)


def earliest_shape(return_ms: float, shortest_ms: float) -> float:
    """The shape that comes back earliest and yet softly enough: straight where the return is no longer than that."""
    share = WITHIN * shortest_ms / return_ms
    return 1.0 if share >= HALF_WAY else max(0.3, math.ceil(100 * math.log(HALF_WAY) / math.log(share)) / 100)


def best_return(
    track: Track, part: str, even: Duck, plan: list[Activity], moved: Samples, key_energy: Samples, *, shortest_ms: float,
    lowest_hz: float | None,
) -> tuple[Duck, float | None]:  # fmt: skip
    """The curve with the return that takes least loudness of the part, and how much that is, LU (None: it is silent).

    even: the curve with an even return; moved: what of the part it moves, (frames,); key_energy: of the key's judged bands
    by 20 ms frame. One that bends the lowest note over its limit is left out, where another does not.
    """
    ways = [even, even.model_copy(update={"shape": earliest_shape(even.return_ms, shortest_ms)})]
    if (along := along_the_decay(even, plan, key_energy, shortest_ms=shortest_ms)) is not None:
        ways.append(along)
    if lowest_hz is not None:
        straight = [one for one in ways if low_note_distortion_db(one, lowest_hz) <= track.limits.low_note_distortion_db]
        ways = straight or [even]
    weighted = filter_loop(moved, k_weighting(track.sheet.sample_rate), sample_rate=track.sheet.sample_rate)
    # By the millisecond: a gain is hardly another within one.
    rate = track.sheet.sample_rate
    starts = np.arange(0, weighted.size, rate // 1000)
    energy = np.add.reduceat(weighted**2, starts)
    if float(energy.sum()) <= 0:
        return even, None
    at_s = (starts + rate // 2000) / rate
    taken = [_taken_lu(part_rows(with_curve(track, part, one), part, weighted.size), at_s, energy) for one in ways]
    best = int(np.argmin(taken))
    return ways[best], taken[best]


def _taken_lu(rows: GainRows, at_s: Samples, energy: Samples) -> float:
    """What rows of gain take of K-weighted energies at some times, both (times,), LU."""
    left = energy * 10 ** (np.interp(at_s, rows.at_s, rows.gain_db) / 10)
    return float(-10 * np.log10(max(float(left.sum()), 1e-30) / float(energy.sum())))


def along_the_decay(even: Duck, plan: list[Activity], key_energy: Samples, *, shortest_ms: float) -> Duck | None:
    """The curve that comes back as fast as its key dies away after the active part, dB for dB; None where it does not.

    No faster than the shortest return and no slower than the even one.
    """
    frames = key_energy.size
    longest = round(even.return_ms / 1000 / FRAME_S)
    if longest < 2 or even.depth_db <= 0:
        return None
    first = np.array([round((one.hit_s + one.end_s) / FRAME_S) for one in plan])
    level = np.mean([key_energy[(start + np.arange(longest + 1)) % frames] for start in first], axis=0)
    if level[0] <= 0:
        return None
    fallen = np.minimum.accumulate(10 * np.log10(np.maximum(level, 1e-12 * level[0]) / level[0]))
    over = np.flatnonzero(-fallen >= even.depth_db)
    back_ms = float(over[0]) * FRAME_S * 1000 if over.size else even.return_ms
    back_ms = min(max(back_ms, shortest_ms, LEAST_RETURN_MS), even.return_ms)
    at = np.arange(1, max(2, round(back_ms / 1000 / FRAME_S)))
    if not at.size:
        return even.model_copy(update={"return_ms": round(back_ms, 1)})
    shapes = np.round(np.geomspace(earliest_shape(back_ms, shortest_ms), LATEST_SHAPE, SHAPES), 2)
    share = np.clip(-fallen[at] / even.depth_db, 0, 1)
    along = np.clip(at * FRAME_S * 1000 / back_ms, 0, 1)
    errors = [float(np.sum((along**shape - share) ** 2)) for shape in shapes]
    return even.model_copy(update={"return_ms": round(back_ms, 1), "shape": float(shapes[int(np.argmin(errors))])})

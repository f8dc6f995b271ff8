"""The duck's gain over the loop, as rows of time and gain: the same rows make the sound and the file."""

from __future__ import annotations

import bisect
import math
from dataclasses import dataclass
from itertools import pairwise

import numba
import numpy as np

from juglant.core.model.duck import Duck
from juglant.core.types import Samples

# Rows stand on a grid of 0.1 ms, so that four decimals say exactly what was applied.
GRID_S = 1e-4
LONGEST_STEP_S = 5e-4
FORGOTTEN_S = 1.0


@dataclass(frozen=True)
class GainRows:
    """Gain in dB at times in seconds, linear in dB between rows, both (rows,)."""

    at_s: Samples
    gain_db: Samples


def starts_s(duck: Duck) -> float:
    """When the gain begins to move, in seconds after the key hit: below 0 ahead of it."""
    if duck.drive == "compressor":
        return -duck.compressor.early_ms / 1000
    return duck.drawn[0].at_ms / 1000 if duck.drawn else -duck.lookahead_ms / 1000


def lowest_db(duck: Duck) -> float:
    """The deepest gain of one stroke of the curve, dB."""
    return min(one.gain_db for one in duck.drawn) if duck.drawn else -duck.depth_db


def _low_s(duck: Duck) -> float:
    """When the fall is done, in seconds after the key hit."""
    if duck.drawn:
        return min(duck.drawn, key=lambda one: one.gain_db).at_ms / 1000
    return (duck.fall_ms - duck.lookahead_ms) / 1000


def hold_end_s(duck: Duck) -> float:
    """When the return begins, in seconds after the key hit: the hold, or the end of a longer fall."""
    if duck.drawn:
        lowest = lowest_db(duck)
        return max(one.at_ms for one in duck.drawn if one.gain_db == lowest) / 1000
    return max(duck.hold_ms, duck.fall_ms - duck.lookahead_ms) / 1000


def ends_s(duck: Duck) -> float:
    """When the gain is back, in seconds after the key hit."""
    return duck.drawn[-1].at_ms / 1000 if duck.drawn else hold_end_s(duck) + duck.return_ms / 1000


def stroke_db(duck: Duck, time_s: Samples) -> Samples:
    """Gain in dB of one undisturbed stroke at times in seconds against its key hit.

    Fall: straight in dB. Return: -depth (1 - u^shape), u = 0..1 over the return. Drawn points: straight in dB between.
    """
    if duck.drawn:
        places = [one.at_ms / 1000 for one in duck.drawn]
        return np.asarray(np.interp(time_s, places, [one.gain_db for one in duck.drawn]))
    fall = np.clip((time_s - starts_s(duck)) / (duck.fall_ms / 1000), 0, 1)
    since = time_s - hold_end_s(duck)
    # A steep return makes much of a hair's breadth: what is within a thousandth of a tick of the corner is the corner.
    back = np.clip(np.where(since < GRID_S / 1000, 0.0, since) / (duck.return_ms / 1000), 0, 1) ** duck.shape
    return np.asarray(-duck.depth_db * fall * (1 - back))


def _stroke_times(duck: Duck) -> list[float]:
    """Corners of one stroke and enough points between them, in seconds after the key hit."""
    if duck.drawn:
        times = [one.at_ms / 1000 for one in duck.drawn]
        slopes = list(pairwise(times))
    else:
        times = [starts_s(duck), _low_s(duck), hold_end_s(duck), ends_s(duck)]
        slopes = [(times[0], times[1]), (times[2], times[3])]
    # The return is curved; the fall is straight, yet a reader may step through it.
    for first, last in slopes:
        steps = math.ceil((last - first) / LONGEST_STEP_S)
        times += [first + (last - first) * i / steps for i in range(1, steps)]
    return times


def flat_rows(loop_s: float) -> GainRows:
    """No gain at all over one pass."""
    return GainRows(np.array([0.0, round(end_s(loop_s), 4)]), np.zeros(2))


def end_s(loop_s: float) -> float:
    """Where the last row of a loop stands: its end, on the grid, not before it."""
    return math.ceil(loop_s / GRID_S - 1e-6) * GRID_S


def curve_rows(duck: Duck, hits_s: list[float], loop_s: float) -> GainRows:
    """Total gain of one curve over one pass of the loop, wrapped returns included; hits_s: its keys, in order.

    A key hit before the return ends restarts the fall from the present gain.
    """
    end = end_s(loop_s)
    if not duck.on or lowest_db(duck) >= 0 or not hits_s:
        return flat_rows(loop_s)
    # Strokes of the passes before and after reach into this one.
    reach = math.ceil(max(ends_s(duck), 0.0) / loop_s)
    ahead = 2 + math.floor(max(0.0, -starts_s(duck)) / loop_s)
    strokes = sorted(hit + turn * loop_s for hit in hits_s for turn in range(-reach - 1, ahead))
    # What ended this long before the loop left no trace in it, nor does what begins after it but for the first of them.
    first = bisect.bisect_left(strokes, -ends_s(duck) - FORGOTTEN_S)
    # Gain from which the newest stroke fell. Falls longer than what is between the keys carry on from pass to pass.
    floor = _floor_db(duck, strokes[first : first + len(hits_s) + 1])
    strokes = strokes[first : bisect.bisect_right(strokes, end - starts_s(duck)) + 1]
    # Every corner stands on the grid: times rounded to it, and each stroke moved onto it (by at most 0.05 ms).
    duck = _on_grid(duck)
    strokes = [round(stroke / GRID_S) * GRID_S for stroke in strokes]
    shape = np.array(_stroke_times(duck))
    ticks = np.round((np.array(strokes)[:, None] + shape).ravel() / GRID_S).astype(np.int64)
    starts = np.array(strokes) + starts_s(duck)
    start_ticks = np.round(starts / GRID_S).astype(np.int64)
    last_tick = round(end / GRID_S)
    there = np.zeros(last_tick + 1, dtype=bool)
    there[ticks[(ticks >= 0) & (ticks <= last_tick)]] = True
    there[[0, last_tick]] = True
    inside = np.flatnonzero(there)
    times: Samples = np.asarray(inside * GRID_S, dtype=np.float64)
    gain = np.zeros(times.size)
    for index, (stroke, tick) in enumerate(zip(strokes, start_ticks, strict=True)):
        later = start_ticks[index + 1] if index + 1 < len(strokes) else last_tick + 1
        first, last = np.searchsorted(inside, [tick, later]).tolist()
        now = slice(first, last)
        gain[now] = _from(duck, floor, times[now] - stroke)
        floor = float(_from(duck, floor, np.array([later * GRID_S - stroke]))[0])
    return GainRows(np.round(times, 4), np.round(gain, 4) + 0.0)


def _floor_db(duck: Duck, strokes: list[float]) -> float:
    """Gain in dB at the first stroke's start when the loop has gone round for ever; strokes: one pass and one more.

    A stroke cut short in its fall leaves `here + kept * floor`, else `here`: over a pass that is one straight line, and
    where it meets itself is what the loop settles at.
    """
    here, kept = 0.0, 1.0
    for stroke, later in pairwise(strokes):
        since_s = later + starts_s(duck) - stroke
        gain_db = float(stroke_db(duck, np.array([since_s]))[0])
        share = 1 - gain_db / lowest_db(duck) if since_s < _low_s(duck) - GRID_S / 1000 else 0.0
        here, kept = gain_db + share * here, share * kept
    return here / (1 - kept) if kept < 1 else 0.0


def _on_grid(duck: Duck) -> Duck:
    """The duck with its times rounded to the grid."""

    def rounded(ms: float) -> float:
        return round(ms / (1000 * GRID_S)) * 1000 * GRID_S

    names = ("lookahead_ms", "fall_ms", "hold_ms", "return_ms")
    drawn = tuple(one.model_copy(update={"at_ms": rounded(one.at_ms)}) for one in duck.drawn)
    return duck.model_copy(update={"drawn": drawn} | {name: rounded(getattr(duck, name)) for name in names})


def _from(duck: Duck, present_db: float, time_s: Samples) -> Samples:
    """One stroke that starts its fall at `present_db` instead of 0: as far as it is down, so far is that gone."""
    ordinary, lowest = stroke_db(duck, time_s), lowest_db(duck)
    # Ticks are multiples of the grid: what is within a thousandth of one of the corner is the corner.
    falling = time_s < _low_s(duck) - GRID_S / 1000
    return np.where(falling, present_db + ordinary * (1 - present_db / lowest), ordinary)


def rows_to_gain(rows: GainRows, total_frames: int, *, sample_rate: int) -> Samples:
    """Gain factor at every sample, (total_frames,): linear in dB between rows."""
    out = np.ones(total_frames)
    _spread(rows.at_s, rows.gain_db * (math.log(10) / 20), float(sample_rate), out)
    return out


@numba.njit(cache=True, nogil=True)
def _spread(at_s: Samples, log_gain: Samples, rate: float, out: Samples) -> None:
    # Between two rows the factor grows by the same share from sample to sample.
    first = 0
    for row in range(1, at_s.size):
        last = min(out.size, math.ceil(at_s[row] * rate - 1e-9))
        if last > first:
            slope = (log_gain[row] - log_gain[row - 1]) / (at_s[row] - at_s[row - 1]) / rate
            value = math.exp(log_gain[row - 1] + slope * (first - at_s[row - 1] * rate))
            share = math.exp(slope)
            for i in range(first, last):
                out[i] = value
                value *= share
            first = last
    for i in range(first, out.size):
        out[i] = math.exp(log_gain[-1])

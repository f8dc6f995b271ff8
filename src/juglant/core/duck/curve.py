"""The duck's gain over the loop, as rows of time and gain: the same rows make the sound and the file."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from juglant.core.model.duck import Duck
from juglant.core.types import Samples

# Rows stand on a grid of 0.1 ms, so that four decimals say exactly what was applied.
GRID_S = 1e-4
LONGEST_STEP_S = 5e-4


@dataclass(frozen=True)
class GainRows:
    """Gain in dB at times in seconds, linear in dB between rows, both (rows,)."""

    at_s: Samples
    gain_db: Samples


def stroke_db(duck: Duck, time_s: Samples) -> Samples:
    """Gain in dB of one undisturbed stroke at times in seconds against its key hit.

    Fall: straight in dB. Return: -depth (1 - u^shape), u = 0..1 over the return.
    """
    start = -duck.lookahead_ms / 1000
    hold_end = hold_end_s(duck)
    fall = np.clip((time_s - start) / (duck.fall_ms / 1000), 0, 1)
    back = np.clip((time_s - hold_end) / (duck.return_ms / 1000), 0, 1) ** duck.shape
    return np.asarray(-duck.depth_db * fall * (1 - back))


def hold_end_s(duck: Duck) -> float:
    """When the return begins, in seconds after the key hit: the hold, or the end of a longer fall."""
    return max(duck.hold_ms, duck.fall_ms - duck.lookahead_ms) / 1000


def _stroke_times(duck: Duck) -> list[float]:
    """Corners of one stroke and enough points between them, in seconds after the key hit."""
    start, low = -duck.lookahead_ms / 1000, (duck.fall_ms - duck.lookahead_ms) / 1000
    back = hold_end_s(duck)
    end = back + duck.return_ms / 1000
    times = [start, low, back, end]
    # The return is curved; the fall is straight, yet a reader may step through it.
    for first, last in ((start, low), (back, end)):
        steps = math.ceil((last - first) / LONGEST_STEP_S)
        times += [first + (last - first) * i / steps for i in range(1, steps)]
    return times


def flat_rows(loop_s: float) -> GainRows:
    """No gain at all over one pass."""
    return GainRows(np.array([0.0, round(_end_s(loop_s), 4)]), np.zeros(2))


def _end_s(loop_s: float) -> float:
    return math.ceil(loop_s / GRID_S - 1e-6) * GRID_S


def curve_rows(duck: Duck, hits_s: list[float], loop_s: float) -> GainRows:
    """Total gain of one curve over one pass of the loop, wrapped returns included; hits_s: its keys, in order.

    A key hit before the return ends restarts the fall from the present gain.
    """
    end = _end_s(loop_s)
    if not duck.on or duck.depth_db <= 0 or not hits_s:
        return flat_rows(loop_s)
    # Strokes of the passes before and after reach into this one.
    reach = math.ceil((hold_end_s(duck) + duck.return_ms / 1000) / loop_s)
    strokes = sorted(hit + turn * loop_s for hit in hits_s for turn in range(-reach - 1, 2))
    # Every corner stands on the grid: times rounded to it, and each stroke moved onto it (by at most 0.05 ms).
    duck = _on_grid(duck)
    strokes = [round(stroke / GRID_S) * GRID_S for stroke in strokes]
    shape = np.array(_stroke_times(duck))
    ticks = np.round((np.array(strokes)[:, None] + shape).ravel() / GRID_S).astype(np.int64)
    starts = np.array(strokes) - duck.lookahead_ms / 1000
    start_ticks = np.round(starts / GRID_S).astype(np.int64)
    last_tick = round(end / GRID_S)
    there = np.zeros(last_tick + 1, dtype=bool)
    there[ticks[(ticks >= 0) & (ticks <= last_tick)]] = True
    there[[0, last_tick]] = True
    inside = np.flatnonzero(there)
    times: Samples = np.asarray(inside * GRID_S, dtype=np.float64)
    gain = np.zeros(times.size)
    floor = 0.0  # gain from which the newest stroke fell
    for index, (stroke, tick) in enumerate(zip(strokes, start_ticks, strict=True)):
        later = start_ticks[index + 1] if index + 1 < len(strokes) else last_tick + 1
        first, last = np.searchsorted(inside, [tick, later]).tolist()
        now = slice(first, last)
        gain[now] = _from(duck, floor, times[now] - stroke)
        floor = float(_from(duck, floor, np.array([later * GRID_S - stroke]))[0])
    return GainRows(np.round(times, 4), np.round(gain, 4) + 0.0)


def _on_grid(duck: Duck) -> Duck:
    """The duck with its times rounded to the grid."""
    grid_ms = 1000 * GRID_S
    names = ("lookahead_ms", "fall_ms", "hold_ms", "return_ms")
    return duck.model_copy(update={name: round(getattr(duck, name) / grid_ms) * grid_ms for name in names})


def _from(duck: Duck, present_db: float, time_s: Samples) -> Samples:
    """One stroke that starts its fall at `present_db` instead of 0."""
    fall = np.clip((time_s + duck.lookahead_ms / 1000) / (duck.fall_ms / 1000), 0, 1)
    ordinary = stroke_db(duck, time_s)
    falling = present_db + (-duck.depth_db - present_db) * fall
    # Ticks are multiples of the grid: what is within a millionth of the corner is the corner.
    return np.where(fall < 1 - 1e-6, falling, ordinary)


def rows_to_gain(rows: GainRows, total_frames: int, *, sample_rate: int) -> Samples:
    """Gain factor at every sample, (total_frames,): linear in dB between rows."""
    time = np.arange(total_frames) / sample_rate
    gain_db = np.interp(time, rows.at_s, rows.gain_db)
    moving = gain_db != 0
    out = np.ones(total_frames)
    out[moving] = np.exp(gain_db[moving] * (math.log(10) / 20))
    return out

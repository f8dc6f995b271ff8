"""A part's own starts left out of its gain: up for a while from each, whatever keys the curve (method: ducking)."""

from __future__ import annotations

import numpy as np

from juglant.core.duck.curve import GRID_S, LONGEST_STEP_S, GainRows
from juglant.core.types import Samples

# The gain comes up just ahead of a start, and goes down again behind what is spared, this fast.
UP_S, DOWN_S = 0.004, 0.004
# Less than this is not down.
NEARLY_DB = 0.05


def spared(rows: GainRows, starts_s: list[float], spare_ms: float) -> GainRows:
    """Rows of one pass with a part's own starts left alone for so long; the same where there is nothing to leave alone."""
    if spare_ms <= 0 or not starts_s or not np.any(rows.gain_db):
        return rows
    loop_s, at = float(rows.at_s[-1]), rows.at_s
    windows = [_window(rows, round(start / GRID_S) * GRID_S, spare_ms / 1000) for start in starts_s]
    for start, since, _ in windows:
        steps = int(np.ceil((since[-1] - since[0]) / LONGEST_STEP_S))
        more = np.concatenate((since, np.linspace(since[0], since[-1], steps + 1))) + start
        at = np.concatenate((at, np.round(more % loop_s / GRID_S) * GRID_S))
    at = np.unique(np.round(at, 4))
    gain = np.interp(at, rows.at_s, rows.gain_db)
    for start, since, left in windows:
        away = (at - start + loop_s / 2) % loop_s - loop_s / 2
        gain = gain * np.interp(np.round(away, 5), since, left)
    return GainRows(at, np.round(gain, 4) + 0.0)


def _window(rows: GainRows, start_s: float, spare_s: float) -> tuple[float, Samples, Samples]:
    """A start, corners around it in seconds, and what is left of the gain at each, 0 to 1."""
    before = (start_s - 2 * UP_S) % float(rows.at_s[-1])
    down = np.interp(before, rows.at_s, rows.gain_db) < -NEARLY_DB
    # A gain that only now goes down, for a key that comes with this start, does not begin before it either.
    back, up = (UP_S, -GRID_S) if down else (2 * UP_S + GRID_S, -2 * UP_S)
    # A tick more on both sides: a start may lie half of one beside the grid.
    return start_s, np.array([-back, up, spare_s + GRID_S, spare_s + GRID_S + DOWN_S]), np.array([1.0, 0.0, 0.0, 1.0])

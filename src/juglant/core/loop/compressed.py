"""The gain of a part where a keyed compressor stands in for the curve."""

from __future__ import annotations

import numpy as np

from juglant.core.duck.compressor import RATE, compressor_gain
from juglant.core.duck.curve import GRID_S, LONGEST_STEP_S, GainRows, end_s
from juglant.core.loop.key_sound import level_of_key
from juglant.core.model.duck import Duck, KeyedCompressor
from juglant.core.model.track import Track
from juglant.core.types import Samples


def make_up_db(gain_db: Samples, one: KeyedCompressor) -> float:
    """Make-up gain, dB: none, by hand, or what a gain (ms,) takes of the energy of a steady sound."""
    if one.make_up == "off":
        return 0.0
    if one.make_up == "manual":
        return one.make_up_db
    return float(-10 * np.log10(np.mean(10 ** (gain_db / 10))))


def driven_gain(track: Track, duck: Duck) -> tuple[Samples, float]:
    """A compressor's gain over the loop without make-up, (ms,), dB, as on its second pass; and the make-up, dB."""
    one = duck.compressor
    level = np.roll(level_of_key(track, duck.key), -round(one.early_ms * RATE / 1000))
    gain = compressor_gain(level, one)
    return gain, make_up_db(gain, one)


def driven_rows(track: Track, duck: Duck, loop_s: float) -> GainRows:
    """The same as rows at most 0.5 ms apart where the gain moves, make-up in."""
    gain, more = driven_gain(track, duck)
    end = end_s(loop_s)
    at = np.append(np.arange(0.0, end - GRID_S / 2, LONGEST_STEP_S), end)
    values = np.round(np.interp(at, (np.arange(gain.size) + 0.5) / RATE, gain, period=loop_s) + more, 4) + 0.0
    # Where neighbours on both sides are the same, nothing is lost by leaving a row out.
    moves = np.diff(values) != 0
    kept = np.concatenate(([True], moves[:-1] | moves[1:], [True])) if values.size > 2 else np.ones(values.size, bool)
    return GainRows(np.round(at[kept], 4), values[kept])

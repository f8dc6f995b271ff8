"""A part through the gain it is ducked by: all of it or its lows, with its reverb and delay or before them."""

from __future__ import annotations

import numpy as np

from juglant.core.chain.delay import Delay
from juglant.core.chain.registry import AnyProcessor, process
from juglant.core.chain.reverb import Reverb
from juglant.core.duck.part_curves import curves_of
from juglant.core.loop.gain import bands, part_gain
from juglant.core.model.hit import Hit
from juglant.core.model.track import Track
from juglant.core.signal.envelope import frames_of
from juglant.core.signal.wrap import wrapped
from juglant.core.types import Samples

# What rings on has rung out in this time, whatever came before.
WARM_MS = 8000.0


def unducked(track: Track, part: str, stem: Samples) -> Samples:
    """A part's stem as its gain finds it: with a split the sum of both bands, which is an all-pass of it."""
    moved, rest = bands(track, part, stem)
    return moved if rest is None else np.asarray(moved + rest)


def ducked(track: Track, part: str, stem: Samples) -> Samples:
    """A part's stem, (loop_frames,) or (2, loop_frames), as it is heard; the same where nothing ducks it."""
    if not curves_of(track, part):
        return stem
    moved, rest = bands(track, part, stem)
    moved = moved * part_gain(track, part, stem.shape[-1])
    return moved if rest is None else np.asarray(moved + rest)


def _ending(hit: Hit) -> int:
    """Where in a hit's bus the reverb and delay begin that end it; the whole length where none does."""
    if not hit.bind:
        return len(hit.bus)
    first = len(hit.bus)
    while first and (not hit.bus[first - 1].on or isinstance(hit.bus[first - 1], (Reverb, Delay))):
        first -= 1
    return first


def ringing(hit: Hit) -> tuple[AnyProcessor, ...]:
    """The reverb and delay that end a hit's bus, where it is bound."""
    return tuple(one for one in hit.bus[_ending(hit) :] if one.on)


def without_ringing(hit: Hit) -> Hit:
    """The hit without what ends its bus."""
    return hit.model_copy(update={"bus": hit.bus[: _ending(hit)]})


def rung(chain: tuple[AnyProcessor, ...], stem: Samples, *, sample_rate: int, bpm: float) -> Samples:
    """A loop through reverb and delay as on its second pass, shaped as `stem` or in two channels."""
    rows = np.atleast_2d(stem)
    warm = min(frames_of(WARM_MS, sample_rate), 64 * rows.shape[1])
    long = np.stack([wrapped(row, warm, 0) for row in rows])
    wet = process(chain, long, sample_rate=sample_rate, bpm=bpm)[-1][:, warm : warm + rows.shape[1]]
    return wet[0] if wet.shape[0] == 1 and stem.ndim == 1 else wet

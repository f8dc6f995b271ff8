"""A part through the gain it is ducked by: all of it or its lows, with its reverb and delay or before them."""

from __future__ import annotations

import numpy as np

from juglant.core.chain.delay import Delay
from juglant.core.chain.registry import AnyProcessor, process
from juglant.core.chain.reverb import Reverb
from juglant.core.duck.targets import curves_of, part_gain, target_of
from juglant.core.model.hit import Hit
from juglant.core.model.track import Track
from juglant.core.signal.crossover import high_branch, low_branch
from juglant.core.signal.envelope import frames_of
from juglant.core.signal.filters import filter_loop
from juglant.core.signal.wrap import wrapped
from juglant.core.types import Samples

# What rings on has rung out in this time, whatever came before.
WARM_MS = 8000.0


def moved_band(track: Track, part: str, stem: Samples) -> Samples:
    """What of a part's stem its gain works on: all of it, or what lies below the split, shaped as `stem`."""
    target = target_of(track, part)
    if not target.split:
        return stem
    rate = track.sheet.sample_rate
    return filter_loop(stem, low_branch(target.split_hz, sample_rate=rate), sample_rate=rate)


def unducked(track: Track, part: str, stem: Samples) -> Samples:
    """A part's stem as its gain finds it: with a split the sum of both bands, which is an all-pass of it."""
    target = target_of(track, part)
    if not target.split or not curves_of(track, part):
        return stem
    rate = track.sheet.sample_rate
    high = filter_loop(stem, high_branch(target.split_hz, sample_rate=rate), sample_rate=rate)
    return np.asarray(moved_band(track, part, stem) + high)


def ducked(track: Track, part: str, stem: Samples) -> Samples:
    """A part's stem, (loop_frames,) or (2, loop_frames), as it is heard; the same where nothing ducks it."""
    if not curves_of(track, part):
        return stem
    gain = part_gain(track, part, stem.shape[-1])
    if not target_of(track, part).split:
        return stem * gain
    return np.asarray(unducked(track, part, stem) + moved_band(track, part, stem) * (gain - 1))


def ringing(hit: Hit) -> tuple[AnyProcessor, ...]:
    """The reverb and delay that end a hit's bus, where it is bound."""
    if not hit.bind:
        return ()
    kept = list(hit.bus)
    out: list[AnyProcessor] = []
    while kept and (not kept[-1].on or isinstance(kept[-1], (Reverb, Delay))):
        last = kept.pop()
        out += [last] if last.on else []
    return tuple(reversed(out))


def without_ringing(hit: Hit) -> Hit:
    """The hit without what ends its bus."""
    off = {id(one) for one in ringing(hit)}
    return hit.model_copy(
        update={"bus": tuple(one.model_copy(update={"on": False}) if id(one) in off else one for one in hit.bus)}
    )


def rung(chain: tuple[AnyProcessor, ...], stem: Samples, *, sample_rate: int, bpm: float) -> Samples:
    """A loop through reverb and delay as on its second pass, shaped as `stem` or in two channels."""
    rows = np.atleast_2d(stem)
    warm = min(frames_of(WARM_MS, sample_rate), 64 * rows.shape[1])
    long = np.stack([wrapped(row, warm, 0) for row in rows])
    wet = process(chain, long, sample_rate=sample_rate, bpm=bpm)[-1][:, warm : warm + rows.shape[1]]
    return wet[0] if wet.shape[0] == 1 and stem.ndim == 1 else wet

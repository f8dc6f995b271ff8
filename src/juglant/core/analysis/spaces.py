"""A ducked part's reverb and delay, before or after its duck: how long each rings, and what of it is under the key."""

from __future__ import annotations

from dataclasses import dataclass
from typing import get_args

import numpy as np

from juglant.core.chain.registry import process
from juglant.core.duck.part_curves import curves_of
from juglant.core.duck.strokes import Activity
from juglant.core.hit.render import folded
from juglant.core.hit.strokes import cached_stroke, stroke_tempo
from juglant.core.loop.ducked import ringing, without_ringing
from juglant.core.loop.gain import part_gain
from juglant.core.loop.place import loop_frames
from juglant.core.loop.render import render_stem
from juglant.core.model.duck import Space
from juglant.core.model.ids import BASS_PART, KICK_ID
from juglant.core.model.stem import StemRef
from juglant.core.model.track import Track
from juglant.core.types import Samples

# A tail is over when it stays this far under the loudest of it, by 20 ms means; it is followed so long.
TAIL_DB, MEAN_MS, LONGEST_S = -60.0, 20.0, 6.0


@dataclass(frozen=True)
class SpaceCost:
    """One order: the tail of one stroke, ms, and the part's level while the key needs room, re the same un-ducked, dB."""

    space: Space
    tail_ms: float
    under_key_db: float | None


def space_costs(track: Track, part: str, strokes: list[Activity]) -> list[SpaceCost]:
    """Both orders of a part that has reverb or delay at the end of its bus and is ducked; empty for any other."""
    if part in (BASS_PART, KICK_ID) or not curves_of(track, part) or not ringing(track.hit_of(part).hit):
        return []
    out = []
    for space in get_args(Space):
        made = track.with_part(part, ducked=track.part(part).ducked.model_copy(update={"space": space}))
        out.append(SpaceCost(space, _tail_ms(made, part, space), _under_key_db(made, part, strokes)))
    return out


def _tail_ms(track: Track, part: str, space: Space) -> float:
    """How long one full stroke at the part's first place rings, ms."""
    rate, one = track.sheet.sample_rate, track.hit_of(part)
    tempo = stroke_tempo(one.hit, track.sheet.bpm)
    dry = np.atleast_2d(cached_stroke(without_ringing(one.hit), 127, 0, rate, tempo).audio)
    dry = np.pad(dry, ((0, 0), (0, round(LONGEST_S * rate))))
    played = track.played(one)
    start = round(played[0].at_beats * 60 / track.sheet.bpm * rate) if played else 0
    gain = part_gain(track, part, loop_frames(track))[(start + np.arange(dry.shape[1])) % loop_frames(track)]
    chain = ringing(one.hit)
    if space == "rings on":
        wet = process(chain, dry * gain, sample_rate=rate, bpm=track.sheet.bpm)[-1]
    else:
        wet = process(chain, dry, sample_rate=rate, bpm=track.sheet.bpm)[-1][:, : gain.size] * gain
    return tail_ms(folded(wet), sample_rate=rate)


def tail_ms(audio: Samples, *, sample_rate: int) -> float:
    """From the start of a sound (frames,) until it stays 60 dB under its loudest 20 ms, ms; 0 for silence."""
    step = max(1, round(MEAN_MS * sample_rate / 1000))
    count = audio.size // step
    power = np.mean(audio[: count * step].reshape(count, step) ** 2, axis=1)
    if not power.size or power.max() <= 0:
        return 0.0
    loud = np.flatnonzero(power > power.max() * 10 ** (TAIL_DB / 10))
    return float((loud[-1] + 1) * MEAN_MS)


def _under_key_db(track: Track, part: str, strokes: list[Activity]) -> float | None:
    rate, own = track.sheet.sample_rate, StemRef(part)
    heard, plain = (folded(render_stem(track, one)) for one in (own, own.of("unducked")))
    inside = np.zeros(heard.size, dtype=bool)
    for one in strokes:
        span = np.arange(round((one.hit_s + max(0.0, one.start_s)) * rate), round((one.hit_s + one.end_s) * rate))
        inside[span % heard.size] = True
    whole, left = (float(np.sum(x[inside] ** 2)) for x in (plain, heard))
    return float(10 * np.log10(max(left / whole, 1e-12))) if whole > 0 else None

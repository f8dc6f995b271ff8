"""When each key of a curve needs room: from the key itself to the end of its own active part (method: ducking)."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from juglant.core.duck.keys import key_beats
from juglant.core.duck.part_curves import first_curve, starts_beats
from juglant.core.measure.bands import FRAME_S
from juglant.core.model.duck import Duck
from juglant.core.model.ids import BASS_PART
from juglant.core.model.track import Track
from juglant.core.types import Mask, Samples

RETURN_SHARE = 0.85
SAME_S = 1e-6


@dataclass(frozen=True)
class Activity:
    """When one stroke needs room, in seconds against its key hit, and when the part should be back."""

    hit_s: float
    start_s: float
    end_s: float
    recovery_s: float
    next_hit_s: float


def activities(track: Track, active: Mask, part: str = BASS_PART, duck: Duck | None = None) -> list[Activity]:
    """Active part and recovery point of every key of a part's curve; active: (frames,) of 20 ms from the loop's start.

    duck: the curve, by default the part's first; it is keyed by what it says and must be back for the part's own notes.
    """
    sheet, duck = track.sheet, duck or first_curve(track, part)
    beat_s = 60 / sheet.bpm
    loop_s = sheet.length_beats * beat_s
    hits = [at * beat_s for at in key_beats(track, duck.key)]
    if not hits:
        return []
    notes = [at * beat_s for at in starts_beats(track, part)]
    starts = np.asarray(np.flatnonzero(active) * FRAME_S, dtype=np.float64)
    gaps = [(hits[(i + 1) % len(hits)] - hit) % loop_s or loop_s for i, hit in enumerate(hits)]
    ends = [_active_end(starts, hit, gap, loop_s) for hit, gap in zip(hits, gaps, strict=True)]
    # Where the kick rests a key asks for the room that it asks for elsewhere.
    usual = max(ends)
    out = []
    for hit, gap, own in zip(hits, gaps, ends, strict=True):
        end = own if own > 0 else min(usual, gap)
        after = [(note - hit) % loop_s for note in notes]
        kept = [place for place in after if end - 1e-6 <= place < gap - 1e-6 and place > 1e-6]
        if duck.recovery_beats is not None:
            recovery = min(duck.recovery_beats * beat_s, gap)
        else:
            recovery = min(kept) if kept else RETURN_SHARE * gap
        out.append(Activity(hit, 0.0, end, recovery, hit + gap))
    return out


def held_activities(track: Track, part: str, duck: Duck, hold_s: float) -> list[Activity]:
    """The same of a curve whose keys each need room for so long, and no longer than to the next of them."""
    sheet = track.sheet
    beat_s = 60 / sheet.bpm
    loop_s = sheet.length_beats * beat_s
    hits = [at * beat_s for at in key_beats(track, duck.key)]
    own, out = [at * beat_s for at in starts_beats(track, part)], []
    for index, hit in enumerate(hits):
        gap = (hits[(index + 1) % len(hits)] - hit) % loop_s or loop_s
        end = min(hold_s, gap)
        kept = [since for at in own if end <= (since := (at - hit) % loop_s) < gap - SAME_S]
        out.append(Activity(hit, 0.0, end, min(kept, default=max(end, RETURN_SHARE * gap)), hit + gap))
    return out


def _active_end(starts: Samples, hit: float, gap: float, loop_s: float) -> float:
    """The end of the last active frame that begins between a key and the next, seconds after it; 0 where there is none."""
    offset = (starts - hit) % loop_s
    own = offset[offset < gap - 1e-9]
    return min(float(own.max()) + FRAME_S, gap) if own.size else 0.0

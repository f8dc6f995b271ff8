"""Hits of the kit that ring into each other and beat, and what is left once they cut each other."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import combinations

import numpy as np

from juglant.core.hit.render import folded
from juglant.core.memory import remembered
from juglant.core.mix.choke import group_of
from juglant.core.mix.render import render_stem, stem_description
from juglant.core.model.kit import CONTEXT, KICK_ID, MOST_GROUPS, KitHit
from juglant.core.model.stem import KICK, StemRef
from juglant.core.model.track import Track
from juglant.core.music.tempo import beat_ms
from juglant.core.tune.beats import FASTEST_HZ, HIGHEST_HZ, LoopPartials, near_partials, together
from juglant.core.tune.hit_pitch import hit_pitch


@dataclass(frozen=True)
class Ringing:
    """Two hits that ring at once: beats heard in their longest meeting, the partials that beat, and its place."""

    one: str
    other: str
    beats: float
    one_hz: float
    other_hz: float
    overlap_s: float
    at_beats: float


@remembered()
def _partials(description: Track, ref: StemRef) -> LoopPartials:
    """Partials of a stem, remembered by what it is made from."""
    return LoopPartials(folded(render_stem(description, ref)), description.sheet.sample_rate)


def _partials_of(track: Track, one: KitHit) -> LoopPartials:
    ref = KICK.of("before") if one.id == KICK_ID else StemRef(one.id)
    return _partials(stem_description(track, ref), ref)


def ringing(track: Track, one: KitHit, other: KitHit) -> Ringing | None:
    """The longest beating of two hits in the low band where both ring, None where there is none."""
    here, there = hit_pitch(track, one).used_hz, hit_pitch(track, other).used_hz
    if here is None or there is None:
        return None
    near = [pair for pair in near_partials(here, there) if 0 < abs(pair[0] - pair[1]) < FASTEST_HZ]
    if not near:
        return None
    first, second = _partials_of(track, one), _partials_of(track, other)
    peak = max(first.low_band_peak(), second.low_band_peak())
    found = []
    for one_hz, other_hz, _ in near:
        both = together(first.envelope(one_hz), second.envelope(other_hz), peak=peak)
        start, length = _longest(both)
        overlap_s = length / first.rate
        beats = abs(one_hz - other_hz) * overlap_s
        at_beats = 1000 * start / first.rate / beat_ms(track.sheet.bpm)
        found.append(Ringing(one.id, other.id, beats, one_hz, other_hz, overlap_s, at_beats))
    best = max(found, key=lambda pair: pair.beats)
    return best if best.beats > 0 else None


def _longest(mask: np.ndarray) -> tuple[int, int]:
    """Start and length of the longest stretch of a mask, (frames,)."""
    edges = np.flatnonzero(np.diff(np.concatenate(([0], mask.astype(np.int8), [0]))))
    if not edges.size:
        return 0, 0
    starts, ends = edges[::2], edges[1::2]
    best = int(np.argmax(ends - starts))
    return int(starts[best]), int(ends[best] - starts[best])


def ringings(track: Track) -> list[Ringing]:
    """Every pair of pitched hits that is not yet of one choke group and swells, the strongest first."""
    hits = [one for one in track.hits() if one.role not in ("rumble", CONTEXT) and one.strokes and _is_low(track, one)]
    pairs = [
        found
        for one, other in combinations(hits, 2)
        if not (one.choke and one.choke == other.choke) and (found := ringing(track, one, other)) is not None
    ]
    return sorted((pair for pair in pairs if pair.beats >= track.limits.beats_swell), key=lambda pair: -pair.beats)


def _is_low(track: Track, one: KitHit) -> bool:
    used_hz = hit_pitch(track, one).used_hz
    return used_hz is not None and used_hz <= HIGHEST_HZ


def choked(track: Track, one_id: str, other_id: str) -> Track:
    """The track with two hits in one choke group: the one that either has, else the first that is free."""
    groups = {part: group_of(track, part) for part in (one_id, other_id)}
    taken = {one.choke for one in track.hits()} | {track.mix.bass_choke}
    free = next((group for group in range(1, MOST_GROUPS + 1) if group not in taken), 1)
    group = groups[one_id] or groups[other_id] or free
    for part in (one_id, other_id):
        if part == KICK_ID:
            track = track.model_copy(update={"mix": track.mix.model_copy(update={"kick_choke": group})})
        else:
            kit = tuple(one.model_copy(update={"choke": group}) if one.id == part else one for one in track.kit)
            track = track.model_copy(update={"kit": kit})
    return track

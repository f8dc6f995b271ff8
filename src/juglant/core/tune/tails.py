"""Pitched low parts that ring into each other and beat, and what is left once they cut each other.

Every pair of hits, and every hit against the bass line; the kick against the line is judged note by note (`line.py`).
"""

from __future__ import annotations

from dataclasses import dataclass
from itertools import combinations

from juglant.core.analysis.beats import (
    FASTEST_HZ,
    HIGHEST_HZ,
    PARTIAL_RANGE_DB,
    LoopPartials,
    beating_by_note,
    longest_stretch,
    near_partials,
    together,
)
from juglant.core.hit.render import folded
from juglant.core.loop.pitched import pitches_hz, strokes_in_cents
from juglant.core.loop.render import render_stem, stem_made_of
from juglant.core.memory import remembered
from juglant.core.model.ids import BASS_PART, CONTEXT, KICK_ID
from juglant.core.model.part import MOST_GROUPS, Part
from juglant.core.model.stem import StemRef
from juglant.core.model.track import Track
from juglant.core.music.tempo import beat_ms
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


class _Stem:
    """A stem of a track, which goes with a text that says all it is made from."""

    def __init__(self, track: Track, ref: StemRef) -> None:
        self.track, self.ref = track, ref

    def __eq__(self, other: object) -> bool:
        return isinstance(other, _Stem)

    def __hash__(self) -> int:
        return 0


@remembered()
def _partials(made_of: str, stem: _Stem) -> LoopPartials:
    """Partials of a stem as it is heard, remembered by what it is made from."""
    return LoopPartials(folded(render_stem(stem.track, stem.ref)), stem.track.sheet.sample_rate)


def _partials_of(track: Track, part: str) -> LoopPartials:
    ref = StemRef(part)
    return _partials(stem_made_of(track, ref), _Stem(track, ref))


def bass_ringing(track: Track, one: Part, note_hz: dict[int, float]) -> Ringing | None:
    """A hit against the note of the bass line it beats with most, None where none is heard.

    note_hz: measured fundamental of each number of the line.
    """
    pitch = hit_pitch(track, one)
    if pitch.used_hz is None or not note_hz or not track.notes():
        return None
    landed_ms = pitch.landing.landed_ms or 0.0
    found = beating_by_note(
        track,
        _partials_of(track, one.id),
        _partials_of(track, BASS_PART),
        strokes_in_cents(track, one),
        landing_hz=pitch.used_hz,
        settled_s=max(0.0, landed_ms - pitch.lead_ms) / 1000,
        note_hz=note_hz,
    )
    best = max((beating for beating in found if beating is not None), key=lambda beating: beating.beats, default=None)
    if best is None:
        return None
    return Ringing(one.id, BASS_PART, best.beats, best.kick_hz, best.bass_hz, best.overlap_s, best.at_beats)


def ringing(track: Track, one: Part, other: Part) -> Ringing | None:
    """The longest beating of two hits in the low band where both ring, None where there is none."""
    here, there = hit_pitch(track, one).used_hz, hit_pitch(track, other).used_hz
    if here is None or there is None:
        return None
    near = {
        (first, second)
        for here_hz in pitches_hz(track, one, here)
        for there_hz in pitches_hz(track, other, there)
        for first, second, _ in near_partials(here_hz, there_hz)
        if 0 < abs(first - second) < FASTEST_HZ
    }
    if not near:
        return None
    first, second = _partials_of(track, one.id), _partials_of(track, other.id)
    peak = max(first.low_band_peak(), second.low_band_peak())
    mine, others = (
        {hz: part.envelope(hz) for hz in {pair[at] for pair in near}} for at, part in enumerate((first, second))
    )
    loudest = max(float(level.max()) for level in (*mine.values(), *others.values()))
    floor = 10 ** (-PARTIAL_RANGE_DB / 20) * loudest
    found = []
    for one_hz, other_hz in sorted(near):
        if min(mine[one_hz].max(), others[other_hz].max()) < floor:
            continue
        start, length = longest_stretch(together(mine[one_hz], others[other_hz], peak=peak))
        overlap_s = length / first.rate
        beats = abs(one_hz - other_hz) * overlap_s
        at_beats = 1000 * start / first.rate / beat_ms(track.sheet.bpm)
        found.append(Ringing(one.id, other.id, beats, one_hz, other_hz, overlap_s, at_beats))
    best = max(found, key=lambda pair: pair.beats, default=None)
    return best if best is not None and best.beats > 0 else None


def ringings(track: Track, note_hz: dict[int, float]) -> list[Ringing]:
    """Every pair of pitched low parts that is not yet of one choke group and swells, the strongest first.

    note_hz: measured fundamental of each number of the bass line.
    """
    hits = [one for one in track.hits() if one.role not in ("rumble", CONTEXT) and one.strokes and _is_low(track, one)]
    pairs = [ringing(track, *two) for two in combinations(hits, 2) if not _cut_each_other(track, two[0].id, two[1].id)]
    pairs += [
        bass_ringing(track, one, note_hz)
        for one in hits
        if one.id != KICK_ID and not _cut_each_other(track, one.id, BASS_PART)
    ]
    swell = track.limits.beats_swell
    return sorted((pair for pair in pairs if pair is not None and pair.beats >= swell), key=lambda pair: -pair.beats)


def left_of(track: Track, pair: Ringing, note_hz: dict[int, float]) -> Ringing | None:
    """The same two parts in another track, None where they do not beat there."""
    one = track.hit_of(pair.one)
    return bass_ringing(track, one, note_hz) if pair.other == BASS_PART else ringing(track, one, track.hit_of(pair.other))


def _cut_each_other(track: Track, one_id: str, other_id: str) -> bool:
    group = track.part(one_id).choke
    return bool(group) and group == track.part(other_id).choke


def _is_low(track: Track, one: Part) -> bool:
    used_hz = hit_pitch(track, one).used_hz
    return used_hz is not None and min(pitches_hz(track, one, used_hz)) <= HIGHEST_HZ


def choked(track: Track, one_id: str, other_id: str) -> Track:
    """The track with two hits in one choke group: the one that either has, else the first that is free."""
    taken = {one.choke for one in track.parts}
    free = next((group for group in range(1, MOST_GROUPS + 1) if group not in taken), 1)
    group = track.part(one_id).choke or track.part(other_id).choke or free
    return track.with_part(one_id, choke=group).with_part(other_id, choke=group)

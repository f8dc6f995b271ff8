"""Room for a featured part: every other part goes down while it sounds, by as much as they are in each other's way.

Over all third octaves (method: any pair, a featured part): how far the part is over each other in its active cells; what
lacks of +6 dB, graded by the other's role and within a cap, is the depth of a duck keyed by it, with its times from its own
length. A part that sounds most of the loop leaves no place to duck: a cut is made instead.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np

from juglant.core.analysis.duck_aims import PAIR_GOAL_DB, part_title
from juglant.core.analysis.pairs import cut_full, pair_figures, with_cut
from juglant.core.analysis.part_duck import lowest_hz
from juglant.core.analysis.stem_bands import all_bands_of
from juglant.core.duck.part_curves import starts_beats
from juglant.core.duck.shaped import shaped
from juglant.core.duck.strokes import activities
from juglant.core.errors import InvalidTrack
from juglant.core.loop.groups import own_ids
from juglant.core.model.carve import Move
from juglant.core.model.duck import MOST_CURVES, Duck, Key
from juglant.core.model.ids import BASS_PART, KICK_ID
from juglant.core.model.stem import StemRef
from juglant.core.model.track import Track
from juglant.core.plans.duck_return import shortest_return_ms
from juglant.core.progress import steps
from juglant.core.separate.clearance import Contest, find_pair, kick_clearance
from juglant.core.types import Mask

# A duck this shallow is not heard; of a part that sounds for more of the loop than this there is no other time.
LEAST_DB, MOST_SHARE = 0.5, 0.8
# How much of what lacks another part gives: hats hardly, the kick, which carries the beat, nothing (this project's choice).
GRADES = {"hat": 0.25, "open hat": 0.25, "kick": 0.0}
How = Literal["duck", "cut", "none"]


@dataclass(frozen=True)
class Given:
    """What one part gives: how far the featured part is over it before and after, dB; how, how deep, or why not."""

    part: str
    name: str
    before_db: float
    after_db: float
    how: How
    depth_db: float
    why: str


@dataclass(frozen=True)
class Featured:
    """The track with room for a part, what each other part gives for it, and how much of the loop it sounds."""

    track: Track
    given: tuple[Given, ...]
    share: float


def _contest(track: Track, part: str, other: str) -> Contest:
    strokes = [at * 60 / track.sheet.bpm for at in starts_beats(track, part)]
    own, theirs = (all_bands_of(track, StemRef(one, "before")) for one in (part, other))
    return find_pair(own, theirs, strokes)


def _clear(track: Track, part: str, other: str, contest: Contest) -> float | None:
    own, theirs = (all_bands_of(track, StemRef(one)) for one in (part, other))
    return kick_clearance(own, theirs, contest)


def key_of(part: str) -> Key:
    """What is keyed by a part: its strokes, or the notes of the bass."""
    if part == BASS_PART:
        return Key(kind="notes")
    return Key(kind="kick") if part == KICK_ID else Key(kind="hits", hit_ids=(part,))


def without_room_for(track: Track, part: str) -> Track:
    """The track without the curves that make room for a part on others; a kick's and the bass's own first stay."""
    key = key_of(part)
    for each in track.parts:
        own = each.ducked
        # What the bass and the kick are separated by is no room for a part.
        first = own.curves[:1] if each.id == BASS_PART else ()
        kept = (*first, *(one for one in own.curves[len(first) :] if one.key != key))
        if kept != own.curves:
            track = track.with_part(each.id, ducked=own.model_copy(update={"curves": kept}))
    return track


def with_room_for(track: Track, part: str, cap_db: float) -> Featured:
    """The track with every other part out of a part's way, no further than a cap in all; made anew if it was before.

    Raises NoSuchPart, and InvalidTrack for the kick, which has a step of its own, and for a part that is never struck.
    """
    name = part_title(track, part)
    if part == KICK_ID:
        raise InvalidTrack("room for the kick is made by Separate and Duck: choose another part")
    if not starts_beats(track, part):
        raise InvalidTrack(f"{name} is not struck in this loop: there is no time to make room in")
    track = without_room_for(track, part)
    own = all_bands_of(track, StemRef(part, "before"))
    active = find_pair(own, own, ()).active_any()
    share, given = float(np.mean(active)), list[Given]()
    for other in steps([one for one in own_ids(track) if one != part]):
        contest = _contest(track, part, other)
        before = _clear(track, part, other, contest)
        if before is None:
            continue
        track, found = _given(track, part, other, before, active, share, cap_db)
        after = _clear(track, part, other, contest)
        given.append(Given(other, part_title(track, other), before, before if after is None else after, *found))
    return Featured(track, tuple(given), share)


def _role(track: Track, part: str) -> str:
    return "bass" if part == BASS_PART else track.hit_of(part).role


def _given(
    track: Track, part: str, other: str, clear_db: float, active: Mask, share: float, cap_db: float
) -> tuple[Track, tuple[How, float, str]]:
    grade = GRADES.get(_role(track, other), 1.0)
    depth = round(min(cap_db, grade * (PAIR_GOAL_DB - clear_db)), 1)
    if depth < LEAST_DB:
        why = "it carries the beat" if grade == 0 and clear_db < PAIR_GOAL_DB else "it is not in the way"
        return track, ("none", 0.0, why)
    if share > MOST_SHARE:
        return _cut(track, part, other, cap_db)
    target = track.part(other).ducked
    if target.follows is not None:
        return track, ("none", 0.0, f"it follows {part_title(track, target.follows)}: unlink it first")
    if len(target.curves) >= MOST_CURVES:
        return track, ("none", 0.0, f"it has {MOST_CURVES} curves already: remove one first")
    curve = Duck(on=True, key=key_of(part))
    strokes = activities(track, active, other, curve)
    if not strokes:
        return track, ("none", 0.0, "nothing keys it")
    made, _ = shaped(curve, strokes, depth, shortest_ms=shortest_return_ms(lowest_hz(track, other)))
    more = target.model_copy(update={"curves": (*target.curves, made)})
    return track.with_part(other, ducked=more), ("duck", depth, "")


def _cut(track: Track, part: str, other: str, cap_db: float) -> tuple[Track, tuple[How, float, str]]:
    """One bell where the two meet most: of a part that sounds all the time there is no moment to give."""
    if full := cut_full(track, other):
        return track, ("none", 0.0, full)
    cuts = [one.cut for one in pair_figures(track, part, other).zones if one.cut is not None and one.short_db > LEAST_DB]
    if not cuts:
        return track, ("none", 0.0, "no zone of it lacks anything")
    deepest = min(cuts, key=lambda cut: cut.gain_db)
    gain_db = max(-cap_db, deepest.gain_db)
    move = Move(frequency_hz=deepest.frequency_hz, gain_db=gain_db, q=deepest.q)
    return with_cut(track, other, move), ("cut", -gain_db, f"at {deepest.frequency_hz:.0f} Hz")

"""What a part is ducked for: the kick, or hits that key it, where they meet, and how clear of it they shall be."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from juglant.core.analysis.stem_bands import bands_of, kick_strokes
from juglant.core.duck.part_curves import first_curve, starts_beats
from juglant.core.duck.strokes import Activity, activities, held_activities
from juglant.core.hit.render import folded
from juglant.core.loop.render import render_stem
from juglant.core.measure.bands import CENTRES_HZ, all_band_frames, low_band_frames
from juglant.core.model.duck import DEPTH_LIMIT_DB, Duck
from juglant.core.model.ids import BASS_PART, KICK_ID
from juglant.core.model.sheet import LOWEST_ZONE_HZ
from juglant.core.model.stem import KICK, StemRef, StemState
from juglant.core.model.track import Track
from juglant.core.separate.aims import Aim, Standing, aims_of, ducked_aims, furthest, together
from juglant.core.separate.clearance import GOALS, Contest, Goal, find_contest, find_pair
from juglant.core.separate.filters import yielder
from juglant.core.types import Mask, Samples

# Other parts than the bass give way to the kick as a bass does where the kick owns the sub.
OTHERS_GOAL = GOALS["kick"]
# Of any pair the owner is this clear unless it is said otherwise; a part that does not clash is ducked no deeper than that.
PAIR_GOAL_DB, NO_CLASH_DB = 6.0, 2.0


def keys_apart(track: Track, part: str) -> tuple[str, ...]:
    """What keys a part's first curve where the kick is not among it, nor the part itself: the duck is theirs.

    A duck of the kick by the notes of the bass is for the sub, as its owner asks.
    """
    key = first_curve(track, part).key
    if key.kind == "notes":
        return () if part in (BASS_PART, KICK_ID) else (BASS_PART,)
    if key.kind != "hits" or KICK_ID in key.hit_ids or part in key.hit_ids:
        return ()
    return tuple(one.id for one in track.kit if one.id in key.hit_ids and one.strokes)


def keyed_by_notes(track: Track, part: str) -> bool:
    """Whether it is the notes of the bass that key a part's first curve."""
    return first_curve(track, part).key.kind == "notes"


def part_title(track: Track, part: str) -> str:
    """What a part is called."""
    return "Bass" if part == BASS_PART else track.hit_of(part).name


def key_name(track: Track, part: str) -> str:
    """What a part makes room for, by name."""
    if part == KICK_ID and keyed_by_notes(track, part):
        return part_title(track, BASS_PART)
    return " and ".join(part_title(track, one) for one in keys_apart(track, part)) or "Kick"


@dataclass(frozen=True)
class Sides:
    """How a part and what it makes room for are measured: of the kick in the low bands, of other keys over all."""

    track: Track
    keys: tuple[str, ...]

    def frames(self, loop: Samples) -> Samples:
        """Energies of a loop in one channel, (bands, frames)."""
        measure = all_band_frames if self.keys else low_band_frames
        return measure(loop, sample_rate=self.track.sheet.sample_rate)

    def of(self, ref: StemRef) -> Samples:
        """The same of a stem."""
        return self.frames(folded(render_stem(self.track, ref))) if self.keys else bands_of(self.track, ref)

    def strokes_s(self) -> list[float]:
        """Where the keys are struck, seconds."""
        beat_s = 60 / self.track.sheet.bpm
        return [at * beat_s for one in self.keys for at in starts_beats(self.track, one)]

    def owner(self, state: StemState = "heard") -> Samples:
        """The same of what room is made for."""
        if not self.keys:
            return bands_of(self.track, KICK.of(state))
        return self.frames(np.sum([folded(render_stem(self.track, StemRef(one, state))) for one in self.keys], axis=0))


def part_contest(track: Track, part: str) -> Contest:
    """Where the kick, or the hits that key a part, and the part meet, on the before stems; the bass by the sub's owner."""
    keys = keys_apart(track, part)
    if keys:
        both = Sides(track, keys)
        return find_pair(both.owner("before"), both.of(StemRef(part, "before")), both.strokes_s())
    kick = bands_of(track, KICK.of("before"))
    other = bands_of(track, StemRef(part, "before"))
    owner = track.sheet.owner if part == BASS_PART else "kick"
    return find_contest(kick, other, owner, kick_strokes(track), track.sheet.zones)


def part_aims(track: Track, part: str) -> tuple[Aim, ...]:
    """What a part is ducked for: how clear of it the kick shall be, as it says itself, else by the owner of the sub.

    Of the kick: what it owes the bass where that owns the sub and its notes key it; else nothing.
    """
    if part == KICK_ID:
        yields = yielder(track.sheet.owner) == KICK_ID and keyed_by_notes(track, part)
        return aims_of(track.sheet, part_contest(track, BASS_PART)) if yields else ()
    contest, own = part_contest(track, part), track.part(part).ducked.goal_db
    if keys_apart(track, part):
        goal = Goal(PAIR_GOAL_DB, "at_least", CENTRES_HZ[-1])
        aims: tuple[Aim, ...] = (Aim("kick", goal, contest, LOWEST_ZONE_HZ, goal.split_hz),)
    elif part == BASS_PART:
        aims = aims_of(track.sheet, contest)
        # By zones it is ducked up to the lowest that is its own; where that is the lowest of all there is nothing to duck.
        aims = ducked_aims(aims) or aims[:1]
    else:
        aims = (Aim("kick", OTHERS_GOAL, contest, LOWEST_ZONE_HZ, OTHERS_GOAL.split_hz),)
    return aims if own is None else tuple(aim if aim.kick_yields else aim.asking(own) for aim in aims)


def active_of(track: Track, part: str) -> Mask:
    """When the kick, or what keys a part, needs room of it, (frames,) of 20 ms: where they meet, else while it sounds."""
    aims = part_aims(track, part)
    contest = together(aims) if aims else None
    if contest is not None and contest.reason is None:
        return contest.active_any()
    keys = keys_apart(track, part)
    if keys:
        owner = Sides(track, keys).owner("before")
        return find_pair(owner, owner, Sides(track, keys).strokes_s()).active_any()
    return kick_active(track)


def part_strokes(track: Track, part: str, curve: Duck | None = None) -> list[Activity]:
    """When each key of a part's curve (by default its first) needs room: a note that the kick gives way to, as it holds."""
    one = curve or first_curve(track, part)
    if part == KICK_ID and one.key.kind == "notes":
        return held_activities(track, part, one, one.hold_ms / 1000)
    return activities(track, active_of(track, part), part, one)


def kick_active(track: Track) -> Mask:
    """When the kick sounds at all, (frames,): for parts that share no band with it."""
    kick = bands_of(track, KICK.of("before"))
    return find_contest(kick, kick, "kick", kick_strokes(track)).active_any()


def needed_db(now: Standing, part: str = BASS_PART) -> float:
    """How far a part has to go down for a goal, dB: what lacks, within the depth limit; 0 where another part yields."""
    return min(max(now.lack_db, 0.0), DEPTH_LIMIT_DB) if now.aim.kick_yields == (part == KICK_ID) else 0.0


def standing_of(part: str, aims: Sequence[Aim], owner: Samples, own: Samples) -> Standing | None:
    """How aims stand by the energies of their owner and of the part that yields, each (bands, frames)."""
    return furthest(aims, own, owner) if part == KICK_ID else furthest(aims, owner, own)

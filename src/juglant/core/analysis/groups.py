"""What the bus of a group does: to the sum, and to each part of it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from juglant.core.analysis.analyse import contest_of
from juglant.core.analysis.duck_aims import part_title
from juglant.core.analysis.stem_bands import Whatever, bands_of
from juglant.core.chain.looped import process_loop
from juglant.core.duck.part_curves import starts_beats
from juglant.core.errors import NoSuchPart
from juglant.core.hit.render import folded
from juglant.core.hit.stages import StageChange, changes
from juglant.core.loop.groups import Bus, through_bus
from juglant.core.loop.place import loop_frames
from juglant.core.loop.render import group_members, stem_made_of, summed
from juglant.core.measure.bands import low_band_frames
from juglant.core.measure.level import SILENCE_LUFS, db, loop_loudness, true_peak
from juglant.core.memory import elsewhere, newest
from juglant.core.model.group import Group
from juglant.core.model.ids import BASS_PART, KICK_ID
from juglant.core.model.stem import StemRef
from juglant.core.model.track import Track
from juglant.core.progress import steps
from juglant.core.separate.clearance import find_pair, kick_clearance
from juglant.core.types import Samples

FRAME_MS = 10.0
LEAST_FACTOR = 1e-6
# A gain that never goes further down is not caused by anybody.
LEAST_DB = 0.05


@dataclass(frozen=True)
class OnBus:
    """One part on a bus: its own loudness behind it less that before, LU; how much of what the bus takes off at most it
    causes, dB; the kick's clearance over it before and behind the bus, dB, None where nothing is contested.
    """

    part: str
    name: str
    moved_lu: float | None
    caused_db: float
    clearance_before_db: float | None
    clearance_after_db: float | None


@dataclass(frozen=True)
class GroupFigures:
    """What a bus does: loudness behind it less before, LU; true peaks, dBTP; how far its gain goes down at most, dB; what
    each of its processors changed, in their order.
    """

    id: str
    moved_lu: float | None
    peak_before_dbtp: float | None
    peak_after_dbtp: float | None
    reduction_db: float
    members: tuple[OnBus, ...]
    changes: tuple[StageChange, ...]


def group_of(track: Track, group_id: str) -> Group:
    """A group by its id; raises NoSuchPart."""
    found = next((one for one in track.groups if one.id == group_id), None)
    if found is None:
        raise NoSuchPart(f"there is no group {group_id!r} in this track")
    return found


def _gain_db(bus: Bus, sample_rate: int) -> Samples:
    """The bus's gain in frames of 10 ms, dB."""
    frame = max(1, round(sample_rate * FRAME_MS / 1000))
    whole = bus.gain[: bus.gain.size // frame * frame] if bus.gain.size >= frame else bus.gain
    frames = np.maximum(whole, LEAST_FACTOR).reshape(-1, min(frame, whole.size))
    return np.asarray(20 * np.log10(frames).mean(axis=1))


def _moved_lu(before: Samples, after: Samples, sample_rate: int) -> float | None:
    levels = [loop_loudness(one, sample_rate=sample_rate) for one in (before, after)]
    return None if min(levels) <= SILENCE_LUFS else levels[1] - levels[0]


def _low_frames(audio: Samples, sample_rate: int) -> Samples:
    return low_band_frames(folded(audio), sample_rate=sample_rate)


def _name(track: Track, part: str) -> str:
    group = next((one for one in track.groups if one.id == part), None)
    return part_title(track, part) if group is None else group.name


@newest(8)
@elsewhere(lambda track, group_id: f"Measuring the bus {group_of(track, group_id).name}")
def group_figures(track: Track, group_id: str) -> GroupFigures:
    """What a bus does to its sum and to every part on it (remembered); raises NoSuchPart."""
    group, rate, bpm = group_of(track, group_id), track.sheet.sample_rate, track.sheet.bpm
    members = group_members(track, group)
    if not members:
        return GroupFigures(group.id, None, None, None, 0.0, (), ())
    bus = through_bus(group, members, sample_rate=rate, bpm=bpm)
    gain = _gain_db(bus, rate)
    taken_down = float(gain.min(initial=0.0)) < -LEAST_DB
    kick_after = _low_frames(bus.shares[KICK_ID], rate) if KICK_ID in members else None
    found = []
    for part in steps(list(members)):
        others = {name: stem for name, stem in members.items() if name != part}
        without = np.zeros(gain.size)
        if others and taken_down:
            without = _gain_db(through_bus(group, others, sample_rate=rate, bpm=bpm), rate)
        pair: tuple[float | None, float | None] = (None, None)
        if kick_after is not None and part != KICK_ID and _is_part(track, part):
            pair = _clearances(track, part, kick_after, _low_frames(bus.shares[part], rate))
        # As many sides before as behind it: a sound on both counts for more.
        sides = np.atleast_2d(members[part])
        sides = np.repeat(sides, bus.after.shape[0] // sides.shape[0], axis=0)
        moved = _moved_lu(sides, bus.shares[part], rate)
        caused = max(0.0, float(np.max(without - gain))) if taken_down else 0.0
        found.append(OnBus(part, _name(track, part), moved, caused, *pair))
    peaks = [float(true_peak(one)) for one in (bus.before, bus.after)]
    before, after = (db(one) if one > 0 else None for one in peaks)
    moved = _moved_lu(bus.before, bus.after, rate)
    down = max(0.0, -float(gain.min(initial=0.0)))
    return GroupFigures(group.id, moved, before, after, down, tuple(found), bus_changes(track, group))


@newest(8)
def _bus_changes(made_of: str, group: Group, given: Whatever) -> tuple[StageChange, ...]:
    track = given.track
    rate, total = track.sheet.sample_rate, np.zeros(loop_frames(track))
    for stem in group_members(track, group).values():
        total = summed(total, stem)
    block = np.atleast_2d(total)
    stages = [block, *process_loop(group.bus, block, (), sample_rate=rate, bpm=track.sheet.bpm)]
    return tuple(changes(stages, sample_rate=rate))


def bus_changes(track: Track, group: Group) -> tuple[StageChange, ...]:
    """What each processor of a bus changed of its sum; nothing of one that does not work."""
    if not group.works:
        return ()
    return _bus_changes(stem_made_of(track, StemRef(group.id)), group, Whatever(track))


def _is_part(track: Track, part: str) -> bool:
    return all(one.id != part for one in track.groups)


def _clearances(track: Track, part: str, kick: Samples, own: Samples) -> tuple[float | None, float | None]:
    """The kick's clearance over a part before and behind a bus; kick, own: their low bands behind it."""
    (was_kick, was), (kick_before, before) = (
        [bands_of(track, StemRef(one, state)) for one in (KICK_ID, part)] for state in ("before", "heard")
    )
    beat_s = 60 / track.sheet.bpm
    if part == BASS_PART:
        # What Separate measures.
        contest, _ = contest_of(track)
    else:
        contest = find_pair(was_kick, was, [at * beat_s for at in starts_beats(track, KICK_ID)])
    return kick_clearance(kick_before, before, contest), kick_clearance(kick, own, contest)

"""The loop: patterns and sounds to stems, as they sound on the second pass."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import get_args

import numpy as np

from juglant.core.duck.part_curves import curves_of
from juglant.core.errors import NoSuchPart
from juglant.core.hit.render import RenderedHit
from juglant.core.loop.bass_line import bass_description
from juglant.core.loop.gain import gain_made_of
from juglant.core.loop.groups import added_ids, bus_adds, members_of, working
from juglant.core.loop.kick_stem import (
    cached_hit,
    kept,
    kick_description,
)
from juglant.core.loop.kit import kit_description
from juglant.core.loop.level_lines import along_line, line_made_of
from juglant.core.loop.part_stems import carved_description, part_stem, side_stem
from juglant.core.loop.place import loop_frames
from juglant.core.loop.shared_spaces import returned
from juglant.core.memory import remembered
from juglant.core.model.group import Group
from juglant.core.model.ids import BASS_PART, CONTEXT, KICK_ID
from juglant.core.model.part import Part
from juglant.core.model.shared_space import SharedSpace
from juglant.core.model.stem import BASS, KICK, StemRef, StemState
from juglant.core.model.track import Track
from juglant.core.separate.filters import carve_sections, floor_sections
from juglant.core.signal.envelope import frames_of, with_edges
from juglant.core.signal.filters import filter_hit, level_hit
from juglant.core.types import Samples

STATES: tuple[StemState, ...] = get_args(StemState)
# A hit filtered by the carve rings on a little.
CARVE_RING_MS, RINGS_FROM = 250.0, 1e-4


@dataclass(frozen=True)
class Stems:
    """The low parts' stems at mix level, each (loop_frames,), and the sums of everything else.

    sides: for a bass stem with two sides, what the left has more than its mono and the right less, (loop_frames,).
    kit, rest: this track's own hits, and the rest of the track, summed as heard; before: as they are before any duck;
    (loop_frames,), (2, loop_frames), or None where there are none. added: what shared spaces and
    the buses of groups add to them.
    """

    kick: Samples
    kick_before: Samples
    bass: Samples
    bass_before: Samples
    bass_unducked: Samples
    sample_rate: int
    kit: Samples | None = None
    kit_before: Samples | None = None
    rest: Samples | None = None
    rest_before: Samples | None = None
    sides: dict[StemState, Samples] = field(default_factory=dict)
    added: Samples | None = None
    added_before: Samples | None = None

    @property
    def loop(self) -> Samples:
        """The sum as heard, (loop_frames,), or (2, loop_frames) where anything in it has two sides."""
        return summed(self.own_loop(), self.rest)

    @property
    def loop_before(self) -> Samples:
        """The sum before any carve or duck, shaped as `loop`."""
        return summed(self.own_loop(before=True), self.rest_before)

    def own_loop(self, *, before: bool = False) -> Samples:
        """The sum without the rest of the track, as it is delivered, shaped as `loop`."""
        if before:
            low = self.with_sides("before", self.kick_before + self.bass_before)
            return summed(summed(low, self.kit_before), self.added_before)
        return summed(summed(self.with_sides("heard", self.kick + self.bass), self.kit), self.added)

    def with_sides(self, state: StemState, mono: Samples) -> Samples:
        """What holds a bass stem, with the sides it has, (loop_frames,) or (2, loop_frames)."""
        side = self.sides.get(state)
        return mono if side is None else np.stack((mono + side, mono - side))


def summed(one: Samples, other: Samples | None) -> Samples:
    """Two sounds of one or two channels together; one channel goes to both sides."""
    return one if other is None else np.asarray(one + other)


def own_parts(track: Track) -> list[Part]:
    """Hits of the kit that are this track's own: all but the stems that only play along."""
    return [one for one in track.kit if one.role != CONTEXT]


def stem_refs(track: Track) -> list[StemRef]:
    """Every stem of a track that is played or delivered."""
    parts = [ref for one in track.parts for ref in _refs_of(track, one.id)]
    return [*parts, *(StemRef(part, state) for part in _added(track) for state in ("heard", "before"))]


def _refs_of(track: Track, part: str) -> list[StemRef]:
    # What the low parts are before their ducks is compared with what they are after, ducked or not.
    ducked = part in (KICK_ID, BASS_PART) or bool(curves_of(track, part))
    return [StemRef(part, state) for state in STATES if state != "unducked" or ducked]


def _added(track: Track) -> list[str]:
    """What shared spaces and buses add to the parts, in the order in which sound goes through them."""
    return [*(one.id for one in track.spaces if one.works), *(one.id for one in working(track))]


def _known(track: Track, ref: StemRef) -> None:
    """Raises NoSuchPart where the track has no such part or bus."""
    if not ref.is_low and ref.part not in {*(one.id for one in track.kit), *added_ids(track)}:
        raise NoSuchPart(f"there is no part {ref.part!r} in this track")


def stem_description(track: Track, ref: StemRef) -> Track:
    """What a stem is made from but for its ducking; raises NoSuchPart where the track has no such part."""
    _known(track, ref)
    if not ref.is_low:
        return kit_description(track, ref.part)
    if ref.state == "before":
        return kick_description(track) if ref.part == KICK_ID else bass_description(track)
    return carved_description(track, ref.part)


def stem_made_of(track: Track, ref: StemRef) -> str:
    """All a stem is made from as a text: equal texts are equal audio."""
    if space := _space_of(track, ref):
        fed = " ".join(
            f"{level} {stem_made_of(track, StemRef(part, _side_of(ref)))}" for part, level in space.fed_by.items()
        )
        kicks = track.kicks() if space.duck_db else []
        sheet = (track.sheet.bpm, track.sheet.bars, track.sheet.sample_rate)
        return f"space {space.model_dump_json(exclude={'name', 'sends'})} {kicks} {sheet} {fed}"
    if group := _group_of(track, ref):
        members = " ".join(stem_made_of(track, StemRef(part, _side_of(ref))) for part in members_of(track, group))
        return f"bus {group.model_dump_json(exclude={'name', 'members'})} {track.sheet.bpm} {members}"
    description = stem_description(track, ref)
    what = ref.part if ref.is_low else "kit"
    gain = "" if ref.state == "before" else f"{gain_made_of(track, ref.part)} {ref.state}"
    return f"{what} {description.model_dump_json()} {gain}{line_made_of(track, ref.part)}"


def render_stem(track: Track, ref: StemRef) -> Samples:
    """One stem of the loop as it sounds on the second pass, (loop_frames,); of the kit also (2, loop_frames).

    Raises NoSuchPart where the track has no such part.
    """
    _known(track, ref)
    if ref.part in added_ids(track):
        return _added_stem(_AddedOf(stem_made_of(track, ref), track, ref))
    return along_line(track, ref.part, part_stem(track, ref))


def render_side_stem(track: Track, ref: StemRef) -> Samples | None:
    """What the sides of a bass stem differ by, as the stem is, (loop_frames,); None without sides."""
    side = side_stem(track, ref)
    return None if side is None else along_line(track, ref.part, side)


def _group_of(track: Track, ref: StemRef) -> Group | None:
    return next((one for one in track.groups if one.id == ref.part), None)


def _space_of(track: Track, ref: StemRef) -> SharedSpace | None:
    return next((one for one in track.spaces if one.id == ref.part), None)


def _side_of(ref: StemRef) -> StemState:
    """The state of its members in which a bus is heard: nothing on it is ducked by itself."""
    return "before" if ref.state == "before" else "heard"


@dataclass(frozen=True)
class _AddedOf:
    """A bus or a space and its parts in one state; what it is made of says all that counts."""

    made_of: str
    track: Track = field(compare=False)
    ref: StemRef = field(compare=False)


@remembered()
def _added_stem(one: _AddedOf) -> Samples:
    track, state, total = one.track, _side_of(one.ref), np.zeros(loop_frames(one.track))
    if space := _space_of(track, one.ref):
        for part, level_db in space.fed_by.items():
            total = summed(total, heard_stem(track, StemRef(part, state)) * 10 ** (level_db / 20))
        return kept(returned(space, total, track.kicks(), track.sheet) if space.works else total)
    group = _group_of(track, one.ref)
    if group is None or not group.works:
        return kept(total)
    for part in members_of(track, group):
        total = summed(total, heard_stem(track, StemRef(part, state)))
    return kept(bus_adds(group, total, sample_rate=track.sheet.sample_rate, bpm=track.sheet.bpm))


def group_members(track: Track, group: Group, state: StemState = "heard") -> dict[str, Samples]:
    """What goes into a bus, each stem as it is heard, by part."""
    return {part: heard_stem(track, StemRef(part, state)) for part in members_of(track, group)}


def _all_added(track: Track, state: StemState) -> Samples | None:
    """What every space and bus adds, None without any."""
    total: Samples | None = None
    for part in _added(track):
        total = summed(render_stem(track, StemRef(part, state)), total)
    return total


def heard_stem(track: Track, ref: StemRef) -> Samples:
    """One stem as it is heard and delivered, (loop_frames,) or (2, loop_frames); raises NoSuchPart as `render_stem`."""
    mono, side = render_stem(track, ref), render_side_stem(track, ref)
    return mono if side is None else np.stack((mono + side, mono - side))


def _sum_of(track: Track, parts: list[Part], state: StemState) -> Samples | None:
    """The stems of some hits together, None of none; one after the other, so that no two are held at once for it."""
    total: Samples | None = None
    for one in parts:
        stem = render_stem(track, StemRef(one.id, state))
        total = stem if total is None else total + stem
    return total


def render_stems(track: Track) -> Stems:
    """Render every stem of a track's loop, as it sounds on the second pass."""
    plain = render_stem(track, BASS.of("unducked"))
    bass = render_stem(track, BASS) if curves_of(track, BASS_PART) else plain
    own = own_parts(track)
    others = [one for one in track.kit if one.role == CONTEXT]
    # What nothing ducks is the same before.
    sums = {
        name: (heard, _sum_of(track, parts, "before") if any(curves_of(track, one.id) for one in parts) else heard)
        for name, parts in (("kit", own), ("rest", others))
        for heard in [_sum_of(track, parts, "heard")]
    }
    return Stems(
        kick=render_stem(track, KICK),
        kick_before=render_stem(track, KICK.of("before")),
        bass=bass,
        bass_before=render_stem(track, BASS.of("before")),
        bass_unducked=plain,
        sample_rate=track.sheet.sample_rate,
        kit=sums["kit"][0],
        kit_before=sums["kit"][1],
        rest=sums["rest"][0],
        rest_before=sums["rest"][1],
        added=_all_added(track, "heard"),
        added_before=_all_added(track, "before"),
        sides={state: side for state in STATES if (side := render_side_stem(track, BASS.of(state))) is not None},
    )


def heard_kick(track: Track) -> RenderedHit:
    """The kick hit as delivered: one stroke with the carve and floor filter it is heard through."""
    rate = track.sheet.sample_rate
    hit = cached_hit(track.kick, rate, track.sheet.bpm)
    floor, moves = floor_sections(track), carve_sections(track, "kick")
    if not (len(floor) or len(moves)) or not hit.audio.size:
        return hit
    ring = np.append(hit.audio, np.zeros(frames_of(CARVE_RING_MS, rate)))
    if len(moves) and track.carve.phase == "linear":
        ahead = frames_of(CARVE_RING_MS, rate)
        audio = level_hit(filter_hit(ring, floor), moves, ahead, sample_rate=rate)
        audio = with_edges(audio, start_ms=CARVE_RING_MS / 4, end_ms=CARVE_RING_MS / 2, sample_rate=rate)
        # What rings ahead is kept from where it can be heard.
        first = int(np.argmax(np.abs(audio) > RINGS_FROM * np.max(np.abs(audio), initial=0.0)))
        return RenderedHit(audio[min(first, ahead) :], hit.lead_frames + ahead - min(first, ahead))
    audio = filter_hit(ring, np.vstack((floor, moves)))
    audio = with_edges(audio, start_ms=0, end_ms=CARVE_RING_MS / 2, sample_rate=rate)
    return RenderedHit(audio, hit.lead_frames)

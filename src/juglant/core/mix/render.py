"""The loop: patterns and sounds to stems, as they sound on the second pass."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from functools import lru_cache
from typing import Literal, get_args

import numpy as np

from juglant.core.duck.targets import bands, curves_of, gain_made_of
from juglant.core.errors import NoSuchPart
from juglant.core.hit.render import RenderedHit
from juglant.core.mix.choke import choking_parts, cutters
from juglant.core.mix.ducked import ducked, ringing, rung, unducked, without_ringing
from juglant.core.mix.kick_stem import (
    cached_hit,
    carved_kick,
    carved_kick_description,
    kept,
    kick_before,
    kick_description,
    loop_frames,
    through_carve,
    with_carve,
)
from juglant.core.mix.kit import KIT_PREFIX, cached_kit_stem, kit_description, room_before
from juglant.core.mix.place import gaps, place
from juglant.core.mix.recorded_line import recorded_line, recorded_sides
from juglant.core.model.duck import BASS_PART
from juglant.core.model.kit import CONTEXT, KICK_ID, KitHit
from juglant.core.model.sheet import Sheet
from juglant.core.model.track import BassNote, Mix, Track
from juglant.core.music.notes import note_hz
from juglant.core.music.tempo import frame_at
from juglant.core.separate.filters import carve_sections, floor_sections
from juglant.core.separate.steady import hold_gain, with_hold
from juglant.core.signal.envelope import frames_of, with_edges
from juglant.core.signal.filters import filter_hit, level_hit
from juglant.core.synth.bass import Bass, render_note, render_side
from juglant.core.types import Samples

# The low parts' stems; those of the kit are `kit-` and the hit's id.
LowStem = Literal["kick", "kick-before", "kick-unducked", "bass", "bass-before", "bass-unducked"]
BEFORE, UNDUCKED = "-before", "-unducked"
# A note shorter than this is none.
SHORTEST_FRAMES = 2
# A hit filtered by the carve rings on a little.
CARVE_RING_MS, RINGS_FROM = 250.0, 1e-4


@dataclass(frozen=True)
class Stems:
    """Every stem of the loop at mix level, each (loop_frames,); those of the kit by hit, also (2, loop_frames).

    sides: for a bass stem with two sides, what the left has more than its mono and the right less, (loop_frames,).
    """

    kick: Samples
    kick_before: Samples
    bass: Samples
    bass_before: Samples
    bass_unducked: Samples
    sample_rate: int
    kit: dict[str, Samples] = field(default_factory=dict)
    kit_before: dict[str, Samples] = field(default_factory=dict)
    sides: dict[str, Samples] = field(default_factory=dict)

    @property
    def loop(self) -> Samples:
        """The sum as heard, (loop_frames,), or (2, loop_frames) where a hit of the kit has two sides."""
        return _with_kit(self.kick + self.bass, self.kit, self.sides.get("bass"))

    @property
    def loop_before(self) -> Samples:
        """The sum before any carve or duck, shaped as `loop`."""
        return _with_kit(self.kick_before + self.bass_before, self.kit_before, self.sides.get("bass-before"))

    def own_loop(self, track: Track, *, before: bool = False) -> Samples:
        """The sum without the rest of the track, as it is delivered, shaped as `loop`."""
        ids = [one.id for one in own_parts(track)]
        own = replace(self, kit={i: self.kit[i] for i in ids}, kit_before={i: self.kit_before[i] for i in ids})
        return own.loop_before if before else own.loop

    def heard(self, name: str, mono: Samples) -> Samples:
        """A stem with its sides where it has them, (loop_frames,) or (2, loop_frames)."""
        side = self.sides.get(name)
        return mono if side is None else np.stack((mono + side, mono - side))


def _with_kit(low: Samples, kit: dict[str, Samples], side: Samples | None) -> Samples:
    if side is not None:
        low = np.stack((low + side, low - side))
    elif any(stem.ndim == 2 for stem in kit.values()):
        low = np.stack((low, low))
    for stem in kit.values():
        low = low + stem
    return low


def own_parts(track: Track) -> list[KitHit]:
    """Hits of the kit that are this track's own: all but the stems that only play along."""
    return [one for one in track.kit if one.role != CONTEXT]


@lru_cache(maxsize=256)
def cached_note(bass: Bass, frequency_hz: float, frames: int, sample_rate: int, side: bool = False) -> Samples:
    """Rendered bass note, or what its sides differ by, remembered by its description (pure, bounded)."""
    note = (render_side if side else render_note)(bass, frequency_hz, frames=frames, sample_rate=sample_rate)
    note.setflags(write=False)
    return note


def _moved(track: Track, line: Samples) -> Samples:
    """A whole bass line at its level, place and polarity in the loop, (loop_frames,)."""
    mix = track.mix
    shift, sign = round(mix.bass_shift_ms * track.sheet.sample_rate / 1000), -1.0 if mix.bass_inverted else 1.0
    return np.asarray(np.roll(line, shift) * sign * 10 ** (mix.bass_gain_db / 20))


def bass_stem(track: Track, side: bool = False) -> Samples:
    """The bass line, held steady where that is asked for: in mono, or what its sides differ by, (loop_frames,)."""
    line = bass_line(track, side)
    if track.steady.hold == "off":
        return line
    # Both sides move by the gain that the middle asks for.
    middle = bass_line(track) if side else line
    gain = hold_gain(middle, track.steady, given_db=track.mix.bass_gain_db, sample_rate=track.sheet.sample_rate)
    return with_hold(line, gain, track.steady, sample_rate=track.sheet.sample_rate)


def note_spans(track: Track) -> list[tuple[BassNote, int, int]]:
    """Each note of the line that sounds, its first frame and how many: one voice, cut by what its choke group has."""
    sheet, total = track.sheet, loop_frames(track)
    notes, ends = track.notes(), cutters(track, BASS_PART)
    starts = [frame_at(note.at_beats, sheet.bpm, sheet.sample_rate) for note in notes]
    out = []
    for note, start, room in zip(notes, starts, gaps(starts, total), strict=True):
        end = frame_at(note.at_beats + note.length_beats, sheet.bpm, sheet.sample_rate)
        frames = min(end - start, room, room_before(start, ends, total) if ends else room)
        if frames >= SHORTEST_FRAMES:
            out.append((note, start, frames))
    return out


def bass_line(track: Track, side: bool = False) -> Samples:
    """The bass line as it is played, in mono, or what its sides differ by, (loop_frames,)."""
    if track.bass.source == "recorded line":
        return _moved(track, recorded_sides(track) if side else recorded_line(track))
    sheet, line = track.sheet, np.zeros(loop_frames(track))
    for note, start, frames in note_spans(track):
        sound = cached_note(track.bass, note_hz(note.note, sheet.a4_hz), frames, sheet.sample_rate, side)
        place(line, sound * 10 ** (note.gain_db / 20), start)
    return _moved(track, line)


def bass_description(track: Track) -> Track:
    """The part of a track that its bass stem before carve and duck is made from."""
    own = track.sheet
    sheet = Sheet(bpm=own.bpm, bars=own.bars, sample_rate=own.sample_rate, a4_hz=own.a4_hz, swing_pct=own.swing_pct)
    parts = choking_parts(track, BASS_PART)
    own_mix = track.mix.model_dump(include={"bass_gain_db", "bass_shift_ms", "bass_inverted"})
    mix = parts.get("mix", Mix()).model_copy(update=own_mix)
    own_fields = {"sheet": sheet, "bass": track.bass, "bass_notes": track.bass_notes, "mix": mix, "steady": track.steady}
    return Track(**parts | own_fields)


@lru_cache(maxsize=12)
def _bass_before(description: Track) -> Samples:
    return kept(bass_stem(description))


@lru_cache(maxsize=12)
def _bass_side(description: Track) -> Samples:
    return kept(bass_stem(description, side=True))


@lru_cache(maxsize=24)
def _carved_bass(description: Track, part: str) -> Samples:
    alone = bass_description(description)
    return through_carve(description, _bass_side(alone) if part == "side" else _bass_before(alone), BASS_PART)


def _carved(track: Track, part: str) -> Samples:
    """The carved kick, bass, or what the bass's sides differ by ("side")."""
    if part == KICK_ID:
        return carved_kick(carved_kick_description(track))
    return _carved_bass(with_carve(track, bass_description(track)), part)


def carved_description(track: Track, part: str) -> Track:
    """The part of a track that its carved kick or bass, un-ducked, is made from."""
    return carved_kick_description(track) if part == KICK_ID else with_carve(track, bass_description(track))


def stem_name(part: str) -> str:
    """The name of a part's stem and files."""
    return part if part in (KICK_ID, BASS_PART) else KIT_PREFIX + part


def stem_names(track: Track) -> list[str]:
    """Every stem of a track that is played or delivered."""
    ducked_hits = [one.id for one in track.kit if curves_of(track, one.id)]
    return [
        *get_args(LowStem),
        *(stem_name(one.id) + way for one in track.kit for way in ("", BEFORE)),
        *(stem_name(hit_id) + UNDUCKED for hit_id in ducked_hits),
    ]


def _named(track: Track, name: str) -> tuple[str, str]:
    """The part a stem is of, and in which state: as heard (""), un-ducked, or before."""
    ids = {one.id for one in track.kit}
    for way in ("", UNDUCKED, BEFORE):
        whole = name.removesuffix(way) if way else name
        if whole + way != name:
            continue
        if whole in (KICK_ID, BASS_PART):
            return whole, way
        if whole.startswith(KIT_PREFIX) and whole.removeprefix(KIT_PREFIX) in ids:
            return whole.removeprefix(KIT_PREFIX), way
    raise NoSuchPart(f"there is no stem {name!r} in this track")


def stem_description(track: Track, name: str) -> Track:
    """What a stem is made from but for its ducking; raises NoSuchPart where the track has no such stem."""
    part, way = _named(track, name)
    if part not in (KICK_ID, BASS_PART):
        return kit_description(track, part)
    if way == BEFORE:
        return kick_description(track) if part == KICK_ID else bass_description(track)
    return carved_description(track, part)


def stem_made_of(track: Track, name: str) -> str:
    """All a stem is made from as a text: equal texts are equal audio."""
    part, way = _named(track, name)
    what = part if part in (KICK_ID, BASS_PART) else KIT_PREFIX
    gain = "" if way == BEFORE else gain_made_of(track, part) + (way if way == UNDUCKED else "")
    return f"{what} {stem_description(track, name).model_dump_json()} {gain}"


def render_stem(track: Track, name: str) -> Samples:
    """One stem of the loop as it sounds on the second pass, (loop_frames,); of the kit also (2, loop_frames).

    Raises NoSuchPart where the track has no such stem.
    """
    part, way = _named(track, name)
    if part not in (KICK_ID, BASS_PART):
        return _kit_part(track, part, way)
    if way == BEFORE:
        return kick_before(kick_description(track)) if part == KICK_ID else _bass_before(bass_description(track))
    carved = _carved(track, part)
    return unducked(track, part, carved) if way == UNDUCKED else ducked(track, part, carved)


def rings_on(track: Track, hit_id: str) -> bool:
    """Whether a hit's reverb and delay are fed by the ducked part, and not ducked with it."""
    return track.ducking.of(hit_id).space == "rings on" and bool(ringing(track.hit_of(hit_id).hit))


def _found_by_the_gain(track: Track, part: str) -> Samples:
    """A part's stem before its gain: carved, or a hit's, without the reverb and delay that ring on."""
    if part in (KICK_ID, BASS_PART):
        return _carved(track, part)
    if curves_of(track, part) and rings_on(track, part):
        track = track.with_hit(part, without_ringing(track.hit_of(part).hit))
    return cached_kit_stem(kit_description(track, part))


def _kit_part(track: Track, hit_id: str, way: str) -> Samples:
    if way == BEFORE or not curves_of(track, hit_id):
        return cached_kit_stem(kit_description(track, hit_id))
    found = _found_by_the_gain(track, hit_id)
    out = unducked(track, hit_id, found) if way == UNDUCKED else ducked(track, hit_id, found)
    if not rings_on(track, hit_id):
        return out
    return rung(ringing(track.hit_of(hit_id).hit), out, sample_rate=track.sheet.sample_rate, bpm=track.sheet.bpm)


def gain_works_on(track: Track, part: str) -> Samples:
    """What of a part its gain is applied to: all of its un-ducked stem, or its lows, or it without what rings on."""
    moved, _ = bands(track, part, _found_by_the_gain(track, part))
    if part != BASS_PART or not track.bass.has_sides:
        return moved
    side, _ = bands(track, part, _carved(track, "side"))
    return np.stack((moved + side, moved - side))


def render_side_stem(track: Track, name: str) -> Samples | None:
    """What the sides of a bass stem differ by, carved and ducked as the stem is, (loop_frames,); None without sides."""
    if not track.bass.has_sides or name not in (BASS_PART, BASS_PART + BEFORE, BASS_PART + UNDUCKED):
        return None
    if name == BASS_PART + BEFORE:
        return _bass_side(bass_description(track))
    carved = _carved(track, "side")
    return unducked(track, BASS_PART, carved) if name == BASS_PART + UNDUCKED else ducked(track, BASS_PART, carved)


def heard_stem(track: Track, name: str) -> Samples:
    """One stem as it is heard and delivered, (loop_frames,) or (2, loop_frames); raises NoSuchPart as `render_stem`."""
    mono, side = render_stem(track, name), render_side_stem(track, name)
    return mono if side is None else np.stack((mono + side, mono - side))


def render_stems(track: Track) -> Stems:
    """Render every stem of a track's loop, as it sounds on the second pass."""
    plain = render_stem(track, BASS_PART + UNDUCKED)
    bass = render_stem(track, BASS_PART) if curves_of(track, BASS_PART) else plain
    names = (BASS_PART, BASS_PART + BEFORE, BASS_PART + UNDUCKED)
    return Stems(
        kick=render_stem(track, KICK_ID),
        kick_before=render_stem(track, KICK_ID + BEFORE),
        bass=bass,
        bass_before=render_stem(track, BASS_PART + BEFORE),
        bass_unducked=plain,
        sample_rate=track.sheet.sample_rate,
        kit={one.id: render_stem(track, KIT_PREFIX + one.id) for one in track.kit},
        kit_before={one.id: render_stem(track, KIT_PREFIX + one.id + BEFORE) for one in track.kit},
        sides={name: side for name in names if (side := render_side_stem(track, name)) is not None},
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

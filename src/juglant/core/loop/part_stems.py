"""Stems of parts: before anything, carved, and through the gain they are ducked by."""

from __future__ import annotations

import numpy as np

from juglant.core.duck.part_curves import curves_of
from juglant.core.loop.bass_line import bass_description, bass_stem
from juglant.core.loop.ducked import ducked, ringing, rung, unducked, without_ringing
from juglant.core.loop.gain import bands
from juglant.core.loop.kick_stem import (
    carved_kick,
    carved_kick_description,
    kept,
    kick_before,
    kick_description,
    through_carve,
    with_carve,
)
from juglant.core.loop.kit import cached_kit_stem, kit_description
from juglant.core.loop.level import at_level, without_level
from juglant.core.memory import remembered
from juglant.core.model.ids import BASS_PART, KICK_ID
from juglant.core.model.stem import StemRef
from juglant.core.model.track import Track
from juglant.core.types import Samples


def _bass_before(description: Track, side: bool = False) -> Samples:
    return at_level(_bass(without_level(description, BASS_PART), side), description.bass_part.gain_db)


@remembered()
def _bass(description: Track, side: bool) -> Samples:
    return kept(bass_stem(description, side))


@remembered()
def _carved_bass(description: Track, side: bool) -> Samples:
    return through_carve(description, _bass_before(bass_description(description), side), BASS_PART)


def _carved(track: Track, part: str) -> Samples:
    """The carved kick, bass, or what the bass's sides differ by ("side")."""
    if part == KICK_ID:
        return carved_kick(carved_kick_description(track))
    description = with_carve(track, bass_description(track))
    return at_level(_carved_bass(without_level(description, BASS_PART), part == "side"), track.bass_part.gain_db)


def carved_description(track: Track, part: str) -> Track:
    """The part of a track that its carved kick or bass, un-ducked, is made from."""
    return carved_kick_description(track) if part == KICK_ID else with_carve(track, bass_description(track))


def rings_on(track: Track, hit_id: str) -> bool:
    """Whether a hit's reverb and delay are fed by the ducked part, and not ducked with it."""
    return track.part(hit_id).ducked.space == "rings on" and bool(ringing(track.hit_of(hit_id).hit))


def _found_by_the_gain(track: Track, part: str) -> Samples:
    """A part's stem before its gain: carved, or a hit's, without the reverb and delay that ring on."""
    if part in (KICK_ID, BASS_PART):
        return _carved(track, part)
    if curves_of(track, part) and rings_on(track, part):
        track = track.with_hit(part, without_ringing(track.hit_of(part).hit))
    return cached_kit_stem(kit_description(track, part))


def _kit_part(track: Track, ref: StemRef) -> Samples:
    part = ref.part
    if ref.state == "before" or not curves_of(track, part):
        return cached_kit_stem(kit_description(track, part))
    found = _found_by_the_gain(track, part)
    out = unducked(track, part, found) if ref.state == "unducked" else ducked(track, part, found)
    if not rings_on(track, part):
        return out
    return rung(ringing(track.hit_of(part).hit), out, sample_rate=track.sheet.sample_rate, bpm=track.sheet.bpm)


def gain_works_on(track: Track, part: str) -> Samples:
    """What of a part its gain is applied to: all of its un-ducked stem, or its lows, or it without what rings on."""
    moved, _ = bands(track, part, _found_by_the_gain(track, part))
    if part != BASS_PART or not track.bass_has_sides:
        return moved
    side, _ = bands(track, part, _carved(track, "side"))
    return np.stack((moved + side, moved - side))


def side_stem(track: Track, ref: StemRef) -> Samples | None:
    """What the sides of a bass stem differ by, carved and ducked as the stem is, (loop_frames,); None without sides."""
    if not track.bass_has_sides or ref.part != BASS_PART:
        return None
    if ref.state == "before":
        return _bass_before(bass_description(track), side=True)
    carved = _carved(track, "side")
    return unducked(track, BASS_PART, carved) if ref.state == "unducked" else ducked(track, BASS_PART, carved)


def part_stem(track: Track, ref: StemRef) -> Samples:
    """One part's stem of the loop as it sounds on the second pass, (loop_frames,); of the kit also (2, loop_frames)."""
    if not ref.is_low:
        return _kit_part(track, ref)
    if ref.state == "before":
        return kick_before(kick_description(track)) if ref.part == KICK_ID else _bass_before(bass_description(track))
    carved = _carved(track, ref.part)
    return unducked(track, ref.part, carved) if ref.state == "unducked" else ducked(track, ref.part, carved)

"""Choke groups, across instruments: what starts cuts whatever else of its group still sounds."""

from __future__ import annotations

from juglant.core.model.distance import Distance
from juglant.core.model.duck import Ducked
from juglant.core.model.hit import Hit
from juglant.core.model.ids import BASS_PART, KICK_ID
from juglant.core.model.part import BASS, KICK, Part
from juglant.core.model.sheet import Sheet
from juglant.core.model.track import Track
from juglant.core.music.tempo import frame_at


def cutters(track: Track, part: str) -> list[int]:
    """Frames at which anything else of a part's choke group starts, in order."""
    group, sheet = track.part(part).choke, track.sheet
    if not group:
        return []
    places = [
        stroke.at_beats for one in track.hits() if one.id != part and one.choke == group for stroke in track.played(one)
    ]
    if part != BASS_PART and track.bass_part.choke == group:
        places += [note.at_beats for note in track.notes()]
    return sorted({frame_at(at, sheet.bpm, sheet.sample_rate) for at in places})


def choking_parts(track: Track, part: str) -> list[Part]:
    """The rest of a part's choke group, holding when each starts and nothing of how it sounds."""
    group = track.part(part).choke
    if not group:
        return []
    return [_silent(track, one) for one in track.parts if one.id != part and one.choke == group]


def _silent(track: Track, one: Part) -> Part:
    if one.id == BASS_PART:
        return BASS.model_copy(update={"notes": one.notes, "choke": one.choke, "muted": one.muted})
    if one.id == KICK_ID:
        same = {name: getattr(one, name) for name in ("strokes", "choke", "shift_ms", "muted")}
        return KICK.model_copy(update=same)
    return track.hit_of(one.id).model_copy(
        update={"hit": Hit(), "name": "x", "role": "percussion", "gain_db": 0.0, "distance": Distance()}
    )


_UNDUCKED = {BASS_PART: BASS.ducked}


def recipe(sheet: Sheet, *parts: Part) -> Track:
    """A track of these parts alone: what a stem is made from. Kick and bass are as they are by default where not given."""
    alone = [one.model_copy(update={"level_line": None, "ducked": _UNDUCKED.get(one.id, Ducked())}) for one in parts]
    low = {one.id: one for one in (KICK, BASS)} | {one.id: one for one in alone if one.id in (KICK_ID, BASS_PART)}
    others = [one for one in alone if one.id not in low]
    return Track(sheet=sheet, parts=(low[KICK_ID], low[BASS_PART], *others))

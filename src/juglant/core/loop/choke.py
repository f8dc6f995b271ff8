"""Choke groups, across instruments: what starts cuts whatever else of its group still sounds."""

from __future__ import annotations

from typing import Any

from juglant.core.model.duck import BASS_PART
from juglant.core.model.hit import Hit
from juglant.core.model.kit import KICK_ID
from juglant.core.model.track import Mix, Track
from juglant.core.music.tempo import frame_at
from juglant.core.synth.bass import Bass


def group_of(track: Track, part: str) -> int:
    """Choke group of the kick, the bass or a hit of the kit; 0 is none."""
    if part == KICK_ID:
        return track.mix.kick_choke
    if part == BASS_PART:
        return track.mix.bass_choke
    return track.hit_of(part).choke


def cutters(track: Track, part: str) -> list[int]:
    """Frames at which anything else of a part's choke group starts, in order."""
    group, sheet = group_of(track, part), track.sheet
    if not group:
        return []
    places = [
        stroke.at_beats
        for one in track.hits()
        if one.id != part and group_of(track, one.id) == group
        for stroke in track.played(one)
    ]
    if part != BASS_PART and track.mix.bass_choke == group:
        places += [note.at_beats for note in track.notes()]
    return sorted({frame_at(at, sheet.bpm, sheet.sample_rate) for at in places})


def choking_parts(track: Track, part: str) -> dict[str, Any]:
    """Fields of a description that hold when the rest of a part's choke group starts, and nothing of how it sounds."""
    group = group_of(track, part)
    if not group:
        return {}
    mix: dict[str, int] = {"kick_choke": group} if part == KICK_ID else {"bass_choke": group} if part == BASS_PART else {}
    out: dict[str, Any] = {
        "kit": tuple(
            one.model_copy(update={"hit": Hit(), "name": "x", "role": "percussion", "gain_db": 0.0})
            for one in track.hits()[1:]
            if one.id != part and one.choke == group
        )
    }
    if part != KICK_ID and track.mix.kick_choke == group:
        mix["kick_choke"] = group
        out |= {"kick_at_beats": track.kick_at_beats, "kick_strokes": track.kick_strokes}
    if part != BASS_PART and track.mix.bass_choke == group:
        mix["bass_choke"] = group
        out |= {"bass": Bass(), "bass_notes": track.bass_notes}
    return {**out, "mix": Mix(**mix)}

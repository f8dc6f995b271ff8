"""The loop: patterns and sounds to stems, as they sound on the second pass."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from typing import Literal

import numpy as np

from juglant.core.duck.curve import gain_rows, rows_to_gain
from juglant.core.hit.render import RenderedHit, render_hit
from juglant.core.model.hit import Hit
from juglant.core.model.sheet import Sheet
from juglant.core.model.track import BassNote, Mix, Track
from juglant.core.music.notes import note_hz
from juglant.core.music.tempo import frame_at
from juglant.core.separate.filters import carve_sections, floor_sections
from juglant.core.signal.envelope import frames_of, with_edges
from juglant.core.signal.filters import filter_hit, filter_loop
from juglant.core.synth.bass import Bass, render_note
from juglant.core.types import Samples

StemName = Literal["kick", "kick-before", "bass", "bass-before", "bass-unducked"]
CUT_FADE_MS = 5.0
# A hit filtered by the carve rings on a little.
CARVE_RING_MS = 250.0


@dataclass(frozen=True)
class Stems:
    """Every stem of the loop, each (loop_frames,), at mix level."""

    kick: Samples
    kick_before: Samples
    bass: Samples
    bass_before: Samples
    bass_unducked: Samples
    sample_rate: int

    @property
    def loop(self) -> Samples:
        """The sum as heard."""
        return self.kick + self.bass

    @property
    def loop_before(self) -> Samples:
        """The sum before any carve or duck."""
        return self.kick_before + self.bass_before


def loop_frames(track: Track) -> int:
    """Length of the loop in frames, computed from zero."""
    sheet = track.sheet
    return frame_at(sheet.length_beats, sheet.bpm, sheet.sample_rate)


@lru_cache(maxsize=16)
def cached_hit(hit: Hit, sample_rate: int) -> RenderedHit:
    """Rendered hit, remembered by its description (pure, bounded)."""
    rendered = render_hit(hit, sample_rate=sample_rate)
    rendered.audio.setflags(write=False)
    return rendered


@lru_cache(maxsize=256)
def cached_note(bass: Bass, frequency_hz: float, frames: int, sample_rate: int) -> Samples:
    """Rendered bass note, remembered by its description (pure, bounded)."""
    note = render_note(bass, frequency_hz, frames=frames, sample_rate=sample_rate)
    note.setflags(write=False)
    return note


def place(loop: Samples, audio: Samples, start: int) -> None:
    """Add `audio` to a loop from `start`, wrapping past its end as often as needed."""
    position, done = start % loop.size, 0
    while done < audio.size:
        count = min(loop.size - position, audio.size - done)
        loop[position : position + count] += audio[done : done + count]
        done, position = done + count, 0


def cut(audio: Samples, frames: int, *, sample_rate: int) -> Samples:
    """The first `frames` of a sound, faded out over 5 ms if that cuts it short."""
    if frames >= audio.size:
        return audio
    return with_edges(audio[: max(frames, 0)], start_ms=0, end_ms=CUT_FADE_MS, sample_rate=sample_rate)


def gaps(starts: list[int], total: int) -> list[int]:
    """Frames from each start to the next, the last wrapping to the first of the next pass."""
    following = [*starts[1:], starts[0] + total] if starts else []
    return [after - start for start, after in zip(starts, following, strict=True)]


def kick_stem(track: Track, hit: RenderedHit) -> Samples:
    """The kick pattern; each stroke cuts the one before it."""
    sheet, out = track.sheet, np.zeros(loop_frames(track))
    starts = [frame_at(at, sheet.bpm, sheet.sample_rate) for at in track.kicks()]
    gain = 10 ** (track.mix.kick_gain_db / 20)
    for start, room in zip(starts, gaps(starts, out.size), strict=True):
        sound = cut(hit.audio, room, sample_rate=sheet.sample_rate)
        place(out, sound * gain, start - hit.lead_frames)
    return out


def bass_stem(track: Track) -> Samples:
    """The bass line, a single voice: a new note ends the one before it."""
    sheet, out = track.sheet, np.zeros(loop_frames(track))
    notes: list[BassNote] = track.notes()
    starts = [frame_at(note.at_beats, sheet.bpm, sheet.sample_rate) for note in notes]
    for note, start, room in zip(notes, starts, gaps(starts, out.size), strict=True):
        end = frame_at(note.at_beats + note.length_beats, sheet.bpm, sheet.sample_rate)
        frames = min(end - start, room)
        if frames < 2:
            continue
        sound = cached_note(track.bass, note_hz(note.note, sheet.a4_hz), frames, sheet.sample_rate)
        place(out, sound * 10 ** ((track.mix.bass_gain_db + note.gain_db) / 20), start)
    return out


def duck_gain(track: Track) -> Samples:
    """Gain of the duck over the loop as a factor, (loop_frames,)."""
    rows = gain_rows(track, loop_frames(track))
    return rows_to_gain(rows, loop_frames(track), sample_rate=track.sheet.sample_rate)


def kick_description(track: Track) -> Track:
    """The part of a track that its kick stem before carve and duck is made from."""
    sheet = Sheet(bpm=track.sheet.bpm, bars=track.sheet.bars, sample_rate=track.sheet.sample_rate)
    mix = Mix(kick_gain_db=track.mix.kick_gain_db)
    return Track(sheet=sheet, kick=track.kick, kick_at_beats=track.kick_at_beats, mix=mix)


def bass_description(track: Track) -> Track:
    """The part of a track that its bass stem before carve and duck is made from."""
    own = track.sheet
    sheet = Sheet(bpm=own.bpm, bars=own.bars, sample_rate=own.sample_rate, a4_hz=own.a4_hz)
    return Track(sheet=sheet, bass=track.bass, bass_notes=track.bass_notes, mix=Mix(bass_gain_db=track.mix.bass_gain_db))


@lru_cache(maxsize=12)
def _kick_before(description: Track) -> Samples:
    return _kept(kick_stem(description, cached_hit(description.kick, description.sheet.sample_rate)))


@lru_cache(maxsize=12)
def _bass_before(description: Track) -> Samples:
    return _kept(bass_stem(description))


def _kept(audio: Samples) -> Samples:
    audio.setflags(write=False)
    return audio


def _sections(track: Track, part: str) -> Samples:
    return np.vstack((floor_sections(track), carve_sections(track, part)))


@lru_cache(maxsize=24)
def _carved(description: Track, part: str) -> Samples:
    before = _kick_before(kick_description(description)) if part == "kick" else _bass_before(bass_description(description))
    sections = _sections(description, part)
    return _kept(filter_loop(before, sections, sample_rate=description.sheet.sample_rate)) if len(sections) else before


def carved_description(track: Track, part: str) -> Track:
    """The part of a track that its carved kick or bass, un-ducked, is made from."""
    alone = kick_description(track) if part == "kick" else bass_description(track)
    sheet = alone.sheet.model_copy(update={"owner": track.sheet.owner})
    return alone.model_copy(update={"sheet": sheet, "carve": track.carve})


def stem_description(track: Track, name: StemName) -> Track:
    """What a stem is made from, and nothing else: equal descriptions sound the same."""
    if name == "kick-before":
        return kick_description(track)
    if name == "bass-before":
        return bass_description(track)
    if name == "kick":
        return carved_description(track, "kick")
    unducked = carved_description(track, "bass")
    if name == "bass" and track.duck.on:
        return unducked.model_copy(update={"duck": track.duck, "kick_at_beats": track.kick_at_beats})
    return unducked


def render_stem(track: Track, name: StemName) -> Samples:
    """One stem of the loop, (loop_frames,), as it sounds on the second pass."""
    if name == "kick-before":
        return _kick_before(kick_description(track))
    if name == "bass-before":
        return _bass_before(bass_description(track))
    if name == "kick":
        return _carved(carved_description(track, "kick"), "kick")
    unducked = _carved(carved_description(track, "bass"), "bass")
    return unducked * duck_gain(track) if name == "bass" and track.duck.on else unducked


def render_stems(track: Track) -> Stems:
    """Render every stem of a track's loop, as it sounds on the second pass."""
    kick_before, bass_before = render_stem(track, "kick-before"), render_stem(track, "bass-before")
    unducked = render_stem(track, "bass-unducked")
    bass = render_stem(track, "bass") if track.duck.on else unducked
    return Stems(render_stem(track, "kick"), kick_before, bass, bass_before, unducked, track.sheet.sample_rate)


def heard_kick(track: Track) -> RenderedHit:
    """The kick hit as delivered: one stroke with the carve and floor filter it is heard through."""
    rate = track.sheet.sample_rate
    hit = cached_hit(track.kick, rate)
    sections = np.vstack((floor_sections(track), carve_sections(track, "kick")))
    if not len(sections) or not hit.audio.size:
        return hit
    ring = np.append(hit.audio, np.zeros(frames_of(CARVE_RING_MS, rate)))
    audio = with_edges(filter_hit(ring, sections), start_ms=0, end_ms=CARVE_RING_MS / 2, sample_rate=rate)
    return RenderedHit(audio, hit.lead_frames)

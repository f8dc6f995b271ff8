"""The loop: patterns and sounds to stems, as they sound on the second pass."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from juglant.core.duck.curve import gain_rows, rows_to_gain
from juglant.core.hit.render import RenderedHit, render_hit
from juglant.core.model.hit import Hit
from juglant.core.model.track import BassNote, Track
from juglant.core.music.notes import note_hz
from juglant.core.music.tempo import frame_at
from juglant.core.separate.filters import carve_sections, floor_sections
from juglant.core.signal.envelope import frames_of, with_edges
from juglant.core.signal.filters import filter_hit, filter_loop
from juglant.core.synth.bass import Bass, render_note
from juglant.core.types import Samples

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


def render_stems(track: Track) -> Stems:
    """Render every stem of a track's loop, as it sounds on the second pass."""
    sheet = track.sheet
    rate = sheet.sample_rate
    hit = cached_hit(track.kick, rate)
    kick_before, bass_before = kick_stem(track, hit), bass_stem(track)
    filters = {part: np.vstack((floor_sections(track), carve_sections(track, part))) for part in ("kick", "bass")}
    kick = filter_loop(kick_before, filters["kick"], sample_rate=rate)
    unducked = filter_loop(bass_before, filters["bass"], sample_rate=rate)
    bass = unducked * duck_gain(track) if track.duck.on else unducked
    return Stems(kick, kick_before, bass, bass_before, unducked, rate)


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

"""The bass line: its notes or its recording, through its chain, held steady where that is asked for."""

from __future__ import annotations

from typing import Any

import numpy as np

from juglant.core.chain.looped import process_loop
from juglant.core.loop.choke import choking_parts, cutters, recipe
from juglant.core.loop.kick_stem import kept
from juglant.core.loop.kit import room_before
from juglant.core.loop.layered_line import layered_line, layered_note
from juglant.core.loop.pitched import glide_cents, glide_places, glides, read_at
from juglant.core.loop.place import gaps, loop_frames, place
from juglant.core.loop.recorded_line import recorded_line, recorded_sides
from juglant.core.memory import remembered
from juglant.core.model.ids import BASS_PART
from juglant.core.model.part import BASS
from juglant.core.model.sheet import Sheet
from juglant.core.model.steady import Steady
from juglant.core.model.strokes import BassNote
from juglant.core.model.track import Track
from juglant.core.music.notes import note_hz
from juglant.core.music.tempo import frame_at
from juglant.core.separate.steady import hold_gain, with_hold
from juglant.core.signal.filters import filter_loop
from juglant.core.synth.bass import LAYERS, Bass, render_note, render_side, side_sections
from juglant.core.types import Samples

# A note shorter than this is none.
SHORTEST_FRAMES = 2
# A line before what is made of it as a whole.
PLAIN: dict[str, Any] = {"steady": Steady(), "gain_db": 0.0, "shift_ms": 0.0, "inverted": False}


@remembered()
def cached_note(bass: Bass, frequency_hz: float, frames: int, sample_rate: int, side: bool = False) -> Samples:
    """Rendered bass note, or what its sides differ by, remembered by its description (pure, bounded)."""
    note = (render_side if side else render_note)(bass, frequency_hz, frames=frames, sample_rate=sample_rate)
    note.setflags(write=False)
    return note


def note_sound(track: Track, number: int, frames: int) -> Samples:
    """One note of the bass alone as it is in mono, (frames,); silence of a recorded line."""
    if track.bass.source == LAYERS:
        return layered_note(track, number, frames)
    return cached_note(track.bass, note_hz(number, track.sheet.a4_hz), frames, track.sheet.sample_rate)


def _line(track: Track, side: bool) -> Samples:
    """The bass line as its source plays it, in mono, or what its sides differ by, (loop_frames,)."""
    if track.bass_part.muted or (side and not track.bass.has_sides):
        return np.zeros(loop_frames(track))
    if track.bass.source == "recorded line":
        return recorded_sides(track) if side else recorded_line(track)
    if track.bass.source == LAYERS:
        alone = bass_description(track).with_part(BASS_PART, chain=(), **PLAIN)
        return layered_line(alone, tuple(note_spans(track)), side)
    line, spans = np.zeros(loop_frames(track)), note_spans(track)
    for index, (note, start, frames) in enumerate(spans):
        sound = _note(track, note, spans[index - 1][0], frames, side)
        place(line, sound * 10 ** (note.gain_db / 20), start)
    return line


def _note(track: Track, note: BassNote, before: BassNote, frames: int, side: bool) -> Samples:
    """One note as it is played, (frames,): straight, or along its slide and bend."""
    sheet = track.sheet
    hz = note_hz(note.note, sheet.a4_hz)
    from_cents = 100.0 * (before.note - note.note)
    if not glides(note, from_cents):
        return cached_note(track.bass, hz, frames, sheet.sample_rate, side)
    # Played faster or slower from sample to sample; what is played is as long as that takes, and so are its edges.
    places = glide_places(glide_cents(note, from_cents, frames, sheet.sample_rate))
    return read_at(cached_note(track.bass, hz, int(np.ceil(places[-1])) + 1, sheet.sample_rate, side), places)


def bass_stages(track: Track) -> list[Samples]:
    """What goes into the chain of the bass and comes out of each of its processors, each (channels, loop_frames)."""
    sheet, middle = track.sheet, _line(track, False)
    block = middle[None]
    if track.bass.has_sides:
        side = _line(track, True)
        block = np.stack((middle + side, middle - side))
    starts = [start for _, start, _ in note_spans(track)]
    return [block, *process_loop(track.bass_chain, block, starts, sample_rate=sheet.sample_rate, bpm=sheet.bpm)]


@remembered()
def _processed_bass(description: Track) -> Samples:
    """The whole line out of its chain, (channels, loop_frames), remembered by what it is made from."""
    return kept(bass_stages(description)[-1])


def _processed(track: Track, side: bool) -> Samples:
    """The line out of its chain in mono, or what its sides differ by: of that nothing below the mono corner."""
    out = _processed_bass(bass_description(track).with_part(BASS_PART, **PLAIN))
    if not side:
        return np.asarray(out.mean(axis=0))
    if out.shape[0] == 1:
        return np.zeros(out.shape[1])
    rate = track.sheet.sample_rate
    return filter_loop((out[0] - out[1]) / 2, side_sections(track.bass, sample_rate=rate), sample_rate=rate)


def _moved(track: Track, line: Samples) -> Samples:
    """A whole bass line at its level, place and polarity in the loop, (loop_frames,)."""
    own = track.bass_part
    shift, sign = round(own.shift_ms * track.sheet.sample_rate / 1000), -1.0 if own.inverted else 1.0
    return np.asarray(np.roll(line, shift) * sign * 10 ** (own.gain_db / 20))


def bass_stem(track: Track, side: bool = False) -> Samples:
    """The bass line, held steady where that is asked for: in mono, or what its sides differ by, (loop_frames,)."""
    line = bass_line(track, side)
    if track.steady.hold == "off":
        return line
    # Both sides move by the gain that the middle asks for.
    middle = bass_line(track) if side else line
    gain = hold_gain(middle, track.steady, given_db=track.bass_part.gain_db, sample_rate=track.sheet.sample_rate)
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
    """The bass line as it is played, through its chain, in mono, or what its sides differ by, (loop_frames,)."""
    processed = any(one.on for one in track.bass_chain)
    return _moved(track, _processed(track, side) if processed else _line(track, side))


def bass_description(track: Track) -> Track:
    """The part of a track that its bass stem before carve and duck is made from."""
    own = track.sheet
    sheet = Sheet(bpm=own.bpm, bars=own.bars, sample_rate=own.sample_rate, a4_hz=own.a4_hz, swing_pct=own.swing_pct)
    return recipe(sheet, track.bass_part.model_copy(update={"name": BASS.name}), *choking_parts(track, BASS_PART))

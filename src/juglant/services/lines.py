"""Single notes of a part as they are played in: at their pitch, at a strength, at the part's level."""

from __future__ import annotations

import hashlib

import numpy as np

from juglant.core.errors import InvalidTrack
from juglant.core.hit.strokes import cached_stroke, stroke_tempo
from juglant.core.hit.transpose import transposed
from juglant.core.loop.bass_line import bass_description
from juglant.core.loop.distance import sound_set_back
from juglant.core.loop.pitched import stroke_cents
from juglant.core.loop.render import render_stem
from juglant.core.model.ids import BASS_PART
from juglant.core.model.sheet import Sheet
from juglant.core.model.stem import BASS
from juglant.core.model.strokes import HIGHEST_BASS_NOTE, LOWEST_BASS_NOTE, BassNote, Stroke
from juglant.core.model.track import Track
from juglant.core.types import Samples
from juglant.formats.wav import wav_float

# How long a note of the bass is heard while a key is held, at most.
HELD_BEATS = 2.0


def _one_note(track: Track, note: int) -> Track:
    """What a bass of one note is made from."""
    if track.bass.source == "recorded line":
        raise InvalidTrack("the bass is a recorded line: it plays what was recorded, whatever is played in")
    if not LOWEST_BASS_NOTE <= note <= HIGHEST_BASS_NOTE:
        raise InvalidTrack(f"a note of the bass is {LOWEST_BASS_NOTE} to {HIGHEST_BASS_NOTE}, got {note}")
    own = track.sheet
    sheet = Sheet(bpm=own.bpm, bars=1, sample_rate=own.sample_rate, a4_hz=own.a4_hz)
    held = (BassNote(at_beats=0, length_beats=HELD_BEATS, note=note),)
    return bass_description(
        track.with_part(BASS_PART, notes=held, shift_ms=0.0, choke=0).model_copy(update={"sheet": sheet})
    )


def _note_audio(track: Track, part: str, note: int, velocity: int) -> Samples:
    """One note of a part at its level in the loop, (frames,) or (2, frames); of a hit without a pitch its stroke."""
    if part == BASS_PART:
        return render_stem(_one_note(track, note), BASS.of("before"))
    one, sheet = track.hit_of(part), track.sheet
    hit = transposed(one.hit, stroke_cents(track, one, Stroke(at_beats=0, note=note)))
    rendered = cached_stroke(hit, velocity, 0, sheet.sample_rate, stroke_tempo(one.hit, sheet.bpm))
    return sound_set_back(rendered.audio, one.distance, sample_rate=sheet.sample_rate) * 10 ** (one.gain_db / 20)


def note_key(track: Track, part: str, note: int, velocity: int) -> str:
    """Hash of what a note is made from; raises NoSuchPart, and InvalidTrack for a note that the bass cannot play."""
    if part == BASS_PART:
        made_of = _one_note(track, note).model_dump_json()
    else:
        one, sheet = track.hit_of(part), track.sheet
        made_of = f"{one.hit.model_dump_json()} {one.gain_db} {sheet.sample_rate} {sheet.a4_hz}"
        made_of += f" {one.distance.model_dump_json()}"
        made_of += f" {stroke_tempo(one.hit, sheet.bpm)} {velocity}"
    return hashlib.sha256(f"{made_of} {note}".encode()).hexdigest()[:24]


def note_wav(track: Track, part: str, note: int, velocity: int) -> bytes:
    """A note as a 32-bit float WAV; silence is one silent sample long."""
    audio = _note_audio(track, part, note, velocity)
    return wav_float(audio if audio.size else np.zeros(1), track.sheet.sample_rate)

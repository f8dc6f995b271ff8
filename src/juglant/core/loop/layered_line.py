"""A bass that is layers of its own: any engines and recordings in pitch, each with its chain, its place and its band."""

from __future__ import annotations

import numpy as np

from juglant.core.hit.root import played_root_hz
from juglant.core.hit.strokes import cached_stroke, stroke_tempo
from juglant.core.hit.transpose import transposed
from juglant.core.loop.pitched import played_strokes
from juglant.core.loop.place import cut, loop_frames, place
from juglant.core.memory import remembered
from juglant.core.model.ids import BASS_PART
from juglant.core.model.strokes import BassNote
from juglant.core.model.track import Track
from juglant.core.model.velocity import HARDEST
from juglant.core.music.notes import cents_between, note_hz
from juglant.core.signal.filters import filter_loop
from juglant.core.synth.bass import side_sections
from juglant.core.types import Samples

PLACE_DIGITS = 6


@remembered()
def layered_block(track: Track, spans: tuple[tuple[BassNote, int, int], ...]) -> Samples:
    """The line as its layers play it before its level, (channels, loop_frames).

    spans: each note that sounds, its first frame and how many: a layer that begins ahead of its note begins ahead there.
    """
    part, rate = track.hit_of(BASS_PART), track.sheet.sample_rate
    by_place = {round(note.at_beats, PLACE_DIGITS): (note, frames) for note, _, frames in spans}
    sounds = [
        (by_place[place_of], start, sound)
        for stroke, start, sound in played_strokes(track, part)
        if (place_of := round(stroke.at_beats, PLACE_DIGITS)) in by_place
    ]
    wide = any(sound.audio.ndim == 2 for _, _, sound in sounds)
    out = np.zeros((2 if wide else 1, loop_frames(track)))
    for (note, frames), start, sound in sounds:
        audio = np.broadcast_to(np.atleast_2d(sound.audio), (out.shape[0], sound.audio.shape[-1]))
        audio = cut(audio, min(audio.shape[-1], frames + sound.lead_frames), sample_rate=rate)
        place(out, audio * 10 ** (note.gain_db / 20), start - sound.lead_frames)
    out.setflags(write=False)
    return out


def layered_line(track: Track, spans: tuple[tuple[BassNote, int, int], ...], side: bool) -> Samples:
    """That line in mono, or what its sides differ by above the mono corner, as far as the width goes, (loop_frames,)."""
    block, rate = layered_block(track, spans), track.sheet.sample_rate
    if not side:
        return np.asarray(block.mean(axis=0))
    if block.shape[0] == 1:
        return np.zeros(block.shape[1])
    own = side_sections(track.bass, sample_rate=rate)
    return np.asarray(track.bass.width_pct / 100 * filter_loop((block[0] - block[1]) / 2, own, sample_rate=rate))


def layered_note(track: Track, number: int, frames: int) -> Samples:
    """One note of such a bass from its start on, in mono, (frames,); as the layers are where they have no pitch."""
    sheet, part = track.sheet, track.hit_of(BASS_PART)
    root_hz = played_root_hz(part, sheet.sample_rate, sheet.bpm)
    cents = 0.0 if root_hz is None else round(cents_between(note_hz(number, sheet.a4_hz), root_hz), 3)
    tempo = stroke_tempo(part.hit, sheet.bpm)
    sound = cached_stroke(transposed(part.hit, cents), HARDEST, 0, sheet.sample_rate, tempo)
    audio = np.atleast_2d(sound.audio)[:, sound.lead_frames :].mean(axis=0)[:frames]
    return cut(np.pad(audio, (0, frames - audio.size)), frames, sample_rate=sheet.sample_rate)

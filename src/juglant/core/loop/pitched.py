"""Strokes at notes of their own: a hit's line in pitch, from the pitch the hit is measured at."""

from __future__ import annotations

import numpy as np
from scipy import ndimage

from juglant.core.hit.render import RenderedHit
from juglant.core.hit.root import played_root_hz
from juglant.core.hit.strokes import cached_stroke, stroke_tempo
from juglant.core.hit.transpose import transposed
from juglant.core.loop.place import cut
from juglant.core.model.part import Part
from juglant.core.model.strokes import Gliding, Stroke
from juglant.core.model.track import Track
from juglant.core.music.notes import cents_between, note_hz
from juglant.core.music.tempo import frame_at
from juglant.core.types import Samples


def stroke_cents(track: Track, one: Part, stroke: Stroke) -> float:
    """How far a stroke is from its hit's own pitch, cents: by its note, where the hit has a pitch, and by its own."""
    if stroke.note is None:
        return stroke.tune_cents
    root_hz = played_root_hz(one, track.sheet.sample_rate, track.sheet.bpm)
    if root_hz is None:
        return stroke.tune_cents
    return round(cents_between(note_hz(stroke.note, track.sheet.a4_hz), root_hz) + stroke.tune_cents, 3)


def strokes_in_cents(track: Track, one: Part) -> list[Stroke]:
    """Strokes of a hit as they are played, each with all that it is off the hit's own pitch in `tune_cents`."""
    return [stroke.unchecked(tune_cents=stroke_cents(track, one, stroke), note=None) for stroke in track.played(one)]


def pitches_hz(track: Track, one: Part, own_hz: float) -> list[float]:
    """Every pitch a hit is played at, Hz, lowest first; its own where it is not played."""
    cents = {stroke.tune_cents for stroke in strokes_in_cents(track, one)} or {0.0}
    return [own_hz * 2 ** (each / 1200) for each in sorted(cents)]


def glide_cents(glide: Gliding, from_cents: float, frames: int, sample_rate: int) -> Samples:
    """How far a note is off its own pitch at every sample, cents, (frames,): from the note before, then along its bend.

    from_cents: where the note before is, from this one.
    """
    time_ms = np.arange(frames) * (1000 / sample_rate)
    end_ms = frames * 1000 / sample_rate
    slide_ms = min(glide.slide_ms, end_ms) if from_cents else 0.0
    slid = from_cents * np.clip(1 - time_ms / slide_ms, 0, 1) if slide_ms else np.zeros(frames)
    left_ms = max(end_ms - slide_ms, 1e-9)
    return np.asarray(slid + glide.bend_cents * np.clip((time_ms - slide_ms) / left_ms, 0, 1))


def glide_places(cents: Samples) -> Samples:
    """Where a sound is read at every sample while it is off its pitch, in its own samples, (frames,)."""
    return np.concatenate(([0.0], np.cumsum(2 ** (cents[:-1] / 1200))))


def read_at(sound: Samples, places: Samples) -> Samples:
    """A sound (frames,) read at places between its samples; its last sample holds beyond its end."""
    return np.asarray(ndimage.map_coordinates(sound, places[None], order=5, mode="nearest"))


def glides(stroke: Gliding, from_cents: float) -> bool:
    """Whether a note is anywhere off its own pitch."""
    return bool(stroke.bend_cents) or (stroke.slide_ms > 0 and from_cents != 0)


def played_strokes(track: Track, one: Part) -> list[tuple[Stroke, int, RenderedHit]]:
    """Each stroke of a hit that sounds, its first frame, and its sound: at its pitch, along its slide and bend, and cut
    where its note ends."""
    sheet, strokes = track.sheet, track.played(one)
    rate, tempo = sheet.sample_rate, stroke_tempo(one.hit, sheet.bpm)
    cents = [stroke_cents(track, one, stroke) for stroke in strokes]
    out = []
    for index, stroke in enumerate(strokes):
        start = frame_at(stroke.at_beats, sheet.bpm, rate)
        own = transposed(one.hit, cents[index])
        sound = cached_stroke(own, stroke.velocity, index % one.hit.velocity.robins, rate, tempo)
        from_cents = cents[index - 1] - cents[index]
        if stroke.length_beats is not None or glides(stroke, from_cents):
            ends = None if stroke.length_beats is None else frame_at(stroke.at_beats + stroke.length_beats, sheet.bpm, rate)
            sound = _gliding(sound, stroke, from_cents, None if ends is None else ends - start, rate)
        out.append((stroke, start, sound))
    return out


def placed_strokes(track: Track, one: Part) -> list[tuple[Stroke, int, RenderedHit]]:
    """The same with the frame each begins at where the part is placed by its end: so much earlier as it is long."""
    played = played_strokes(track, one)
    if not one.by_end:
        return played
    return [(stroke, start - sound.audio.shape[-1] + sound.lead_frames, sound) for stroke, start, sound in played]


def begun_beats(track: Track, one: Part) -> dict[float, float]:
    """Where each stroke of a part begins, in beats on the loop, by where it is written; only of one placed by its end."""
    per_beat, length = 60 / track.sheet.bpm * track.sheet.sample_rate, track.sheet.length_beats
    return {stroke.at_beats: (start / per_beat) % length for stroke, start, _ in placed_strokes(track, one)}


def _gliding(sound: RenderedHit, stroke: Stroke, from_cents: float, frames: int | None, rate: int) -> RenderedHit:
    """A stroke's sound along its slide and bend, no longer than its note."""
    lead = sound.lead_frames
    audio: Samples = sound.audio
    if glides(stroke, from_cents):
        long = audio.shape[-1] - lead if frames is None else frames
        places = lead + glide_places(glide_cents(stroke, from_cents, long, rate))
        rows = [np.concatenate((row[:lead], read_at(row, places))) for row in np.atleast_2d(audio)]
        audio = rows[0] if audio.ndim == 1 else np.stack(rows)
    if frames is not None:
        audio = cut(audio, lead + frames, sample_rate=rate)
    return RenderedHit(audio, lead)

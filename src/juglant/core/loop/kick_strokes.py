"""The kick's pattern played by a hit: strength, timing, round robin, and what cuts each stroke."""

from __future__ import annotations

import numpy as np

from juglant.core.hit.strokes import cached_mono
from juglant.core.hit.transpose import transposed
from juglant.core.loop.choke import cutters
from juglant.core.loop.kit import room_before, stroke_tempo
from juglant.core.loop.place import cut, gaps, loop_frames, place
from juglant.core.model.hit import Hit
from juglant.core.model.kit import KICK_ID
from juglant.core.model.track import Track
from juglant.core.music.tempo import frame_at
from juglant.core.types import Samples


def struck(track: Track, hit: Hit, gain_db: float = 0.0) -> Samples:
    """A hit on every stroke of the kick, (loop_frames,); each stroke cuts the one before it unless the hit is let ring."""
    sheet, out = track.sheet, np.zeros(loop_frames(track))
    strokes = track.played(track.kick_hit())
    starts = [frame_at(stroke.at_beats, sheet.bpm, sheet.sample_rate) for stroke in strokes]
    gain, tempo, ends = 10 ** (gain_db / 20), stroke_tempo(hit, sheet.bpm), cutters(track, KICK_ID)
    for index, (stroke, start, room) in enumerate(zip(strokes, starts, gaps(starts, out.size), strict=True)):
        robin = index % hit.velocity.robins
        one = cached_mono(transposed(hit, stroke.tune_cents), stroke.velocity, robin, sheet.sample_rate, tempo)
        if hit.velocity.rings:
            room = one.audio.size
        room = min(room, room_before(start, ends, out.size) + one.lead_frames) if ends else room
        sound = cut(one.audio, room, sample_rate=sheet.sample_rate)
        place(out, sound * gain, start - one.lead_frames)
    return out

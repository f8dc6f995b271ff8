"""The kick's pattern played by a hit: strength, timing, round robin, and what cuts each stroke."""

from __future__ import annotations

import numpy as np

from juglant.core.hit.render import RenderedHit, folded
from juglant.core.loop.choke import cutters
from juglant.core.loop.kit import room_before
from juglant.core.loop.pitched import played_strokes
from juglant.core.loop.place import cut, gaps, loop_frames, place
from juglant.core.model.hit import Hit
from juglant.core.model.ids import KICK_ID
from juglant.core.model.track import Track
from juglant.core.types import Samples


def struck(track: Track, hit: Hit, gain_db: float = 0.0) -> Samples:
    """A hit on every stroke of the kick, (loop_frames,); each stroke cuts the one before it unless the hit is let ring."""
    sheet, out = track.sheet, np.zeros(loop_frames(track))
    played = played_strokes(track, track.kick_hit().model_copy(update={"hit": hit}))
    starts = [start for _, start, _ in played]
    gain, ends = 10 ** (gain_db / 20), cutters(track, KICK_ID)
    for (_, start, whole), room in zip(played, gaps(starts, out.size), strict=True):
        one = RenderedHit(folded(whole.audio), whole.lead_frames)
        if hit.velocity.rings:
            room = one.audio.size
        room = min(room, room_before(start, ends, out.size) + one.lead_frames) if ends else room
        sound = cut(one.audio, room, sample_rate=sheet.sample_rate)
        place(out, sound * gain, start - one.lead_frames)
    return out

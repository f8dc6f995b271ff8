"""A part's level in the loop, apart from its sound: what is remembered of a part is as loud as it was made."""

from __future__ import annotations

import numpy as np

from juglant.core.model.ids import BASS_PART, KICK_ID
from juglant.core.model.track import Track
from juglant.core.types import Samples, SingleSamples


def level_of(track: Track, part: str) -> float:
    """A part's level in the loop, dB; raises NoSuchPart for a part that is not there."""
    if part == KICK_ID:
        return track.kick_part.gain_db
    return track.bass_part.gain_db if part == BASS_PART else track.hit_of(part).gain_db


def without_level(track: Track, part: str) -> Track:
    """The track with one part at 0 dB: tracks that differ in nothing but its level are the same then."""
    return track.with_part(part, gain_db=0.0)


def at_level(audio: Samples | SingleSamples, gain_db: float) -> Samples:
    """A sound at a level, not to be written to; itself at 0 dB."""
    wide = np.asarray(audio, dtype=np.float64)
    if gain_db == 0 and wide is audio:
        return wide
    out = wide * 10 ** (gain_db / 20)
    out.setflags(write=False)
    return out

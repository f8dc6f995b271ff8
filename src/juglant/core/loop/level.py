"""A part's level in the loop, apart from its sound: what is remembered of a part is as loud as it was made."""

from __future__ import annotations

import numpy as np

from juglant.core.model.duck import BASS_PART
from juglant.core.model.kit import KICK_ID
from juglant.core.model.track import Track
from juglant.core.types import Samples, SingleSamples


def level_of(track: Track, part: str) -> float:
    """A part's level in the loop, dB; raises NoSuchPart for a part that is not there."""
    if part == KICK_ID:
        return track.mix.kick_gain_db
    return track.mix.bass_gain_db if part == BASS_PART else track.hit_of(part).gain_db


def without_level(track: Track, part: str) -> Track:
    """The track with one part at 0 dB: tracks that differ in nothing but its level are the same then."""
    if part in (KICK_ID, BASS_PART):
        mix = track.mix.model_copy(update={f"{part}_gain_db": 0.0})
        return track.model_copy(update={"mix": mix})
    kit = tuple(one.model_copy(update={"gain_db": 0.0}) if one.id == part else one for one in track.kit)
    return track.model_copy(update={"kit": kit})


def at_level(audio: Samples | SingleSamples, gain_db: float) -> Samples:
    """A sound at a level, not to be written to; itself at 0 dB."""
    wide = np.asarray(audio, dtype=np.float64)
    if gain_db == 0 and wide is audio:
        return wide
    out = wide * 10 ** (gain_db / 20)
    out.setflags(write=False)
    return out

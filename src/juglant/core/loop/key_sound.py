"""What a compressor's side chain is sent: the kick that keys it, or its stroke copied to every key."""

from __future__ import annotations

from juglant.core.duck.compressor import key_level
from juglant.core.duck.keys import key_beats
from juglant.core.loop.kick_stem import carved_kick, carved_kick_description
from juglant.core.memory import remembered
from juglant.core.model.duck import Key
from juglant.core.model.ids import KICK_ID
from juglant.core.model.sheet import STRAIGHT_PCT
from juglant.core.model.strokes import struck
from juglant.core.model.track import Track
from juglant.core.types import Samples


def key_description(track: Track, key: Key) -> Track:
    """What the sound of a key is made from: the kick as carved, or a kick whose strokes are the keys."""
    if key.kind != "kick":
        places = sorted({round(at, 6) for at in key_beats(track, key)})
        straight = track.sheet.model_copy(update={"swing_pct": STRAIGHT_PCT})
        track = track.with_part(
            KICK_ID,
            strokes=tuple(struck(at) for at in places),
            loop=track.kick_loop.model_copy(update={"on": False}),
            shift_ms=0.0,
            muted=False,
        ).model_copy(update={"sheet": straight})
    return carved_kick_description(track)


@remembered()
def _level(description: Track) -> Samples:
    level = key_level(carved_kick(description), sample_rate=description.sheet.sample_rate)
    level.setflags(write=False)
    return level


def level_of_key(track: Track, key: Key) -> Samples:
    """Level of a key's sound over the loop, one value a millisecond, dBFS (pure, remembered)."""
    return _level(key_description(track, key))

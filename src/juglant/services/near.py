"""A recorded layer of a hit, and the sound of our own engines that comes nearest to it."""

from __future__ import annotations

import numpy as np

from juglant.core.errors import InvalidTrack, NoSuchPart
from juglant.core.hit.near_to import NearTo, near_to
from juglant.core.hit.render import folded, render_layer
from juglant.core.memory import newest
from juglant.core.model.ids import BASS_PART
from juglant.core.model.track import Track
from juglant.core.synth.take import Take
from juglant.core.synth.takes import find_take
from juglant.core.types import Samples


def _recorded(track: Track, part: str, layer_id: str) -> Samples:
    """What plays of a recorded layer, (frames,), without its chain; raises NoSuchPart and InvalidTrack."""
    layer = next((one for one in track.hit_of(part).hit.layers if one.id == layer_id), None)
    if layer is None:
        raise NoSuchPart(f"{part} has no layer {layer_id}")
    if not isinstance(layer.source, Take):
        raise InvalidTrack(f"{layer.name} is made by an engine already: only a recorded sound can be come near to")
    if find_take(layer.source.take) is None:
        raise InvalidTrack(f"the sound of {layer.name} is not here; load it, then try again")
    plain = layer.model_copy(update={"chain": (), "gain_db": 0.0, "pan_pct": 0.0, "inverted": False, "struck_by": None})
    return np.ascontiguousarray(folded(render_layer(plain, sample_rate=track.sheet.sample_rate)), dtype=float)


@newest(16)
def _near(audio: bytes, role: str, sample_rate: int, bpm: float) -> NearTo:
    return near_to(audio, role, sample_rate, bpm)


def near_recorded(track: Track, part: str, layer_id: str) -> NearTo:
    """The sound that comes nearest to a recorded layer; raises NoSuchPart, and InvalidTrack where there is none."""
    audio = _recorded(track, part, layer_id)
    role = "sub" if part == BASS_PART else track.hit_of(part).role
    return _near(audio.tobytes(), role, track.sheet.sample_rate, track.sheet.bpm)

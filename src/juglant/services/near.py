"""A recorded layer of a hit, and the sound of our own engines that comes nearest to it."""

from __future__ import annotations

import numpy as np
from pydantic import BaseModel, ConfigDict

from juglant.core.errors import InvalidTrack, NoSuchPart
from juglant.core.hit.levelled import moved_by
from juglant.core.hit.near_to import NearTo, near_to
from juglant.core.hit.render import folded, render_layer
from juglant.core.memory import newest
from juglant.core.model.hit import Hit, Layer
from juglant.core.model.ids import CONTEXT, Role
from juglant.core.model.track import Track
from juglant.core.synth.take import Take, sound_of

OWN_SOUND = ("id", "name", "source", "tune_cents", "low_cut_hz", "high_cut_hz")


class Rebuilt(BaseModel):
    """What was found near to a recorded layer, and both as they are heard side by side: the louder is turned down."""

    model_config = ConfigDict(frozen=True)
    found: NearTo
    recorded_heard: Hit
    rebuilt_heard: Hit


def _recorded(track: Track, part: str, layer_id: str) -> Layer:
    """A recorded layer as it plays without its chain; raises NoSuchPart and InvalidTrack."""
    layer = next((one for one in track.hit_of(part).hit.layers if one.id == layer_id), None)
    if layer is None:
        raise NoSuchPart(f"{part} has no layer {layer_id}")
    if not isinstance(layer.source, Take):
        raise InvalidTrack(f"{layer.name} is made by an engine already: only a recorded sound can be come near to")
    if sound_of(layer.source) is None:
        raise InvalidTrack(f"the sound of {layer.name} is not here; load it, then try again")
    # Its cut, pitch and band limits are the sound; its place in the sum and its chain are not.
    return Layer(**{name: getattr(layer, name) for name in OWN_SOUND})


@newest(16)
def _near(audio: bytes, role: Role, sample_rate: int, bpm: float) -> NearTo:
    return near_to(audio, role, sample_rate, bpm)


def near_recorded(track: Track, part: str, layer_id: str) -> Rebuilt:
    """The sound that comes nearest to a recorded layer; raises NoSuchPart, and InvalidTrack where there is none."""
    layer, rate, own = _recorded(track, part, layer_id), track.sheet.sample_rate, track.hit_of(part).role
    if own == CONTEXT:
        raise InvalidTrack(f"{layer.name} is of the rest of the track, which is heard as it is; load it as a hit")
    audio = np.ascontiguousarray(folded(render_layer(layer, sample_rate=rate)), dtype=float)
    role: Role = "sub" if own == "bass" else own
    found = _near(audio.tobytes(), role, rate, track.sheet.bpm)
    return Rebuilt(
        found=found,
        recorded_heard=moved_by(Hit(layers=(layer,)), min(0.0, -found.louder_db)),
        rebuilt_heard=moved_by(found.hit, min(0.0, found.louder_db)),
    )

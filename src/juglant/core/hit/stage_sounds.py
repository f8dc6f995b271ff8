"""What comes out of each processor, remembered: the screen and the findings ask for the same."""

from __future__ import annotations

from juglant.core.hit.render import bus_stages, layer_stages, unbound
from juglant.core.memory import LONG_BYTES, remembered
from juglant.core.model.hit import Hit
from juglant.core.types import Samples


@remembered(largest_bytes=LONG_BYTES)
def _stages(hit: Hit, sample_rate: int, bpm: float) -> list[Samples]:
    return layer_stages(hit, hit.layers[0], sample_rate=sample_rate, bpm=bpm)


@remembered(largest_bytes=LONG_BYTES)
def stages_of_bus(hit: Hit, sample_rate: int, bpm: float) -> list[Samples]:
    """What goes into the bus of a hit and comes out of each of its processors, each (channels, frames)."""
    return bus_stages(hit.bus, unbound(hit, sample_rate=sample_rate, bpm=bpm).audio, sample_rate=sample_rate, bpm=bpm)


def stages_of_layer(hit: Hit, layer_id: str, sample_rate: int, bpm: float) -> list[Samples]:
    """What comes out of a layer's source and then of each processor of its chain, each (channels, frames)."""
    own = next(layer for layer in hit.layers if layer.id == layer_id)
    if not own.chain:
        return []
    # Only what this chain is made from: another layer's change renders nothing here.
    striker = tuple(layer for layer in hit.layers if layer.id == own.struck_by)
    return _stages(Hit(layers=(own, *striker)), sample_rate, bpm)

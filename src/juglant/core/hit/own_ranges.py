"""A hit's own ranges: what is set to move stays inside them, whoever moves it."""

from __future__ import annotations

from typing import Any

from pydantic import BaseModel

from juglant.core.model.hit import Hit, Layer
from juglant.core.parameter.fields import inside, limits_of

Ends = tuple[float, float]
# A control by its layer, its place in the layer's chain (None: the layer and its engine) and its name.
Ranges = dict[tuple[str, int | None, str], Ends]


def ranges_of(hit: Hit) -> Ranges:
    """Lowest and highest value by control."""
    return {(one.layer_id, one.stage, one.parameter): (one.low, one.high) for one in hit.ranges}


def held(value: float, ranges: Ranges, layer_id: str, parameter: str) -> float:
    """A value of a layer or its engine inside its own range, where it has one."""
    ends = ranges.get((layer_id, None, parameter))
    return value if ends is None else inside(value, ends)


def _kept(owner: Any, layer_id: str, stage: int | None, ranges: Ranges) -> Any:
    model: type[BaseModel] = type(owner)
    update = {
        name: moved
        for (layer, at, name), ends in ranges.items()
        if layer == layer_id
        and at == stage
        and (limits := limits_of(model, name)) is not None
        # A range that lies outside of the ruler pins to the ruler's end.
        and (moved := inside(inside(float(getattr(owner, name)), ends), limits.ends)) != getattr(owner, name)
    }
    return owner.model_copy(update=update) if update else owner


def _layer_inside(layer: Layer, ranges: Ranges) -> Layer:
    made: Layer = _kept(layer, layer.id, None, ranges)
    source = _kept(made.source, layer.id, None, ranges)
    chain = tuple(_kept(one, layer.id, at, ranges) for at, one in enumerate(made.chain))
    if (source, chain) == (made.source, made.chain):
        return made
    return made.model_copy(update={"source": source, "chain": chain})


def kept_inside(hit: Hit, ranges: Ranges) -> Hit:
    """A hit with every control inside some ranges."""
    if not ranges:
        return hit
    return hit.model_copy(update={"layers": tuple(_layer_inside(layer, ranges) for layer in hit.layers)})

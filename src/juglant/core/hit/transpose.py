"""A hit at another pitch: by its engines' own parameters, and recorded layers by speed or with their length kept."""

from __future__ import annotations

from typing import Literal

from juglant.core.memory import newest
from juglant.core.model.hit import Hit, Layer
from juglant.core.music.notes import cents_between
from juglant.core.parameter.fields import limits_of
from juglant.core.synth.beater import Beater
from juglant.core.synth.clap import Clap
from juglant.core.synth.metal import Metal
from juglant.core.synth.rumble import Rumble
from juglant.core.synth.take import Take

# As each layer is set, or every recorded one this way.
Way = Literal["as set", "playback speed", "length kept"]
UNPITCHED = (Beater, Clap, Metal, Rumble)
MOST_CENTS = 2400.0


def _moved(layer: Layer, ratio: float, way: Way) -> Layer:
    source = layer.source
    if isinstance(source, UNPITCHED):
        return layer
    limits = limits_of(type(source), "landing_hz")
    if limits is not None and not isinstance(source, Take):
        wanted = source.landing_hz * ratio
        if limits.low <= wanted <= limits.high:
            return layer.model_copy(update={"source": source.model_copy(update={"landing_hz": round(wanted, 4)})})
    if isinstance(source, Take) and way != "as set":
        layer = layer.model_copy(update={"source": source.model_copy(update={"way": way})})
    elif limits is None and not isinstance(source, Take):
        return layer
    cents = layer.tune_cents + cents_between(ratio, 1.0)
    return layer.model_copy(update={"tune_cents": round(min(MOST_CENTS, max(-MOST_CENTS, cents)), 3)})


def retuned(hit: Hit, from_hz: float, to_hz: float, way: Way = "as set") -> Hit:
    """The hit with every pitched layer moved by the ratio of two frequencies; unpitched layers stay.

    A landing that was set by hand moves along.
    """
    ratio = to_hz / from_hz
    by_hand = None if hit.landing_by_hand_hz is None else round(hit.landing_by_hand_hz * ratio, 4)
    return hit.model_copy(
        update={"layers": tuple(_moved(layer, ratio, way) for layer in hit.layers), "landing_by_hand_hz": by_hand}
    )


@newest(64)
def transposed(hit: Hit, cents: float) -> Hit:
    """The hit as a stroke with a pitch of its own has it (pure, remembered)."""
    return retuned(hit, 1.0, 2 ** (cents / 1200)) if cents else hit

"""A hit made shorter or longer by its body, tail and recorded layers."""

from __future__ import annotations

from juglant.core.model.hit import Hit
from juglant.core.parameter.fields import within
from juglant.core.synth.sweep import Sweep
from juglant.core.synth.tail import Tail
from juglant.core.synth.take import Take, sound_of

SHORTEST_DECAY_MS = 5.0
# A recorded tail that is cut fades over some cycles, so that the cut is not heard as a click.
TAKE_FADE_MS = 60.0


def shortened(hit: Hit, ratio: float) -> Hit:
    """The hit with hold and decay of its body and tail scaled, and its recorded layers cut with a fade.

    A ratio over 1 lengthens: engines to the ends of their rulers, recorded layers to all there is of them.
    """
    layers = []
    for layer in hit.layers:
        source = layer.source
        if isinstance(source, (Sweep, Tail)):
            update = {
                "hold_ms": within(type(source), "hold_ms", source.hold_ms * ratio),
                "decay_ms": max(SHORTEST_DECAY_MS, within(type(source), "decay_ms", source.decay_ms * ratio)),
            }
            layer = layer.model_copy(update={"source": source.model_copy(update=update)})
        elif isinstance(source, Take) and (found := sound_of(source)) is not None:
            whole_ms = 1000 * found.audio.shape[1] / found.sample_rate
            length_ms = min(min(source.length_ms, whole_ms) * ratio, whole_ms)
            update = {"length_ms": max(1.0, round(length_ms, 2)), "fade_ms": TAKE_FADE_MS}
            layer = layer.model_copy(update={"source": source.model_copy(update=update)})
        layers.append(layer)
    return hit.model_copy(update={"layers": tuple(layers)})

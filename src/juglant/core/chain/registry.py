"""Every processor a chain can hold: one line each in the union and in the table."""

from __future__ import annotations

from collections.abc import Callable
from typing import Annotated, Any

from pydantic import Field

from juglant.core.chain import clip, compressor, delay, drawn, equalizer, gate, limit, reverb, reverse, saturate
from juglant.core.chain import transient as transients
from juglant.core.chain import width as widths
from juglant.core.chain.clip import Clip
from juglant.core.chain.compressor import Compressor
from juglant.core.chain.delay import Delay
from juglant.core.chain.drawn import Drawn
from juglant.core.chain.equalizer import Equalizer
from juglant.core.chain.gate import Gate
from juglant.core.chain.limit import Limit
from juglant.core.chain.reverb import Reverb
from juglant.core.chain.reverse import Reverse
from juglant.core.chain.saturate import Saturate
from juglant.core.chain.transient import Transient
from juglant.core.chain.width import Width
from juglant.core.types import Samples

AnyProcessor = (
    Equalizer | Saturate | Transient | Compressor | Drawn | Reverb | Delay | Gate | Reverse | Width | Clip | Limit
)
Processor = Annotated[AnyProcessor, Field(discriminator="kind")]
MOST_PROCESSORS = 16

APPLIED: dict[type[Any], Callable[..., Samples]] = {
    Equalizer: equalizer.apply,
    Saturate: saturate.apply,
    Transient: transients.apply,
    Compressor: compressor.apply,
    Drawn: drawn.apply,
    Reverb: reverb.apply,
    Delay: delay.apply,
    Gate: gate.apply,
    Reverse: reverse.apply,
    Width: widths.apply,
    Clip: clip.apply,
    Limit: limit.apply,
}
# Those whose sound depends on the tempo.
TIMED = (Delay, Gate)


def timed(chain: tuple[AnyProcessor, ...]) -> bool:
    """Whether a chain sounds different at another tempo."""
    return any(isinstance(one, TIMED) and one.on for one in chain)


def widens(one: AnyProcessor) -> bool:
    """Whether a processor makes two sides of one."""
    return one.on and (isinstance(one, Width) or (isinstance(one, Reverb) and one.wide))


def process(chain: tuple[AnyProcessor, ...], audio: Samples, *, sample_rate: int, bpm: float) -> list[Samples]:
    """(channels, frames) through a chain: what came out of each processor in turn, those that are off included."""
    out = []
    for settings in chain:
        if settings.on and audio.shape[1]:
            audio = APPLIED[type(settings)](settings, audio, sample_rate=sample_rate, bpm=bpm)
        out.append(audio)
    return out

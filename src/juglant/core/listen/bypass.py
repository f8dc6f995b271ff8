"""By-passing: the track without a stage, a layer or a whole part, and what makes both equally loud."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from pydantic import BaseModel, ConfigDict, Field

from juglant.core.chain.registry import MOST_PROCESSORS, AnyProcessor
from juglant.core.errors import NoSuchPart
from juglant.core.loop.groups import goes_on, off_buses
from juglant.core.loop.render import heard_stem, render_stems
from juglant.core.measure.level import SILENCE_LUFS, loop_loudness
from juglant.core.model.hit import Hit
from juglant.core.model.ids import BASS_PART, KICK_ID
from juglant.core.model.stem import StemRef
from juglant.core.model.track import Track
from juglant.core.synth.bass import LAYERS, OFF_DB

# The level of each layer of a bass.
BASS_LEVELS: dict[str, str] = {"sub": "sub_db", "source": "upper_db", "mid": "mid_db", "start": "blip_db"}


class Bypass(BaseModel):
    """What is left out: a part; one layer of it; one stage of that layer's chain, or of the bus where no layer is named."""

    model_config = ConfigDict(frozen=True, extra="forbid")
    part: str = Field(max_length=40)
    layer: str | None = Field(default=None, max_length=40)
    stage: int | None = Field(default=None, ge=0, lt=MOST_PROCESSORS)

    @property
    def whole(self) -> bool:
        """Whether a part is left out with all it has."""
        return self.layer is None and self.stage is None


@dataclass(frozen=True)
class Compared:
    """A track without something, and by how much each side is turned down, dB, so that both are equally loud.

    with_db, without_db: the quieter side has 0. matched: False where either side is silent: nothing is turned down then.
    idle: whether leaving it out changes nothing at all; of_loop: whether the whole loop is turned down, and not its part.
    """

    track: Track
    with_db: float
    without_db: float
    matched: bool
    idle: bool
    of_loop: bool


def _stage_off(chain: tuple[AnyProcessor, ...], stage: int, whose: str) -> tuple[AnyProcessor, ...]:
    if stage >= len(chain):
        raise NoSuchPart(f"{whose} has {len(chain)} processors, there is no number {stage + 1} to by-pass")
    off = chain[stage].model_copy(update={"on": False})
    return (*chain[:stage], off, *chain[stage + 1 :])


def _hit_without(hit: Hit, left_out: Bypass) -> Hit:
    if left_out.layer is None:
        assert left_out.stage is not None  # noqa: S101 (a whole part has no hit to change)
        if not hit.bind:
            raise NoSuchPart("the bus of this hit is not bound: there is nothing to by-pass")
        return hit.model_copy(update={"bus": _stage_off(hit.bus, left_out.stage, "the bus")})
    if all(layer.id != left_out.layer for layer in hit.layers):
        raise NoSuchPart(f"there is no layer {left_out.layer!r} in this hit")
    change: dict[str, Any] = {"muted": True}
    layers = []
    for layer in hit.layers:
        if layer.id == left_out.layer:
            if left_out.stage is not None:
                change = {"chain": _stage_off(layer.chain, left_out.stage, layer.name)}
            layer = layer.model_copy(update=change)
        layers.append(layer)
    return hit.model_copy(update={"layers": tuple(layers)})


def without(track: Track, left_out: Bypass) -> Track:
    """The track without one stage or layer; a whole part or bus only goes through no bus. Raises NoSuchPart."""
    part = left_out.part
    if left_out.whole:
        return off_buses(track, part)
    if part == BASS_PART:
        if left_out.layer is None:
            assert left_out.stage is not None  # noqa: S101 (a whole part is not changed)
            return track.with_part(BASS_PART, chain=_stage_off(track.bass_chain, left_out.stage, "the bass"))
        if track.bass.source == LAYERS:
            return track.with_hit(BASS_PART, _hit_without(track.bass_part.hit, left_out))
        level = BASS_LEVELS.get(left_out.layer)
        if level is None or left_out.stage is not None:
            raise NoSuchPart(f"the bass has the layers {', '.join(BASS_LEVELS)}, none of them with a chain of its own")
        return track.with_part(BASS_PART, instrument=track.bass.model_copy(update={level: OFF_DB}))
    one = track.hit_of(part)
    if part == KICK_ID and track.kick_loop.plays and not track.kick_loop.processed:
        raise NoSuchPart("the kick comes from a loop: its layers and processors are not heard, so none can be by-passed")
    return track.with_hit(part, _hit_without(one.hit, left_out))


def compared(track: Track, left_out: Bypass) -> Compared:
    """The track without something, both sides measured as they are heard: the part for a stage or layer of it; the whole
    loop where the part itself is left out, or goes through a bus or a space, which hear it at its own level. Raises
    NoSuchPart as `without`.
    """
    rate, made = track.sheet.sample_rate, without(track, left_out)
    whole = left_out.whole or goes_on(track, left_out.part)
    if whole:
        gone = heard_stem(made, StemRef(left_out.part)) if left_out.whole else 0.0
        sides = (render_stems(track).loop, np.asarray(render_stems(made).loop - gone))
    else:
        ref = StemRef(left_out.part)
        sides = (heard_stem(track, ref), heard_stem(made, ref))
    idle = sides[0].shape == sides[1].shape and bool(np.array_equal(*sides))
    here, there = (loop_loudness(one, sample_rate=rate) for one in sides)
    if min(here, there) <= SILENCE_LUFS:
        return Compared(made, 0.0, 0.0, False, idle, whole)
    return Compared(made, min(0.0, there - here), min(0.0, here - there), True, idle, whole)

"""A hit: layers, each an engine with its place in the sum."""

from __future__ import annotations

from typing import Literal, Self

from pydantic import Field, model_validator

from juglant.core.chain.registry import MOST_PROCESSORS, Processor
from juglant.core.model.own_range import OwnRange
from juglant.core.model.velocity import Velocity
from juglant.core.parameter.parameter import Description, parameter
from juglant.core.synth.registry import Engine
from juglant.core.synth.rumble import Rumble

MAX_LAYERS = 16
MOST_FRONT = 8
MOST_RANGES = 200
# At these ends of their rulers the band limits are out of the path.
LOW_CUT_OFF_HZ = 10.0
HIGH_CUT_OFF_HZ = 20000.0


class Layer(Description):
    """One sound in a hit."""

    id: str = Field(min_length=1, max_length=40, pattern=r"^[a-z0-9-]+$")
    name: str = Field(min_length=1, max_length=40)
    source: Engine
    gain_db: float = parameter(0, -60, 6, "dB", "Level of this layer in the hit.", title="Level", step=0.5)
    inverted: bool = Field(default=False, title="Invert polarity")
    offset_ms: float = parameter(0, -50, 200, "ms", "Start against the hit's own start.", title="Start offset", step=0.1)
    tune_cents: float = parameter(
        0, -2400, 2400, "cents", "Moves every pitch and corner of the engine.", title="Tune", step=100
    )
    low_cut_hz: float = parameter(
        LOW_CUT_OFF_HZ,
        10,
        2000,
        "Hz",
        "Nothing of this layer below; 10 Hz is off.",
        title="Low cut",
        scale="log",
        step=5,
    )
    high_cut_hz: float = parameter(
        HIGH_CUT_OFF_HZ, 60, 20000, "Hz", "Nothing above; 20 kHz is off.", title="High cut", scale="log", step=10
    )
    pan_pct: float = parameter(
        0, -100, 100, "%", "Left to right at equal power; the kick stays in the middle.", title="Pan", step=5
    )
    struck_by: str | None = Field(
        default=None, max_length=40, title="Struck by", description="The layer whose sound strikes the skins."
    )
    chain: tuple[Processor, ...] = Field(default=(), max_length=MOST_PROCESSORS)
    muted: bool = Field(default=False, title="Mute")
    solo: bool = Field(default=False, title="Solo")


class Hit(Description):
    """Layers from top to bottom; their sum is the hit, unprocessed unless it is bound."""

    layers: tuple[Layer, ...] = Field(default=(), max_length=MAX_LAYERS)
    bind: bool = Field(default=False, title="Bind", description="Whether the sum goes through the bus.")
    bus: tuple[Processor, ...] = Field(default=(), max_length=MOST_PROCESSORS)
    velocity: Velocity = Velocity()
    kick: Hit | None = Field(
        default=None, title="Made of", description="The kick a rumble is made of: put in by the track, never stored."
    )
    front: tuple[str, ...] = Field(
        default=(), max_length=MOST_FRONT, title="Front controls", description="Parameters as layer/parameter."
    )
    locked: tuple[str, ...] = Field(
        default=(), max_length=400, title="Locked", description="Parameters that no roll changes, as layer/parameter."
    )
    ranges: tuple[OwnRange, ...] = Field(
        default=(), max_length=MOST_RANGES, title="Own ranges", description="Where rolls, strength maps and morphs stay."
    )
    landing_by_hand_hz: float | None = Field(
        default=None, ge=10, le=2000, title="Landing by hand", description="Where the user says it lands; it is kept."
    )
    tuned_by: Literal["automatic", "landing", "heard"] = Field(
        default="automatic", title="Tuned by", description="Which pitch counts where landing and heard pitch differ."
    )

    @property
    def has_rumble(self) -> bool:
        """Whether a layer is made of a kick."""
        return any(isinstance(layer.source, Rumble) for layer in self.layers)

    @model_validator(mode="after")
    def _ids_differ(self) -> Self:
        ids = [layer.id for layer in self.layers]
        if len(set(ids)) != len(ids):
            raise ValueError("layer ids must differ from each other")
        if any(
            getattr(one, "bars_db", ()) for chain in (self.bus, *(layer.chain for layer in self.layers)) for one in chain
        ):
            raise ValueError("a hit sounds alike in every bar: only what a line goes through is fed by bar")
        named = [(one.layer_id, one.stage, one.parameter) for one in self.ranges]
        if len(set(named)) != len(named):
            raise ValueError("a control has one own range at most")
        struck = {layer.id: layer.struck_by for layer in self.layers if layer.struck_by}
        for own, other in struck.items():
            if other == own or struck.get(other):
                raise ValueError(f"layer {own} must be struck by another layer that is not struck itself, got {other}")
        return self

    def heard(self) -> list[Layer]:
        """Layers that sound: the soloed ones if any is soloed, without the muted."""
        solo = any(layer.solo for layer in self.layers)
        return [layer for layer in self.layers if not layer.muted and (layer.solo or not solo)]

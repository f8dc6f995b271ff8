"""What a starting point is, and where a hit of its role is usually played."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from juglant.core.chain.registry import AnyProcessor
from juglant.core.model.hit import Hit, Layer
from juglant.core.model.ids import Role
from juglant.core.model.strokes import Stroke
from juglant.core.model.velocity import Velocity, VelocityMap
from juglant.core.music.tempo import BEATS_PER_BAR
from juglant.core.synth.registry import AnyEngine

# Beats of a bar and strengths (common practice in four-to-the-floor; a first pattern to change).
USUAL: dict[Role, tuple[tuple[float, int], ...]] = {
    "kick": ((0, 127), (1, 127), (2, 127), (3, 127)),
    "snare": ((1, 112), (3, 112)),
    "clap": ((1, 112), (3, 112)),
    "hat": tuple((step / 4, 104 if step % 4 == 2 else 76 if step % 2 == 0 else 52) for step in range(16)),
    "open hat": ((0.5, 100), (1.5, 100), (2.5, 100), (3.5, 100)),
    "tom": ((2.75, 84), (3.25, 96), (3.75, 110)),
    "rumble": ((0, 127), (1, 127), (2, 127), (3, 127)),
    "chord": ((0, 100),),
    "sub": ((0, 127),),
    "percussion": ((0.75, 88), (1.75, 70), (2.5, 96), (3.75, 80)),
}
HAT_GROUP = 1


Family = Literal["acoustic", "house", "techno", "deep", "hard", "minimal", "broken"]

# A soft stroke is a softer stick too, and rings shorter (skins: strength); the level comes from the map alone.
STRUCK = Velocity(
    range_db=6,
    darker_octaves=1,
    softer_ms=1,
    maps=(
        VelocityMap(layer_id="skins", parameter="strength", soft=0.2),
        VelocityMap(layer_id="skins", parameter="stiffness", soft=0.25),
    ),
)
OPENING = Velocity(range_db=20, darker_octaves=1.2, softer_ms=1, robins=4, robin_db=1.2, robin_cents=15)
ALIKE = Velocity(range_db=18, darker_octaves=1.5, softer_ms=1, robins=3, robin_db=1, robin_cents=12)


@dataclass(frozen=True)
class Start:
    """One starting point as it is described; synthetic: on purpose unlike anything recorded of its role."""

    role: Role
    name: str
    help: str
    hit: Hit
    family: Family
    synthetic: bool = False


def layered(**layers: tuple[AnyEngine, float, float]) -> tuple[Layer, ...]:
    """Layers by name: source, level in dB, offset in ms."""
    return tuple(
        Layer(id=key, name=key.capitalize(), source=source, gain_db=gain_db, offset_ms=offset_ms)
        for key, (source, gain_db, offset_ms) in layers.items()
    )


def start(
    role: Role,
    family: Family,
    name: str,
    text: str,
    velocity: Velocity,
    *,
    synthetic: bool = False,
    **layers: tuple[AnyEngine, float, float],
) -> Start:
    """A start from its layers."""
    return Start(role, name, text, Hit(layers=layered(**layers), velocity=velocity), family, synthetic)


def with_chain(layers: tuple[Layer, ...], layer_id: str, *chain: AnyProcessor, pan_pct: float = 0) -> tuple[Layer, ...]:
    """Layers with a chain and a pan for one of them."""
    return tuple(
        layer.model_copy(update={"chain": chain, "pan_pct": pan_pct}) if layer.id == layer_id else layer for layer in layers
    )


def usual_strokes(role: Role, length_beats: int) -> tuple[Stroke, ...]:
    """The usual pattern of a role over a loop."""
    return tuple(
        Stroke(at_beats=bar + at, velocity=velocity)
        for bar in range(0, length_beats, BEATS_PER_BAR)
        for at, velocity in USUAL[role]
    )


def usual_choke(role: Role) -> int:
    """Closed and open hats choke each other; nothing else does."""
    return HAT_GROUP if role in ("hat", "open hat") else 0

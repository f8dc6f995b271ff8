"""What a starting point is, and where a hit of its role is usually played."""

from __future__ import annotations

from dataclasses import dataclass

from juglant.core.chain.registry import AnyProcessor
from juglant.core.model.hit import Hit, Layer
from juglant.core.model.ids import Role
from juglant.core.model.strokes import Stroke
from juglant.core.synth.registry import AnyEngine

BAR_BEATS = 4
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


@dataclass(frozen=True)
class Start:
    """One starting point as it is described."""

    role: Role
    name: str
    help: str
    hit: Hit


def layered(**layers: tuple[AnyEngine, float, float]) -> tuple[Layer, ...]:
    """Layers by name: source, level in dB, offset in ms."""
    return tuple(
        Layer(id=key, name=key.capitalize(), source=source, gain_db=gain_db, offset_ms=offset_ms)
        for key, (source, gain_db, offset_ms) in layers.items()
    )


def with_chain(layers: tuple[Layer, ...], layer_id: str, *chain: AnyProcessor, pan_pct: float = 0) -> tuple[Layer, ...]:
    """Layers with a chain and a pan for one of them."""
    return tuple(
        layer.model_copy(update={"chain": chain, "pan_pct": pan_pct}) if layer.id == layer_id else layer for layer in layers
    )


def usual_strokes(role: Role, length_beats: int) -> tuple[Stroke, ...]:
    """The usual pattern of a role over a loop."""
    return tuple(
        Stroke(at_beats=bar + at, velocity=velocity)
        for bar in range(0, length_beats, BAR_BEATS)
        for at, velocity in USUAL[role]
    )


def usual_choke(role: Role) -> int:
    """Closed and open hats choke each other; nothing else does."""
    return HAT_GROUP if role in ("hat", "open hat") else 0

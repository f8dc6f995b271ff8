"""How the strength of a stroke changes a hit: level, colour, attack, and any parameter by a declared map."""

from __future__ import annotations

from pydantic import Field

from juglant.core.parameter.parameter import Description, parameter

SOFTEST, HARDEST = 1, 127
MOST_MAPS = 16
# At this end of its ruler the softest stroke is as bright as the hardest.
BRIGHT_OCTAVES = 0.0


class VelocityMap(Description):
    """One parameter that follows the strength: its set value at 127, `soft` at 1."""

    layer_id: str = Field(min_length=1, max_length=40)
    parameter: str = Field(pattern=r"^[a-z0-9_]{1,40}$")
    soft: float


class Velocity(Description):
    """What the softest stroke is against the hardest, which is the hit as set; and how strokes differ from each other."""

    range_db: float = parameter(24, 0, 60, "dB", "How much quieter velocity 1 is than 127.", title="Range", step=1)
    darker_octaves: float = parameter(
        2, 0, 6, "octaves", "How far the top comes down from 16 kHz at velocity 1.", title="Darker", step=0.1
    )
    softer_ms: float = parameter(2, 0, 30, "ms", "How much slower the start is at velocity 1.", title="Softer", step=0.5)
    maps: tuple[VelocityMap, ...] = Field(default=(), max_length=MOST_MAPS)
    robins: int = Field(
        default=1, ge=1, le=8, title="Round robins", description="Strokes in turn that are not quite alike; 1 is off."
    )
    robin_db: float = parameter(1, 0, 6, "dB", "How much their levels differ.", title="Levels differ", step=0.1)
    robin_cents: float = parameter(8, 0, 60, "cents", "How much their pitches differ.", title="Pitches differ", step=1)
    rings: bool = Field(
        default=False, title="Let it ring", description="A new stroke leaves the last one ringing instead of cutting it."
    )

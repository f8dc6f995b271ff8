"""Ducking: who makes room in time, keyed by what, by which curve."""

from __future__ import annotations

from typing import Literal, Self

from pydantic import Field, model_validator

from juglant.core.model.kit import MOST_HITS
from juglant.core.model.parameter import Description, parameter
from juglant.core.model.sheet import MOST_BEATS

KeyKind = Literal["kick", "hits", "trigger", "grid"]
TriggerPattern = Literal["as the kick", "eighths", "sixteenths", "off-beats", "free"]
Together = Literal["deepest", "sum"]
Space = Literal["with the part", "rings on"]
BASS_PART = "bass"
# Bass, kick and every hit may be ducked; the kick and every hit may be keys.
MOST_CURVES, MOST_TARGETS, MOST_KEYS, MOST_TRIGGERS = 4, MOST_HITS + 2, MOST_HITS + 1, 1024


class Key(Description):
    """What restarts a curve: the audible kick, some hits, the silent trigger, or the tempo grid."""

    kind: KeyKind = Field(default="kick", title="Keyed by")
    hit_ids: tuple[str, ...] = Field(default=(), max_length=MOST_KEYS, description="The hits that key it.")
    grid_beats: float = parameter(1, 0.25, 4, "beats", "Distance of the grid's keys.", title="Every", step=0.25)
    offset_beats: float = parameter(0, 0, 4, "beats", "Where the first of them is.", title="From", step=0.25)


class Trigger(Description):
    """A pattern of keys that nobody hears; it runs on where the kick rests."""

    pattern: TriggerPattern = Field(default="as the kick", title="Silent trigger")
    at_beats: tuple[float, ...] = Field(default=(), max_length=MOST_TRIGGERS, description="Its places where it is free.")


class Duck(Description):
    """A gain curve restarted by every key: fall ahead of it, hold, return."""

    key: Key = Key()

    on: bool = Field(default=False, title="Duck")
    depth_db: float = parameter(9, 0, 24, "dB", "How far the bass goes down.", title="Depth", step=0.5)
    lookahead_ms: float = parameter(
        10, 0, 120, "ms", "How long before the kick the fall begins.", title="Look-ahead", step=1
    )
    fall_ms: float = parameter(4, 1, 60, "ms", "Time from full level to the depth.", title="Fall", scale="log", step=1)
    hold_ms: float = parameter(90, 0, 1500, "ms", "Time after the kick at the depth.", title="Hold", step=5)
    return_ms: float = parameter(
        120, 20, 1500, "ms", "Time from the depth back to full level.", title="Return", scale="log", step=5
    )
    shape: float = parameter(
        1,
        0.3,
        3,
        "",
        "1 rises evenly in dB; above it swells late, below it early.",
        title="Shape",
        scale="log",
        step=0.1,
    )
    recovery_beats: float | None = Field(
        default=None,
        gt=0,
        le=MOST_BEATS,
        title="Recovery point",
        description="Beats after the kick by which the bass is back; empty: found from the pattern.",
        json_schema_extra={"unit": "beats"},
    )


class Target(Description):
    """A part that is ducked: its curves, how they go together, and how much of the part they move."""

    part: str = Field(max_length=40, pattern=r"^[a-z0-9-]+$", description="bass, kick, or a hit of the kit by its id.")
    curves: tuple[Duck, ...] = Field(default=(), max_length=MOST_CURVES)
    together: Together = Field(
        default="deepest", title="Curves together", description="Where several act at once: the deepest, or their sum."
    )
    limit_db: float = parameter(24, 3, 48, "dB", "Their sum goes no deeper.", title="Sum limit", step=1)
    split: bool = Field(default=False, title="Only below", description="Only what lies below a corner is ducked.")
    split_hz: float = parameter(150, 60, 2000, "Hz", "Below it the part is ducked.", title="Split", scale="log", step=10)
    space: Space = Field(
        default="with the part",
        title="Reverb and delay",
        description="Ducked with the part, or fed by the ducked part and left to ring on.",
    )


class Ducking(Description):
    """What else is ducked than the bass by its own curve, and the silent trigger."""

    trigger: Trigger = Trigger()
    targets: tuple[Target, ...] = Field(default=(), max_length=MOST_TARGETS)

    @model_validator(mode="after")
    def _parts_differ(self) -> Self:
        if len({one.part for one in self.targets}) != len(self.targets):
            raise ValueError("targets must not name a part twice")
        return self

    def of(self, part: str) -> Target:
        """How a part is ducked; one without curves where it is not."""
        return next((one for one in self.targets if one.part == part), Target(part=part))

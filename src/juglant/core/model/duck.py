"""The duck: how the bass makes room in time."""

from __future__ import annotations

from pydantic import Field

from juglant.core.model.parameter import Description, parameter
from juglant.core.model.sheet import MOST_BEATS


class Duck(Description):
    """A gain curve restarted by every kick: fall ahead of it, hold, return."""

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

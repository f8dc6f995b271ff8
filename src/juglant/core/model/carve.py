"""The carve: at most a few EQ moves on the part that yields, and a floor filter."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from juglant.core.parameter.parameter import Description, parameter

Phase = Literal["minimum", "linear"]
Shape = Literal["bell", "low shelf", "high shelf", "high-pass"]
Slope = Literal[12, 24, 36, 48]
Order = Literal["carve first", "duck first"]
# A pass of 24 dB an octave, as the solver names it.
PASS_24: Literal["high-pass 24"] = "high-pass 24"  # noqa: S105 - the name of a filter
# What a computed carve was computed for: 1 is its share of the goal; 0 is by hand, or by an aim before that.
NO_AIM, SHARE_AIM = 0, 1
MOST_MOVES = 3


class Move(Description):
    """One EQ move, as in the Audio EQ Cookbook; a high-pass ignores its gain, from 24 dB an octave its Q too."""

    shape: Shape = Field(default="bell", title="Shape")
    frequency_hz: float = parameter(60, 20, 20000, "Hz", "Centre or corner.", title="Frequency", scale="log", step=1)
    gain_db: float = parameter(-3, -12, 3, "dB", "Boost or cut at the centre.", title="Gain", step=0.5)
    q: float = parameter(0.9, 0.3, 8, "", "Width: higher is narrower.", title="Q", scale="log", step=0.1)
    slope_db: Slope = Field(
        default=12, title="Slope", description="How steep a high-pass is.", json_schema_extra={"unit": "dB/octave"}
    )


class Carve(Description):
    """EQ on the yielder, and the floor filter that both low parts pass once."""

    on: bool = Field(default=False, title="Carve")
    moves: tuple[Move, ...] = Field(default=(), max_length=MOST_MOVES)
    kick_moves: tuple[Move, ...] = Field(
        default=(), max_length=MOST_MOVES, description="On the kick, where zones of the low end are the bass's."
    )
    share_pct: float = parameter(
        50, 0, 100, "%", "Of what the goal lacks the carve of the bass takes so much, ducking the rest.",
        title="Share of the carve", step=5,
    )  # fmt: skip
    kick_share_pct: float = parameter(
        100, 0, 100, "%", "Where the kick gives way its carve takes so much, a duck under the bass's notes the rest.",
        title="Share of the carve", step=5,
    )  # fmt: skip
    order: Order = Field(default="carve first", title="Order", description="Which is computed first, and which the rest.")
    depth_limit_db: float = parameter(
        6, 3, 12, "dB", "A computed carve cuts no deeper from the line's lowest note on.", title="No deeper than", step=0.5
    )
    lift_limit_db: float = parameter(
        0, 0, 3, "dB", "A computed carve lifts so much where that evens what it cuts; 0: it only cuts.",
        title="May lift by", step=0.5,
    )  # fmt: skip
    aim: int = Field(default=NO_AIM, ge=0, le=100, description="What the moves were computed for; 0: by hand, or before.")
    mirror_pct: float = parameter(
        0, 0, 100, "%", "The owner lifted where the yielder is cut, by this share of it and at most 3 dB.",
        title="Owner lifted", step=5,
    )  # fmt: skip
    kick_pass_on: bool = Field(default=False, title="Kick high-pass")
    kick_pass_hz: float = parameter(
        40, 20, 90, "Hz", "Below it the kick rolls off, 12 dB per octave.", title="Kick corner", scale="log", step=1
    )
    kick_pass_q: float = parameter(
        1.2, 0.5, 3, "", "Over 0.71 it rings at its corner, and lifts it.", title="Resonance", scale="log", step=0.1
    )
    phase: Phase = Field(
        default="minimum",
        title="Phase",
        description="Linear keeps every frequency in time and rings ahead of each start; minimum rings behind it.",
    )
    floor_on: bool = Field(default=False, title="Floor filter")
    floor_hz: float = parameter(
        30, 20, 50, "Hz", "Both low parts roll off below this, 24 dB per octave.", title="Floor", scale="log", step=1
    )

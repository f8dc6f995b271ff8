"""Holding the bass steady: its notes as loud as each other, before carve and duck."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from juglant.core.parameter.parameter import Description, parameter

Hold = Literal["off", "lows compressed", "limited"]


class Steady(Description):
    """A compressor on the bass's lows alone, or a limiter on all of it; levels are the bass's own, before its gain."""

    hold: Hold = Field(default="off", title="Held by", description="What evens the line beside the notes' own levels.")
    split_hz: float = parameter(
        250, 80, 800, "Hz", "Only what lies below is compressed.", title="Lows up to", scale="log", step=10
    )
    threshold_db: float = parameter(-12, -60, 0, "dB", "Where the compressor begins.", title="Threshold", step=0.5)
    ratio: float = parameter(4, 1, 20, "", "Input change for 1 dB of output change.", title="Ratio", scale="log", step=0.1)
    attack_ms: float = parameter(10, 1, 200, "ms", "Time constant (63 %) of the fall.", title="Attack", scale="log", step=1)
    ceiling_db: float = parameter(-6, -48, 0, "dB", "Peak that the limiter holds.", title="Ceiling", step=0.5)
    release_ms: float = parameter(
        150, 10, 1500, "ms", "Time constant (63 %) of the return.", title="Release",
        scale="log", step=5,
    )  # fmt: skip
    makeup_db: float = parameter(0, -12, 24, "dB", "Gain after it.", title="Make-up", step=0.5)

"""The carve: at most a few EQ moves on the part that yields, and a floor filter."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from juglant.core.model.parameter import Description, parameter

Phase = Literal["minimum", "linear"]
Shape = Literal["bell", "low shelf", "high shelf", "high-pass"]


class Move(Description):
    """One EQ section, as in the Audio EQ Cookbook; a high-pass ignores its gain."""

    shape: Shape = Field(default="bell", title="Shape")
    frequency_hz: float = parameter(60, 20, 20000, "Hz", "Centre or corner.", title="Frequency", scale="log", step=1)
    gain_db: float = parameter(-3, -9, 3, "dB", "Boost or cut at the centre.", title="Gain", step=0.5)
    q: float = parameter(0.9, 0.3, 8, "", "Width: higher is narrower.", title="Q", scale="log", step=0.1)


class Carve(Description):
    """EQ on the yielder, and the floor filter that both low parts pass once."""

    on: bool = Field(default=False, title="Carve")
    moves: tuple[Move, ...] = Field(default=(), max_length=3)
    mirror_pct: float = parameter(
        0, 0, 100, "%", "The owner lifted where the yielder is cut, by this share of it and at most 3 dB.", title="Mirror",
        step=5,
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

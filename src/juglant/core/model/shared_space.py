"""Shared spaces: a room or an echo that parts are sent to, ducked and without lows."""

from __future__ import annotations

from typing import Literal, Self

from pydantic import Field, field_validator, model_validator

from juglant.core.chain.delay import NoteValue
from juglant.core.model.ids import MOST_PARTS, PART_PATTERN, reserved
from juglant.core.parameter.parameter import Description, parameter

MOST_SPACES = 3
SEND_OFF_DB = -60.0
# Loops are whole bars: each of these comes round within one.
Turn = Literal["1/2", "1", "2", "4"]


class Send(Description):
    """How much of one part is sent."""

    part: str = Field(max_length=40, pattern=PART_PATTERN)
    level_db: float = parameter(-12, SEND_OFF_DB, 6, "dB", "How much of it is sent; -60 is off.", title="Send", step=0.5)


class SharedSpace(Description):
    """One shared space: what it is, how it moves and gives way, and who is sent to it."""

    id: str = Field(min_length=1, max_length=40, pattern=PART_PATTERN)
    name: str = Field(min_length=1, max_length=40)
    kind: Literal["room", "echo"] = Field(default="room", title="Space")
    on: bool = Field(default=True, title="On")
    level_db: float = parameter(0, -40, 12, "dB", "Level of all that comes back.", title="Level", step=0.5)
    low_cut_hz: float = parameter(250, 20, 2000, "Hz", "Nothing of it below, 24 dB an octave.", title="Low cut",
                                  scale="log", step=10)  # fmt: skip
    high_cut_hz: float = parameter(8000, 500, 18000, "Hz", "Little of it above.", title="High cut", scale="log", step=100)
    ring_ms: float = parameter(1200, 100, 10000, "ms", "Time in which the room falls by 60 dB.", title="Rings", scale="log",
                               step=50)  # fmt: skip
    before_ms: float = parameter(15, 0, 200, "ms", "Time before the room begins.", title="Begins after", step=1)
    seed: int = Field(default=1, ge=0, le=9999, title="Seed", description="Another seed, another room.")
    every: NoteValue = Field(default="1/8 dotted", title="Every", description="Time between echoes.")
    feedback_pct: float = parameter(40, 0, 90, "%", "Level of each echo against the one before.", title="Feedback", step=1)
    sides: Literal["middle", "wide", "ping-pong"] = Field(
        default="wide", title="Sides", description="One room for both sides or one for each; echoes in turn on either side."
    )
    move_pct: float = parameter(0, 0, 100, "%", "How far it swings from side to side.", title="Movement", step=5)
    move_beats: Turn = Field(default="2", title="Once in", description="Beats in which it swings there and back.")
    duck_db: float = parameter(0, 0, 24, "dB", "How far it goes down under each kick.", title="Ducked by", step=0.5)
    duck_hold_ms: float = parameter(120, 0, 800, "ms", "How long it stays down.", title="Duck hold", step=5)
    duck_return_ms: float = parameter(
        180, 20, 1500, "ms", "Time in which it comes back.", title="Duck return", scale="log", step=10
    )
    sends: tuple[Send, ...] = Field(default=(), max_length=MOST_PARTS)

    @field_validator("id")
    @classmethod
    def _not_taken_for_another(cls, space_id: str) -> str:
        if (why := reserved(space_id)) is not None:
            raise ValueError(why)
        return space_id

    @model_validator(mode="after")
    def _sent_once(self) -> Self:
        if len({one.part for one in self.sends}) != len(self.sends):
            raise ValueError("sends must not name a part twice")
        return self

    @property
    def fed_by(self) -> dict[str, float]:
        """The parts that are sent to it, with the level of each, dB."""
        return {one.part: one.level_db for one in self.sends if one.level_db > SEND_OFF_DB}

    @property
    def works(self) -> bool:
        """Whether anything could come back."""
        return self.on and bool(self.fed_by)


def spaces_told(spaces: tuple[SharedSpace, ...], taken: set[str]) -> None:
    """Raises ValueError where a space is called as a part or a bus, or is fed by a space or a bus."""
    ids = [one.id for one in spaces]
    for one in spaces:
        if ids.count(one.id) > 1 or one.id in taken:
            raise ValueError(f"ids of spaces must differ from each other, from parts and buses, got {one.id!r} twice")
        for send in one.sends:
            if send.part == one.id:
                raise ValueError(f"{one.name} cannot be fed by itself: send parts to it")
            if send.part in ids:
                raise ValueError(f"{one.name} is fed by parts, not by the space {send.part!r}")

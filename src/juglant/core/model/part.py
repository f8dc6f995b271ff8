"""A part: whatever sounds, what it is for, what it is made of, what it plays, and its place in the loop."""

from __future__ import annotations

from collections import Counter
from typing import Any, Self

from pydantic import Field, field_validator, model_validator

from juglant.core.chain.registry import MOST_PROCESSORS, Processor, widens
from juglant.core.chain.width import Width
from juglant.core.model.distance import Distance
from juglant.core.model.duck import Duck, Ducked
from juglant.core.model.hit import Hit
from juglant.core.model.ids import BASS_PART, KICK_ID, PART_PATTERN, RESERVED_IDS, PartRole, reserved
from juglant.core.model.level_line import LevelLine
from juglant.core.model.steady import Steady
from juglant.core.model.strokes import MOST_BASS_NOTES, MOST_STROKES, BassNote, Doubling, Stroke
from juglant.core.parameter.parameter import Description, parameter
from juglant.core.synth.bass import Bass
from juglant.core.synth.recorded_loop import KickLoop

MOST_GROUPS = 8


class KickCut(Description):
    """A high-pass that is there only while the kick sounds, 24 dB per octave."""

    on: bool = Field(default=False, title="Cut under the kick")
    corner_hz: float = parameter(
        100, 30, 400, "Hz", "Below it the part is gone while the kick sounds.", title="Cut corner", scale="log", step=5
    )
    ahead_ms: float = parameter(10, 0, 120, "ms", "How long before each kick it is there.", title="Cut ahead", step=5)
    hold_ms: float = parameter(
        200, 20, 1500, "ms", "How long after each kick it stays.", title="Cut hold", scale="log", step=10
    )


class Part(Description):
    """One part of a track.

    Struck parts are a hit of layers and its strokes; the one whose role is bass is an instrument and the notes it plays.
    """

    id: str = Field(min_length=1, max_length=40, pattern=PART_PATTERN)
    name: str = Field(min_length=1, max_length=40)
    role: PartRole
    hit: Hit = Hit()
    strokes: tuple[Stroke, ...] = Field(default=(), max_length=MOST_STROKES)
    doubles: Doubling | None = Field(
        default=None, title="Doubles", description="Whose line it plays; its own strokes rest as long."
    )
    gain_db: float = parameter(-10, -40, 6, "dB", "Level in the loop.", title="Level in the loop", step=0.5)
    pan_pct: float = parameter(0, -100, 100, "%", "Left to right.", title="Pan", step=5)
    shift_ms: float = parameter(0, -50, 50, "ms", "All of it earlier or later.", title="Start", step=0.1)
    inverted: bool = Field(default=False, title="Polarity", description="All of it turned upside down.")
    by_end: bool = Field(default=False, title="Placed by its end", description="It ends where its strokes are written.")
    choke: int = Field(
        default=0, ge=0, le=MOST_GROUPS, title="Choke group", description="Parts of one group cut each other; 0 is none."
    )
    distance: Distance = Field(default=Distance(), description="How far away it stands.")
    kick_cut: KickCut = KickCut()
    muted: bool = Field(default=False, title="Muted", description="Kept, and not heard.")
    level_line: LevelLine | None = Field(default=None, description="Its level drawn over the loop.")
    ducked: Ducked = Field(default=Ducked(), description="Who it gives way to in time; the bass keeps a first curve.")
    loop: KickLoop = Field(default=KickLoop(), description="The recorded loop that the kick comes as.")
    instrument: Bass | None = Field(default=None, description="What plays the notes of the bass.")
    notes: tuple[BassNote, ...] = Field(default=(), max_length=MOST_BASS_NOTES, description="What the instrument plays.")
    chain: tuple[Processor, ...] = Field(
        default=(),
        max_length=MOST_PROCESSORS,
        title="Chain of the line",
        description="What its whole line goes through, whatever it is made of, before its level.",
    )
    steady: Steady = Steady()

    @field_validator("id")
    @classmethod
    def _not_taken_for_another(cls, part_id: str) -> str:
        if part_id not in RESERVED_IDS and (why := reserved(part_id)) is not None:
            raise ValueError(why)
        return part_id

    @model_validator(mode="after")
    def _nothing_that_is_not_heard(self) -> Self:
        low = self.id if self.id in RESERVED_IDS else None
        if low is not None and self.role != low:
            raise ValueError(f"the part {low!r} has the role {low!r}, got {self.role!r}")
        if low is None and self.role == BASS_PART:
            raise ValueError(f"the role 'bass' is that of the part 'bass', got {self.id!r}: a low line beside it is a sub")
        absent = _ABSENT[low]
        if unheard := [name for name in absent if getattr(self, name) != absent[name]]:
            raise ValueError(f"{self.id!r} has no {unheard[0]}: nothing of it would be heard")
        if low == BASS_PART and self.instrument is None:
            raise ValueError("the bass has an instrument, which plays its notes: there is none")
        if low == BASS_PART and not self.ducked.curves:
            raise ValueError("the bass keeps a first curve that it is ducked by, on or off: there is none")
        if low == BASS_PART and self.hit.has_rumble:
            raise ValueError("a rumble is made of the kick at every kick, and has no notes: it is a part of its own")
        if low == BASS_PART and self.hit.bus:
            raise ValueError("layers of the bass have no bus: the chain of its line is behind their sum, put it there")
        if any(isinstance(one, Width) for one in self.chain):
            raise ValueError(
                "a delayed copy takes notes out of the bass's lows in mono; its own width leaves them alone: use that"
            )
        places = Counter(stroke.at_beats for stroke in self.strokes)
        if any(count > 1 for count in places.values()):
            raise ValueError("strokes must not name a position twice")
        return self

    @property
    def has_sides(self) -> bool:
        """Whether an instrument's line has two sides: by its width, or by what its chain makes."""
        own = self.instrument is not None and self.instrument.has_sides
        return own or any(widens(one) for one in self.chain)


def _defaults(*names: str) -> dict[str, Any]:
    return {name: Part.model_fields[name].default for name in names}


_LINE = _defaults("instrument", "notes", "chain", "steady")
# What a part does not have, as it is by default: of the kick, of the bass, of any other.
_ABSENT: dict[str | None, dict[str, Any]] = {
    KICK_ID: _LINE | _defaults("doubles", "pan_pct", "distance", "kick_cut", "by_end"),
    BASS_PART: _defaults("strokes", "doubles", "pan_pct", "distance", "kick_cut", "loop", "by_end"),
    None: _LINE | _defaults("loop"),
}

KICK = Part(id=KICK_ID, name="Kick", role="kick", gain_db=-6)
BASS = Part(id=BASS_PART, name="Bass", role="bass", instrument=Bass(), ducked=Ducked(curves=(Duck(),)))

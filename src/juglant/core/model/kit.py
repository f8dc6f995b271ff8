"""The kit: every hit of a track with its place in the loop."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, Literal, Self

from pydantic import Field, field_validator, model_validator

from juglant.core.model.hit import Hit
from juglant.core.model.sheet import MOST_BEATS
from juglant.core.parameter.parameter import Description, parameter

Role = Literal["kick", "snare", "clap", "hat", "open hat", "tom", "percussion", "rumble", "sub", "chord"]
# The rest of the track: a stem that plays along, counts in the levels, and is not delivered.
CONTEXT: Literal["context"] = "context"
PartRole = Role | Literal["context"]
KICK_ID = "kick"
# Parts of a track, kick and bass among them: so many hits and stems beside those two.
MOST_PARTS = 40
MOST_KIT = MOST_PARTS - 2
MOST_STROKES, MOST_GROUPS = 512, 8
# Notes a line may have, C0 to C8.
LOWEST_NOTE, HIGHEST_NOTE = 12, 108
# Ids that would be taken for another part, or for a part in another state, where files are named.
RESERVED_IDS, RESERVED_ENDINGS = (KICK_ID, "bass"), ("-before", "-unducked")


def reserved(part_id: str) -> str | None:
    """Why no hit of the kit may have this id; None where it may."""
    if part_id in RESERVED_IDS:
        return f"must not be {part_id!r}, which is the {part_id}'s own; choose another"
    ending = next((one for one in RESERVED_ENDINGS if part_id.endswith(one)), None)
    if ending is None:
        return None
    return f"must not end in {ending!r}, got {part_id!r}: its files would be taken for another part's; choose another"


def choke_group() -> Any:
    """The field that says by what a part is cut."""
    return Field(
        default=0, ge=0, le=MOST_GROUPS, title="Choke group", description="Parts of one group cut each other; 0 is none."
    )


class Gliding(Description):
    """How a note comes to its pitch, and leaves it."""

    slide_ms: float = parameter(
        0, 0, 500, "ms", "Time in which it comes from the note before; 0 begins where it is.", title="Slide", step=5
    )
    bend_cents: float = parameter(
        0, -1200, 1200, "cents", "How far it bends until it ends, after its slide.", title="Bend", step=100
    )


class Stroke(Gliding):
    """One stroke of a hit, or one note of its line; not on the loop's length is kept and unheard."""

    at_beats: float = Field(ge=0, lt=MOST_BEATS, json_schema_extra={"unit": "beats"})
    velocity: int = Field(default=100, ge=1, le=127, title="Velocity", description="Strength, 1 to 127.")
    shift_ms: float = parameter(0, -50, 50, "ms", "Earlier or later than the grid.", title="Timing", step=1)
    tune_cents: float = parameter(0, -1200, 1200, "cents", "This stroke's own pitch.", title="Pitch", step=100)
    note: int | None = Field(
        default=None,
        ge=LOWEST_NOTE,
        le=HIGHEST_NOTE,
        description="MIDI note number it is played at, from the hit's measured pitch, C4 = 60; none: at the hit's own.",
        json_schema_extra={"minimum": LOWEST_NOTE, "maximum": HIGHEST_NOTE},
    )
    length_beats: float | None = Field(
        default=None,
        gt=0,
        le=MOST_BEATS,
        description="Where it ends; none: it sounds as long as the hit does.",
        json_schema_extra={"unit": "beats"},
    )


class Doubling(Description):
    """Another part's line, played as it is written there."""

    of: str = Field(min_length=1, max_length=40, pattern=r"^[a-z0-9-]+$")
    octaves: int = Field(default=0, ge=-3, le=3, title="Octaves", description="How far it is moved, in octaves.")


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


class KitHit(Description):
    """One hit of the kit: what it is, how it sounds, where it is played."""

    id: str = Field(min_length=1, max_length=40, pattern=r"^[a-z0-9-]+$")
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
    choke: int = choke_group()
    kick_cut: KickCut = KickCut()
    muted: bool = Field(default=False, title="Muted", description="Kept, and not heard.")

    @field_validator("id")
    @classmethod
    def _not_taken_for_another(cls, part_id: str) -> str:
        if (why := reserved(part_id)) is not None:
            raise ValueError(why)
        return part_id

    @model_validator(mode="after")
    def _strokes_differ(self) -> Self:
        if len({stroke.at_beats for stroke in self.strokes}) != len(self.strokes):
            raise ValueError("strokes must not name a position twice")
        return self

    def model_copy(self, *, update: Mapping[str, Any] | None = None, deep: bool = False) -> Self:
        """A copy with some fields changed, checked; the kick as a hit among others has an id that no other may have."""
        if self.id == KICK_ID:
            return self.unchecked(**(update or {}))
        return super().model_copy(update=update, deep=deep)

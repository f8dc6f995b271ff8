"""Version 1 of a track's description, in which kick, bass and the kit were fields of their own.

What it wrote opens as parts. What a computed curve was computed for is told in its layout still, so that no curve is
computed again for being written down another way. Its names are also a short way to say a track.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, Self

from pydantic import Field, model_validator

from juglant.core.chain.registry import MOST_PROCESSORS, Processor
from juglant.core.model.duck import Duck, Ducked, Trigger
from juglant.core.model.hit import Hit
from juglant.core.model.ids import BASS_PART, KICK_ID, MOST_KIT, MOST_PARTS, PART_PATTERN, reserved
from juglant.core.model.level_line import LevelLine
from juglant.core.model.part import BASS, KICK, MOST_GROUPS, Part
from juglant.core.model.sheet import MOST_BEATS
from juglant.core.model.steady import Steady
from juglant.core.model.strokes import MOST_BASS_NOTES, BassNote, Stroke, struck
from juglant.core.parameter.parameter import Description
from juglant.core.synth.bass import Bass
from juglant.core.synth.recorded_loop import KickLoop


class Mix(Description):
    """How the two low parts sat in the loop."""

    kick_gain_db: float = Field(default=-6, ge=-40, le=6)
    bass_gain_db: float = Field(default=-10, ge=-40, le=6)
    bass_shift_ms: float = Field(default=0, ge=-10, le=10)
    bass_inverted: bool = False
    kick_choke: int = Field(default=0, ge=0, le=MOST_GROUPS)
    bass_choke: int = Field(default=0, ge=0, le=MOST_GROUPS)


class Target(Ducked):
    """A part that was ducked, by its id."""

    part: str = Field(max_length=40, pattern=PART_PATTERN)


class Ducking(Description):
    """What else was ducked than the bass by its first curve, and the silent trigger."""

    trigger: Trigger = Trigger()
    targets: tuple[Target, ...] = Field(default=(), max_length=MOST_PARTS)

    @model_validator(mode="after")
    def _parts_differ(self) -> Self:
        if len({one.part for one in self.targets}) != len(self.targets):
            raise ValueError("targets must not name a part twice")
        return self


class LineOfPart(LevelLine):
    """The level line of a part, by its id."""

    part: str = Field(max_length=40, pattern=PART_PATTERN)


class PartsOfOne(Description):
    """The parts of a track as version 1 had them."""

    kick: Hit = Hit()
    kick_at_beats: tuple[float, ...] = Field(default=(), max_length=256)
    kick_strokes: tuple[Stroke, ...] = Field(default=(), max_length=256)
    kick_loop: KickLoop = KickLoop()
    kit: tuple[Part, ...] = ()
    bass: Bass = Bass()
    bass_notes: tuple[BassNote, ...] = Field(default=(), max_length=MOST_BASS_NOTES)
    bass_chain: tuple[Processor, ...] = Field(default=(), max_length=MOST_PROCESSORS)
    steady: Steady = Steady()
    mix: Mix = Mix()
    duck: Duck = Duck()
    ducking: Ducking = Ducking()
    level_lines: tuple[LineOfPart, ...] = Field(default=(), max_length=MOST_PARTS)

    @model_validator(mode="after")
    def _as_it_was_checked(self) -> Self:
        for at in self.kick_at_beats:
            if not 0 <= at < MOST_BEATS:
                raise ValueError(f"kick_at_beats must be 0 to below {MOST_BEATS}, got {at}")
        if len(set(self.kick_at_beats)) != len(self.kick_at_beats):
            raise ValueError("kick_at_beats must not name a position twice")
        for one in self.kit:
            if (why := reserved(one.id)) is not None:
                raise ValueError(f"ids of the kit {why}")
        if len(self.kit) > MOST_KIT:
            raise ValueError(
                f"a track has at most {MOST_PARTS} parts, kick and bass among them, got {len(self.kit) + 2}: take some out"
            )
        return self

    def over(self, parts: tuple[Part, ...]) -> tuple[Part, ...]:
        """These parts with what is said here, each in its place; what is not said stays."""
        said, by_id = self.model_fields_set, {one.id: one for one in parts}
        kick, bass = by_id[KICK_ID], by_id[BASS_PART]
        kick_now: dict[str, Any] = {"hit": self.kick, "loop": self.kick_loop, "gain_db": self.mix.kick_gain_db,
                                    "choke": self.mix.kick_choke}  # fmt: skip
        bass_now: dict[str, Any] = {
            "instrument": self.bass, "notes": self.bass_notes, "chain": self.bass_chain, "steady": self.steady,
            "gain_db": self.mix.bass_gain_db, "shift_ms": self.mix.bass_shift_ms, "inverted": self.mix.bass_inverted,
            "choke": self.mix.bass_choke,
        }  # fmt: skip
        kick_now = {name: value for name, value in kick_now.items() if _SAID_AS[KICK_ID].get(name, "mix") in said}
        bass_now = {name: value for name, value in bass_now.items() if _SAID_AS[BASS_PART].get(name, "mix") in said}
        if said & {"kick_at_beats", "kick_strokes"}:
            places = self.kick_at_beats if "kick_at_beats" in said else tuple(one.at_beats for one in kick.strokes)
            felt = {one.at_beats: one for one in (self.kick_strokes if "kick_strokes" in said else kick.strokes)}
            kick_now["strokes"] = tuple(felt.get(at) or struck(at) for at in places)
        others = list(self.kit) if "kit" in said else [one for one in parts if one.id not in (KICK_ID, BASS_PART)]
        self._all_there({KICK_ID, BASS_PART, *(one.id for one in others)})
        low = {KICK_ID: kick.model_copy(update=kick_now), BASS_PART: bass.model_copy(update=bass_now)}
        # In the order they are in, so that the first of them is in place when the other is put in.
        for index, one in enumerate(parts):
            if one.id in low:
                others.insert(index, low[one.id])
        return tuple(self._drawn(self._ducked(one)) for one in others)

    def _ducked(self, one: Part) -> Part:
        """A part with what ducks it, where that is said: first of the bass is a curve of its own."""
        said = self.model_fields_set
        first = () if one.id != BASS_PART else (self.duck,) if "duck" in said else one.ducked.curves[:1]
        if "ducking" in said:
            target = next((each for each in self.ducking.targets if each.part == one.id), Target(part=one.id))
            own = {name: getattr(target, name) for name in Ducked.model_fields}
        elif one.id == BASS_PART and "duck" in said:
            own = dict(one.ducked) | {"curves": one.ducked.curves[1:]}
        else:
            return one
        return one.model_copy(update={"ducked": Ducked(**own | {"curves": (*first, *own["curves"])})})

    def _drawn(self, one: Part) -> Part:
        """A part with its level line, where those are said."""
        if "level_lines" not in self.model_fields_set:
            return one
        found = next((each for each in self.level_lines if each.part == one.id), None)
        return one.model_copy(update={"level_line": None if found is None else LevelLine(points=found.points)})

    def _all_there(self, ids: set[str]) -> None:
        """Raise ValueError where what ducks, or a line, is said of a part that is not there."""
        named = [("ducking.targets", one.part) for one in self.ducking.targets]
        named += [("level_lines", one.part) for one in self.level_lines]
        if gone := next(((where, name) for where, name in named if name not in ids), None):
            raise ValueError(f"{gone[0]} names the part {gone[1]!r}, which this track does not have")
        lines = [one.part for one in self.level_lines]
        if twice := next((name for name in lines if lines.count(name) > 1), None):
            raise ValueError(f"a part has one level line, got two for {twice!r}")


FIELDS_OF_ONE = frozenset(PartsOfOne.model_fields)
# Fields of a low part, and what each was in version 1; the others were of the mix.
_SAID_AS = {
    KICK_ID: {"hit": "kick", "loop": "kick_loop"},
    BASS_PART: {"instrument": "bass", "notes": "bass_notes", "chain": "bass_chain", "steady": "steady"},
}


def is_version_one(given: Mapping[str, Any]) -> bool:
    """Whether a description, or what one is made from, has the layout of version 1."""
    said = given.get("version")
    return "parts" not in given and (said == 1 or (said is None and bool(FIELDS_OF_ONE & set(given))))


def parts_of_one(given: Mapping[str, Any]) -> dict[str, Any]:
    """The same with its parts in order; raises pydantic's ValidationError for what version 1 refused."""
    own = {name: value for name, value in given.items() if name in FIELDS_OF_ONE}
    rest = {name: value for name, value in given.items() if name not in FIELDS_OF_ONE | {"version"}}
    made = PartsOfOne.model_validate(own)
    return {**rest, "parts": made.over((KICK, BASS)), "trigger": made.ducking.trigger}


def as_version_one(parts: tuple[Part, ...]) -> PartsOfOne:
    """Parts in the layout of version 1, for what is told by it; nothing is checked."""
    by_id = {one.id: one for one in parts}
    kick, bass = by_id[KICK_ID], by_id[BASS_PART]
    return PartsOfOne.model_construct(
        kick=kick.hit,
        kick_at_beats=tuple(one.at_beats for one in kick.strokes),
        kick_strokes=tuple(one for one in kick.strokes if not one.plain),
        kick_loop=kick.loop,
        kit=tuple(one for one in parts if one not in (kick, bass)),
        bass=bass.instrument or Bass(),
        bass_notes=bass.notes,
        bass_chain=bass.chain,
        steady=bass.steady,
        mix=Mix.model_construct(
            kick_gain_db=kick.gain_db,
            bass_gain_db=bass.gain_db,
            bass_shift_ms=bass.shift_ms,
            bass_inverted=bass.inverted,
            kick_choke=kick.choke,
            bass_choke=bass.choke,
        ),
    )

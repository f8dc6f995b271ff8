"""Parts that share the low end, and who gives way to whom."""

from __future__ import annotations

from itertools import combinations
from typing import Literal, Self, get_args

from pydantic import Field, model_validator

from juglant.core.model.ids import PART_PATTERN
from juglant.core.parameter.parameter import Description

LowZone = Literal["sub", "weight", "warmth", "boom"]
GROUP_ZONES: tuple[LowZone, ...] = get_args(LowZone)
MOST_LOW = 8


class Yields(Description):
    """In one zone one part gives way to another, whatever the order of the group says."""

    owner: str = Field(max_length=40, pattern=PART_PATTERN)
    yielder: str = Field(max_length=40, pattern=PART_PATTERN)
    zone: LowZone


class LowGroup(Description):
    """The low parts in the order in which they have the room, and where it is otherwise."""

    parts: tuple[str, ...] = Field(default=(), max_length=MOST_LOW, title="Low parts")
    yields: tuple[Yields, ...] = Field(default=(), max_length=MOST_LOW * MOST_LOW * len(GROUP_ZONES) // 2)

    @model_validator(mode="after")
    def _one_way_round(self) -> Self:
        if len(set(self.parts)) != len(self.parts):
            raise ValueError("the low group must not name a part twice")
        seen = set[tuple[frozenset[str], str]]()
        for one in self.yields:
            if one.owner == one.yielder:
                raise ValueError(f"{one.owner!r} does not give way to itself")
            if absent := {one.owner, one.yielder} - set(self.parts):
                raise ValueError(f"{min(absent)!r} is not in the low group: put it there first")
            key = frozenset((one.owner, one.yielder)), one.zone
            if key in seen:
                raise ValueError(f"one of {one.owner!r} and {one.yielder!r} gives way in {one.zone}, said twice")
            seen.add(key)
        for zone in GROUP_ZONES:
            # Everybody stands over or under everybody else: without a circle each is over another number of them.
            over = {part: sum(self.owner_of(part, other, zone) == part for other in self.parts if other != part)
                    for part in self.parts}  # fmt: skip
            if len(set(over.values())) != len(self.parts):
                raise ValueError(f"in {zone} these parts would give way to each other in a circle: {', '.join(self.parts)}")
        return self

    def owner_of(self, one: str, other: str, zone: LowZone) -> str:
        """Which of two parts of the group has a zone: as said for it, else the earlier of them."""
        for said in self.yields:
            if said.zone == zone and {said.owner, said.yielder} == {one, other}:
                return said.owner
        return min(one, other, key=self.parts.index)

    def given(self, owner: str, yielder: str, zone: LowZone) -> LowGroup:
        """The group in which one part has a zone over another; raises InvalidTrack where that makes a circle."""
        others = [one for one in self.yields if one.zone != zone or {one.owner, one.yielder} != {owner, yielder}]
        # What the order says need not be said.
        if {owner, yielder} <= set(self.parts) and self.parts.index(owner) < self.parts.index(yielder):
            return self.model_copy(update={"yields": tuple(others)})
        return self.model_copy(update={"yields": (*others, Yields(owner=owner, yielder=yielder, zone=zone))})

    def pairs(self) -> list[tuple[str, str]]:
        """Every two of the group, the earlier first."""
        return list(combinations(self.parts, 2))

    def within(self, parts: set[str]) -> LowGroup:
        """The group without what is not among these parts."""
        kept = tuple(part for part in self.parts if part in parts)
        yields = tuple(one for one in self.yields if {one.owner, one.yielder} <= set(kept))
        return self if kept == self.parts else self.model_copy(update={"parts": kept, "yields": yields})

"""Parts on one bus: what their sum goes through."""

from __future__ import annotations

from typing import Annotated, Self

from pydantic import Field, field_validator, model_validator

from juglant.core.chain.clip import Clip
from juglant.core.chain.compressor import Compressor
from juglant.core.chain.equalizer import Equalizer
from juglant.core.chain.limit import Limit
from juglant.core.model.ids import MOST_PARTS, PART_PATTERN, reserved
from juglant.core.parameter.parameter import Description

# What holds a sum together: filters, a compressor, a soft clip, a limiter.
AnyBusProcessor = Equalizer | Compressor | Clip | Limit
BusProcessor = Annotated[AnyBusProcessor, Field(discriminator="kind")]
MOST_BUSES, MOST_ON_BUS = 4, 8


class Group(Description):
    """Some parts, or all that are this track's own, and the bus that their sum goes through."""

    id: str = Field(min_length=1, max_length=40, pattern=PART_PATTERN)
    name: str = Field(min_length=1, max_length=40)
    members: tuple[str, ...] = Field(default=(), max_length=MOST_PARTS, description="Parts whose sum goes through it.")
    whole: bool = Field(
        default=False, title="Everything", description="The sum of every own part, behind the other buses, and no members."
    )
    on: bool = Field(default=True, title="On")
    bus: tuple[BusProcessor, ...] = Field(default=(), max_length=MOST_ON_BUS)

    @field_validator("id")
    @classmethod
    def _not_taken_for_another(cls, group_id: str) -> str:
        if (why := reserved(group_id)) is not None:
            raise ValueError(why)
        return group_id

    @model_validator(mode="after")
    def _members_differ(self) -> Self:
        if len(set(self.members)) != len(self.members):
            raise ValueError("members must not name a part twice")
        if self.whole and self.members:
            raise ValueError("a bus of everything names no members: every own part goes through it")
        return self

    @property
    def works(self) -> bool:
        """Whether anything goes through it that could change it."""
        return self.on and any(one.on for one in self.bus) and (self.whole or bool(self.members))


def groups_told(groups: tuple[Group, ...], parts: set[str]) -> None:
    """Raises ValueError where groups are named as parts are, hold each other, share a part, or two hold everything."""
    ids = [one.id for one in groups]
    for one in groups:
        if ids.count(one.id) > 1 or one.id in parts:
            raise ValueError(f"ids of groups must differ from each other and from parts, got {one.id!r} twice")
        if held := next((name for name in one.members if name in ids), None):
            raise ValueError(f"a group holds parts, not groups: take {held!r} out of {one.name}")
        for other in groups:
            if other is not one and (both := set(one.members) & set(other.members)):
                raise ValueError(f"a part goes through one bus: {min(both)!r} is in {one.name} and in {other.name}")
    if sum(one.whole for one in groups) > 1:
        raise ValueError("only one bus holds everything")

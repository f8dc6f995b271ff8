"""A part's level over the loop, drawn in beats."""

from __future__ import annotations

from itertools import pairwise
from typing import Self

from pydantic import Field, model_validator

from juglant.core.model.sheet import MOST_BEATS
from juglant.core.parameter.parameter import Description

MOST_LINE_POINTS = 64
SILENT_DB = -60.0


class LevelPoint(Description):
    """The level at a place of the loop, on top of the part's own; -60 dB is silence."""

    at_beats: float = Field(ge=0, le=MOST_BEATS, json_schema_extra={"unit": "beats"})
    gain_db: float = Field(ge=SILENT_DB, le=12, json_schema_extra={"unit": "dB"})


class LevelLine(Description):
    """One part's level line: straight in dB between its points, level before the first and after the last."""

    points: tuple[LevelPoint, ...] = Field(min_length=1, max_length=MOST_LINE_POINTS)

    @model_validator(mode="after")
    def _places_rise(self) -> Self:
        if any(after.at_beats <= before.at_beats for before, after in pairwise(self.points)):
            raise ValueError("points of a level line must rise in at_beats, none at the place of another")
        return self

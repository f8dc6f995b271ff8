"""The user's own lowest and highest value of one control of a hit: rolls, strength maps and morphs stay inside."""

from __future__ import annotations

from typing import Self

from pydantic import Field, model_validator

from juglant.core.chain.registry import MOST_PROCESSORS
from juglant.core.parameter.parameter import Description

# Larger than the end of any ruler.
FURTHEST = 1e6


class OwnRange(Description):
    """Ends of one control: of a layer's engine or the layer itself, or of a processor of its chain."""

    layer_id: str = Field(min_length=1, max_length=40)
    stage: int | None = Field(
        default=None, ge=0, lt=MOST_PROCESSORS, description="Place in the layer's chain; empty: the layer and its engine."
    )
    parameter: str = Field(pattern=r"^[a-z0-9_]{1,40}$")
    low: float = Field(ge=-FURTHEST, le=FURTHEST, allow_inf_nan=False)
    high: float = Field(ge=-FURTHEST, le=FURTHEST, allow_inf_nan=False)

    @model_validator(mode="after")
    def _in_order(self) -> Self:
        if self.low > self.high:
            raise ValueError(f"the lowest value of {self.parameter}, {self.low:g}, is above its highest, {self.high:g}")
        return self

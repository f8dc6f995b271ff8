"""A part that comes as a recorded loop."""

from __future__ import annotations

from typing import Any

from pydantic import Field

from juglant.core.music.tempo import MOST_BARS
from juglant.core.parameter.parameter import Description, parameter
from juglant.core.synth.take import LATEST_MS
from juglant.core.synth.takes import ID_PATTERN


def bar_one() -> Any:
    """Where bar 1 is in a recorded loop."""
    return parameter(
        0, 0, LATEST_MS, "ms", "Where bar 1 is in the recording.", title="Bar 1 is at", step=1, musical=(0, 4000)
    )


def fitted_bars() -> Any:
    """To how many bars a recorded loop is fitted."""
    return Field(
        default=0,
        ge=0,
        le=MOST_BARS,
        title="Fitted to",
        description="So many bars at the track's tempo, strokes moved or the line stretched at its own pitch; 0: as it is.",
    )


class KickLoop(Description):
    """The kick as a recorded loop: its strokes are written on the grid, one of them is cut out as the hit."""

    on: bool = Field(
        default=False, title="From the loop", description="Off, the stroke that was cut out is played on the grid."
    )
    take: str | None = Field(default=None, pattern=ID_PATTERN, description="The recorded loop.")
    begin_ms: float = bar_one()
    fit_bars: int = fitted_bars()

    processed: bool = Field(
        default=False,
        title="Through its layers",
        description="The loop goes through the layer it was cut for and the bus, and other layers are struck with it.",
    )

    @property
    def plays(self) -> bool:
        """Whether the kick is heard from the loop."""
        return self.on and self.take is not None

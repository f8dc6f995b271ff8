"""What every processor of a chain has in common.

A processor is one module: a description with its `kind`, and `apply(settings, audio, *, sample_rate, bpm)` on
(channels, frames), which may return more frames or a second channel, and changes nothing it was given.
"""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from juglant.core.parameter.parameter import Description

# A bar in which nothing is fed.
UNFED_DB = -60.0
MOST_FED_BARS = 16


class Stage(Description):
    """One processor in its place; off, it is out of the path."""

    on: bool = Field(default=True, title="On")


class Echoing(Stage):
    """One that adds echoes or a room; over a line it may be fed more in one bar than in another."""

    bars_db: tuple[Annotated[float, Field(ge=UNFED_DB, le=12)], ...] = Field(
        default=(),
        max_length=MOST_FED_BARS,
        title="Fed by bar",
        description="Level at which each bar feeds it, dB; -60 feeds nothing, a bar not named 0. What rings, rings on.",
    )

"""What every processor of a chain has in common.

A processor is one module: a description with its `kind`, and `apply(settings, audio, *, sample_rate, bpm)` on
(channels, frames), which may return more frames or a second channel, and changes nothing it was given.
"""

from __future__ import annotations

from pydantic import Field

from juglant.core.parameter.parameter import Description


class Stage(Description):
    """One processor in its place; off, it is out of the path."""

    on: bool = Field(default=True, title="On")

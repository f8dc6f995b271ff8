"""A drawn envelope: points of time and level, straight in dB between them."""

from __future__ import annotations

from itertools import pairwise
from typing import Literal, Self

import numpy as np
from pydantic import Field, model_validator

from juglant.core.chain.stage import Stage
from juglant.core.parameter.parameter import Description
from juglant.core.signal.envelope import with_edges
from juglant.core.types import Samples

SILENT_DB = -60.0
SMOOTH_MS = 0.3
MOST_POINTS = 16


class Point(Description):
    """One point of the envelope; -60 dB is silence."""

    at_ms: float = Field(ge=0, le=30000, json_schema_extra={"unit": "ms"})
    level_db: float = Field(ge=SILENT_DB, le=12, json_schema_extra={"unit": "dB"})


class Drawn(Stage):
    """Drawn envelope."""

    kind: Literal["drawn"] = "drawn"
    points: tuple[Point, ...] = Field(
        default=(Point(at_ms=0, level_db=0), Point(at_ms=120, level_db=0), Point(at_ms=300, level_db=SILENT_DB)),
        min_length=1,
        max_length=MOST_POINTS,
    )

    @model_validator(mode="after")
    def _times_rise(self) -> Self:
        times = [point.at_ms for point in self.points]
        if any(after <= before for before, after in pairwise(times)):
            raise ValueError("points must rise in at_ms, none at the same time as another")
        return self


def gain_at(settings: Drawn, at_ms: Samples) -> Samples:
    """The envelope as a factor at times after the start; level before the first and after the last point is theirs."""
    level = np.interp(at_ms, [p.at_ms for p in settings.points], [p.level_db for p in settings.points])
    return np.asarray(np.where(level <= SILENT_DB, 0.0, 10 ** (level / 20)))


def apply(settings: Drawn, audio: Samples, *, sample_rate: int, bpm: float) -> Samples:
    """Shape (channels, frames); what follows a silent last point is cut off."""
    frames = audio.shape[1]
    if settings.points[-1].level_db <= SILENT_DB:
        frames = min(frames, round(settings.points[-1].at_ms * sample_rate / 1000) + 1)
    shaped = audio[:, :frames] * gain_at(settings, np.arange(frames, dtype=np.float64) * (1000 / sample_rate))
    return np.stack([with_edges(row, start_ms=0, end_ms=SMOOTH_MS, sample_rate=sample_rate) for row in shaped])

"""A sound played backwards."""

from __future__ import annotations

from typing import Literal

import numpy as np

from juglant.core.chain.stage import Stage
from juglant.core.signal.envelope import with_edges
from juglant.core.types import Samples

# What lies under this re the peak at the end is left out, so that the sound begins at once.
SILENT = 1e-4
START_MS, END_MS = 2.0, 1.0


class Reverse(Stage):
    """Reverse."""

    kind: Literal["reverse"] = "reverse"


def apply(settings: Reverse, audio: Samples, *, sample_rate: int, bpm: float) -> Samples:
    """Turn (channels, frames) round."""
    level = np.max(np.abs(audio), axis=0)
    loud = np.flatnonzero(level > SILENT * float(level.max(initial=0.0)))
    if not loud.size:
        return audio
    turned = audio[:, loud[-1] :: -1]
    return np.stack([with_edges(row, start_ms=START_MS, end_ms=END_MS, sample_rate=sample_rate) for row in turned])

"""A recorded sound as the source of a layer: cut, faded, and moved in pitch in one of two ways."""

from __future__ import annotations

from typing import Literal

import numpy as np
from pydantic import Field

from juglant.core.parameter.parameter import Description, parameter
from juglant.core.signal.envelope import frames_of, with_edges
from juglant.core.signal.shift import LEAST_RATIO, MOST_RATIO, length_kept, resampled
from juglant.core.synth.takes import ID_PATTERN, NO_TAKE, find_take
from juglant.core.types import Samples

# Sixteen bars at the slowest tempo, and a little.
LONGEST_MS, LATEST_MS = 100000.0, 30000.0
EDGE_MS, START_MS = 0.5, 0.1
Way = Literal["playback speed", "length kept"]


class Take(Description):
    """Which recorded sound, how much of it, and what a change of its pitch does to its length."""

    engine: Literal["take"] = "take"
    take: str = Field(
        default=NO_TAKE, pattern=ID_PATTERN, title="Sound", description="The sound, named by the hash of its samples."
    )
    way: Way = Field(
        default="playback speed",
        title="Retuned by",
        description="Playback speed changes the length with the pitch; with the length kept only the tail is moved.",
    )
    begin_ms: float = parameter(0, 0, LATEST_MS, "ms", "Where in the file the sound begins.", title="From", step=1)
    length_ms: float = parameter(
        LONGEST_MS, 1, LONGEST_MS, "ms", "How much of it sounds; all of it at the end of the scale.", title="Length",
        scale="log", step=5,
    )  # fmt: skip
    fade_ms: float = parameter(
        5, 0.5, 2000, "ms", "Time in which the end fades.", title="Fade", scale="log", step=1, musical=(2, 100)
    )
    keep_ms: float = parameter(
        30, 1, 500, "ms", "The attack that stays as recorded where the length is kept.", title="Attack kept", scale="log",
        step=1, musical=(10, 80),
    )  # fmt: skip


def render(settings: Take, *, tune: float, sample_rate: int) -> Samples:
    """Render the take, (frames,) or (2, frames); silence where its sound is not there.

    tune: the ratio its pitch is moved by, kept within two octaves.
    """
    found = find_take(settings.take)
    if found is None:
        return np.zeros(2)
    rate = found.sample_rate
    ratio = min(MOST_RATIO, max(LEAST_RATIO, tune))
    begin, count = frames_of(settings.begin_ms, rate), max(1, frames_of(settings.length_ms, rate))
    part = np.asarray(found.audio[:, begin : begin + count])
    if settings.way == "playback speed":
        audio = resampled(part, rate * ratio, sample_rate)
    else:
        audio = length_kept(
            resampled(part, rate, sample_rate),
            ratio,
            keep_frames=frames_of(settings.keep_ms, sample_rate),
            sample_rate=sample_rate,
        )
    audio = audio[:, : frames_of(LONGEST_MS, sample_rate)]
    if audio.shape[1] < 2:
        return np.zeros(2)
    # A sound that begins in the middle of a wave begins with a click that is not its own.
    start_ms = EDGE_MS if begin > 0 else START_MS
    rows = [with_edges(row, start_ms=start_ms, end_ms=settings.fade_ms, sample_rate=sample_rate) for row in audio]
    return rows[0] if len(rows) == 1 else np.stack(rows)

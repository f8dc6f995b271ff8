"""A gate by pattern: cuts hits out of a continuous sound, or lets it tremble."""

from __future__ import annotations

from typing import Literal

import numpy as np
from pydantic import Field

from juglant.core.chain.delay import BEATS, NoteValue
from juglant.core.chain.stage import Stage
from juglant.core.music.tempo import frame_at
from juglant.core.parameter.parameter import parameter
from juglant.core.signal.envelope import frames_of
from juglant.core.types import Samples


class Gate(Stage):
    """Gate by pattern."""

    kind: Literal["gate"] = "gate"
    pattern: str = Field(
        default="x-x-", pattern=r"^[x-]{1,32}$", title="Pattern", description="x lets it through, - does not; repeats."
    )
    step: NoteValue = Field(default="1/16", title="Step", description="Time of one step.")
    depth_db: float = parameter(60, 1, 60, "dB", "How far it closes; 60 is silence.", title="Depth", step=1)
    edge_ms: float = parameter(
        2, 0.2, 200, "ms", "Time to open or close; long ones make a tremolo.", title="Edge", scale="log", step=0.5
    )


def apply(settings: Gate, audio: Samples, *, sample_rate: int, bpm: float) -> Samples:
    """Gate (channels, frames), the pattern starting with the sound."""
    frames = audio.shape[1]
    beats, shape = BEATS[settings.step], settings.pattern
    closed = 0.0 if settings.depth_db >= 60 else 10 ** (-settings.depth_db / 20)
    gain = np.empty(frames)
    index, start = 0, 0
    while start < frames:
        end = min(frames, max(start + 1, frame_at(beats * (index + 1), bpm, sample_rate)))
        gain[start:end] = 1.0 if shape[index % len(shape)] == "x" else closed
        start, index = end, index + 1
    edge = max(2, frames_of(settings.edge_ms, sample_rate))
    window = np.hanning(edge + 2)[1:-1]
    # The edges lie inside the open steps: what is closed is closed to the sample.
    padded = np.concatenate((np.full(edge, gain[0] if frames else 1.0), gain, np.full(edge, gain[-1] if frames else 1.0)))
    smooth = np.convolve(padded, window / window.sum(), mode="same")[edge : edge + frames]
    return audio * smooth

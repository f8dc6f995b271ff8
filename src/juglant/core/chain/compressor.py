"""A feed-forward compressor in the log domain with a soft knee (law: `signal/dynamics.py`)."""

from __future__ import annotations

from typing import Literal

from juglant.core.chain.stage import Stage
from juglant.core.parameter.parameter import parameter
from juglant.core.signal.dynamics import level_db, smoothed_db, static_gain_db
from juglant.core.types import Samples


class Compressor(Stage):
    """Compressor."""

    kind: Literal["compressor"] = "compressor"
    threshold_db: float = parameter(-18, -60, 0, "dB", "Where it begins.", title="Threshold", step=0.5)
    ratio: float = parameter(3, 1, 20, "", "Input change for 1 dB of output change.", title="Ratio", scale="log", step=0.1)
    attack_ms: float = parameter(
        10, 0.05, 200, "ms", "Time constant (63 %) of the fall.", title="Attack", scale="log", step=1
    )
    release_ms: float = parameter(
        80, 5, 1500, "ms", "Time constant (63 %) of the return.", title="Release", scale="log", step=5
    )
    knee_db: float = parameter(6, 0, 24, "dB", "Width of the bend.", title="Knee", step=0.5)
    makeup_db: float = parameter(0, -12, 24, "dB", "Gain after it.", title="Make-up", step=0.5)


def apply(settings: Compressor, audio: Samples, *, sample_rate: int, bpm: float) -> Samples:
    """Compress (channels, frames); all channels move together."""
    rest = static_gain_db(
        level_db(audio), threshold_db=settings.threshold_db, ratio=settings.ratio, knee_db=settings.knee_db
    )
    gain = smoothed_db(rest, attack_ms=settings.attack_ms, release_ms=settings.release_ms, sample_rate=sample_rate)
    return audio * 10 ** ((gain + settings.makeup_db) / 20)

"""What kick and bass take of the room under full scale, and what floor filter, carve and duck give back."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from juglant.core.analysis.analyse import Analysis
from juglant.core.measure.level import db, loop_loudness
from juglant.core.separate.filters import floor_only
from juglant.core.signal.filters import filter_loop
from juglant.core.types import Samples

# Room left above the loudest peak for what comes later: common practice.
LEFT_DB = 6.0
SILENT_PEAK = 1e-6


@dataclass(frozen=True)
class Level:
    """Sample peak in dBFS and loudness in LUFS of one signal; None where it is silent."""

    peak_db: float | None
    loudness_lufs: float | None


@dataclass(frozen=True)
class Win:
    """What one stage does to the sum of kick and bass: minus is lower."""

    name: str
    peak_db: float
    loudness_lu: float


@dataclass(frozen=True)
class Headroom:
    """Levels of kick, bass and both as heard, what each stage wins, and the levels that leave 6 dB.

    kick_cost_db: how much lower the peak of the whole loop, kit and stems too, were without the kick; bass_cost_db
    likewise.
    """

    kick: Level
    bass: Level
    both: Level
    kick_cost_db: float | None
    bass_cost_db: float | None
    wins: tuple[Win, ...]
    kick_gain_db: float | None
    bass_gain_db: float | None


def _level(audio: Samples, rate: int) -> Level:
    peak = float(np.max(np.abs(audio), initial=0.0))
    if peak <= SILENT_PEAK:
        return Level(None, None)
    return Level(db(peak), loop_loudness(audio, sample_rate=rate))


def _win(name: str, before: Level, after: Level) -> Win | None:
    if before.peak_db is None or after.peak_db is None or before.loudness_lufs is None or after.loudness_lufs is None:
        return None
    return Win(name, after.peak_db - before.peak_db, after.loudness_lufs - before.loudness_lufs)


def measure_headroom(found: Analysis) -> Headroom:
    """Levels and what they cost, from the stems of kick and bass."""
    track, stems, rate = found.track, found.stems, found.track.sheet.sample_rate
    kick, bass = _level(stems.kick, rate), _level(stems.bass, rate)
    both = _level(stems.kick + stems.bass, rate)
    before, carved = stems.kick_before + stems.bass_before, stems.kick + stems.bass_unducked
    floor = floor_only(track.carve, sample_rate=rate)
    unfloored = before if track.carve.floor_on else stems.kick + stems.bass
    stages = (
        ("carve", _level(before, rate), _level(carved, rate)) if track.carve.on else None,
        ("duck", _level(carved, rate), both) if track.duck.on else None,
        (
            f"floor filter at {track.carve.floor_hz:.0f} Hz",
            _level(unfloored, rate),
            _level(filter_loop(unfloored, floor, sample_rate=rate), rate),
        ),
    )
    wins = [win for stage in stages if stage is not None and (win := _win(*stage)) is not None]
    peak = both.peak_db
    shift = None if peak is None else round(-LEFT_DB - peak, 1)
    return Headroom(
        kick=kick,
        bass=bass,
        both=both,
        kick_cost_db=found.levels.kick_cost_db,
        bass_cost_db=found.levels.bass_cost_db,
        wins=tuple(wins),
        kick_gain_db=None if shift is None else round(track.kick_part.gain_db + shift, 1),
        bass_gain_db=None if shift is None else round(track.bass_part.gain_db + shift, 1),
    )

"""What each processor of a chain changed, measured before and after it."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from juglant.core.measure.bands import ZONE_EDGES_HZ, zone_energies
from juglant.core.measure.level import db, k_weighted
from juglant.core.types import Samples

LOW_ZONES = ("sub", "weight", "warmth")
# A processor that moves no figure by more than this changes nothing (findings: idle settings).
IDLE_DB = 0.05
SILENT = 1e-12
# What a processor that is idle may change of the samples, 40 dB under them.
ALIKE = 1e-4


@dataclass(frozen=True)
class StageChange:
    """Figures after a processor less those before it, dB; None where either side is silent.

    peak_db, loudness_db (K-weighted energy), crest_db (peak over rms within 20 dB), low_db (28-180 Hz), zones_db by zone;
    idle: whether nothing moved.
    """

    peak_db: float | None
    loudness_db: float | None
    crest_db: float | None
    low_db: float | None
    zones_db: dict[str, float]
    idle: bool


@dataclass(frozen=True)
class SoundFigures:
    """Level figures of one sound, (channels, frames); energies, linear."""

    peak_db: float
    loudness_db: float
    crest_db: float
    zones: dict[str, float]

    @property
    def low(self) -> float:
        """Energy between 28 and 180 Hz."""
        return sum(self.zones[name] for name in LOW_ZONES)


def crest_db(block: Samples) -> float:
    """Peak over the rms of what lies within 20 dB of the peak's envelope: of the hit, not of the silence after it."""
    peak = float(np.max(np.abs(block), initial=0.0))
    loud = np.flatnonzero(np.max(np.abs(block), axis=0) > 0.1 * peak)
    if not loud.size:
        return 0.0
    heard = block[:, loud[0] : loud[-1] + 1]
    return db(peak) - db(float(np.sqrt(np.mean(heard**2))))


def sound_figures(block: Samples, *, sample_rate: int) -> SoundFigures | None:
    """Measure (channels, frames); None for silence."""
    if block.shape[1] < 2 or float(np.max(np.abs(block))) < SILENT:
        return None
    weighted = k_weighted(block, sample_rate=sample_rate)
    zones = {name: 0.0 for name in ZONE_EDGES_HZ}
    for row in block:
        for name, energy in zone_energies(row, sample_rate=sample_rate).items():
            zones[name] += energy / block.shape[0]
    energy = float(np.sum(weighted**2)) / block.shape[0]
    return SoundFigures(db(float(np.max(np.abs(block)))), 10 * float(np.log10(max(energy, 1e-30))), crest_db(block), zones)


def _ratio_db(after: float, before: float, floor: float) -> float:
    return 10 * float(np.log10(max(after, floor) / max(before, floor)))


def _alike(before: Samples, after: Samples) -> bool:
    """Whether two sounds are the same but for what lies far under them: turned round, a sound has the same levels."""
    if before.shape != after.shape:
        return True
    return float(np.sum((after - before) ** 2)) < ALIKE * float(np.sum(before**2))


def change(before: Samples, after: Samples, *, sample_rate: int) -> StageChange:
    """What happened between two (channels, frames)."""
    one, two = (sound_figures(block, sample_rate=sample_rate) for block in (before, after))
    same = before.shape == after.shape and bool(np.allclose(before, after, atol=1e-9))
    if one is None or two is None:
        return StageChange(None, None, None, None, {}, same)
    # What lies 80 dB under the whole is not told apart from nothing.
    floor = 1e-8 * max(sum(one.zones.values()), sum(two.zones.values()))
    zones = {name: _ratio_db(two.zones[name], one.zones[name], floor) for name in one.zones}
    figures = (
        two.peak_db - one.peak_db,
        two.loudness_db - one.loudness_db,
        two.crest_db - one.crest_db,
        _ratio_db(two.low, one.low, floor),
    )
    idle = same or (max(abs(one) for one in (*figures, *zones.values())) < IDLE_DB and _alike(before, after))
    return StageChange(*figures, zones, idle)


def changes(stages: list[Samples], *, sample_rate: int) -> list[StageChange]:
    """What each processor did, from what came out of the source and then of each of them."""
    return [change(before, after, sample_rate=sample_rate) for before, after in pairwise(stages)]

"""A variation brought back to the level of what it was made from (method: starting points and rolls)."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np

from juglant.core.hit.own_ranges import held, ranges_of
from juglant.core.hit.render import render_hit
from juglant.core.hit.roll import Roll, rolled
from juglant.core.measure.level import db, energy_loudness_db, true_peak
from juglant.core.model.hit import Hit, Layer
from juglant.core.parameter.fields import inside, limits_of

# A roll stays within 4 LU of what was rolled and peaks under -1 dBTP (method); brought a little inside.
MOST_LU, HIGHEST_DBTP, INSIDE = 4.0, -1.0, 0.2
# A bus answers to level by its own law: what is measured after a move counts.
ROUNDS = 3
# A roll that cannot be brought to its level is rolled this much as far.
CLOSER = (0.6, 0.35, 0.15)
SILENT = 1e-9


@dataclass(frozen=True)
class Levelled:
    """A hit, by how much all of its layers were moved, dB, and whether that brought it within 4 LU."""

    hit: Hit
    by_db: float
    is_there: bool = True


def _level(hit: Hit, sample_rate: int, bpm: float) -> tuple[float, float] | None:
    """K-weighted energy and true peak of a hit, dB; None for silence."""
    whole = render_hit(hit, sample_rate=sample_rate, bpm=bpm)
    if float(np.max(np.abs(whole.audio), initial=0.0)) < SILENT:
        return None
    return energy_loudness_db(whole.mono, sample_rate=sample_rate), db(true_peak(np.atleast_2d(whole.audio)))


def moved_by(hit: Hit, by_db: float) -> Hit:
    """A hit with all of its layers louder by so much, within what a layer's level and its own range allow."""
    limits, ranges = limits_of(Layer, "gain_db"), ranges_of(hit)
    assert limits is not None  # noqa: S101 - a layer's level is a ruler

    def level_db(layer: Layer) -> float:
        return round(inside(held(layer.gain_db + by_db, ranges, layer.id, "gain_db"), limits.ends), 2)

    layers = tuple(layer.model_copy(update={"gain_db": level_db(layer)}) for layer in hit.layers)
    return hit.model_copy(update={"layers": layers})


def stroke_loudness_db(hit: Hit, *, sample_rate: int, bpm: float) -> float | None:
    """K-weighted energy of one stroke, dB; None for silence."""
    found = _level(hit, sample_rate, bpm)
    return None if found is None else found[0]


def as_loud(hit: Hit, loudness_db: float, *, sample_rate: int, bpm: float) -> Hit:
    """A hit of a K-weighted energy, as near as its layers' levels let it come; silence stays silent."""
    for _ in range(ROUNDS):
        found = _level(hit, sample_rate, bpm)
        if found is None or abs(loudness_db - found[0]) < 0.01:
            break
        hit = moved_by(hit, loudness_db - found[0])
    return hit


def rolled_levelled(
    hit: Hit, roll: Roll, index: int, *, sample_rate: int, bpm: float, origin: Hit | None = None
) -> Levelled:
    """Variation `index` of a roll at the level of the hit, or of another; rolled less far where no level of its layers
    brings it there."""
    level_of = hit if origin is None else origin
    made = levelled(rolled(hit, roll, index), level_of, sample_rate=sample_rate, bpm=bpm)
    for share in CLOSER:
        if made.is_there:
            break
        nearer = replace(roll, amount_pct=share * roll.amount_pct)
        made = levelled(rolled(hit, nearer, index), level_of, sample_rate=sample_rate, bpm=bpm)
    return made


def levelled(made: Hit, origin: Hit, *, sample_rate: int, bpm: float) -> Levelled:
    """A variation at most 4 LU from its origin and under -1 dBTP: the peak wins where both cannot be had."""
    wanted = _level(origin, sample_rate, bpm)
    if wanted is None:
        return Levelled(made, 0.0)
    total, hit = 0.0, made
    for _ in range(ROUNDS):
        found = _level(hit, sample_rate, bpm)
        if found is None:
            break
        off, reach = found[0] - wanted[0], MOST_LU - INSIDE
        by = math.copysign(max(0.0, abs(off) - reach), -off)
        by = min(by, HIGHEST_DBTP - INSIDE / 2 - found[1])
        by = by if found[1] + by > HIGHEST_DBTP - INSIDE or abs(off) > reach else 0.0
        if abs(by) < 0.01:
            break
        hit, total = moved_by(hit, by), total + by
    found = _level(hit, sample_rate, bpm)
    return Levelled(hit, round(total, 2), found is not None and abs(found[0] - wanted[0]) <= MOST_LU)

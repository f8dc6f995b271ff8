"""The keyed compressor that comes closest to a curve: what to type into one, and how far it stays off."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
import scipy

from juglant.core.duck.curve import GainRows
from juglant.core.model.duck import KeyedCompressor
from juglant.core.signal.dynamics import level_db, smoothed_db, static_gain_db
from juglant.core.types import Samples

# Levels and gains are compared at this rate.
RATE = 1000


# What a person would dial (method), inside of what the rulers reach.
THRESHOLDS_DB, KNEES_DB = (-40.0, 0.0), (0.0, 18.0)
RATIOS, ATTACKS_MS, RELEASES_MS = (1.5, 10.0), (1.0, 50.0), (20.0, 500.0)
# Off the curve by more than this somewhere is no match (method).
NO_MATCH_DB = 3.0
STARTS = ((-24.0, 4.0, 3.0, 60.0, 6.0), (-18.0, 2.5, 8.0, 150.0, 6.0), (-30.0, 8.0, 1.5, 30.0, 3.0))
MOST_STEPS, WARM_S = 170, 2.0
# A step response is there to 63 % in one time constant, to 90 % in 2.303 of them.
TO_90 = math.log(10)
FIXED_RATIOS = (2.0, 4.0)


@dataclass(frozen=True)
class CompressorMatch:
    """Settings, how far their gain stays off the curve over the loop, and the gain itself at 1 kHz."""

    settings: KeyedCompressor
    rms_db: float
    worst_db: float
    gain_db: Samples

    @property
    def is_close(self) -> bool:
        """Whether nothing of it is further off the curve than a match may be."""
        return self.worst_db <= NO_MATCH_DB


def key_level(key: Samples, *, sample_rate: int) -> Samples:
    """Peak level of a key over the loop, (loop_frames,) in, one value a millisecond, dBFS."""
    step = sample_rate / RATE
    count = math.ceil(key.size / step)
    edges = np.minimum(np.round(np.arange(count) * step).astype(int), key.size - 1)
    return np.asarray(level_db(np.maximum.reduceat(np.abs(key), edges)[None]))


def compressor_gain(level: Samples, one: KeyedCompressor) -> Samples:
    """Gain over the loop in dB, (ms,), as on its second pass. Law: Giannoulis, Massberg & Reiss 2012."""
    warm = min(round(WARM_S * RATE), level.size)
    rest = static_gain_db(level, threshold_db=one.threshold_db, ratio=one.ratio, knee_db=one.knee_db)
    moved = smoothed_db(
        np.concatenate((rest[-warm:], rest)), attack_ms=one.attack_ms, release_ms=one.release_ms, sample_rate=RATE
    )
    return np.asarray(moved[warm:])


def _settings(vector: Samples, ratio: float | None) -> KeyedCompressor:
    logs = [(math.log(low), math.log(high)) for low, high in (RATIOS, ATTACKS_MS, RELEASES_MS)]
    bounds = [THRESHOLDS_DB, *logs, KNEES_DB]
    threshold, log_ratio, log_attack, log_release, knee = (
        min(high, max(low, float(value))) for value, (low, high) in zip(vector, bounds, strict=True)
    )
    return KeyedCompressor(
        threshold_db=round(threshold, 1),
        ratio=round(math.exp(log_ratio), 2) if ratio is None else ratio,
        attack_ms=round(math.exp(log_attack), 2),
        release_ms=round(math.exp(log_release), 1),
        knee_db=round(knee, 1),
    )


def match_compressor(
    rows: GainRows, level: Samples, *, ratio: float | None = None, early_ms: float = 0.0
) -> CompressorMatch:
    """The settings a person would dial whose gain is closest to a curve in the mean square over the loop.

    With a ratio that is given, or any from 1.5 to 10.

    rows: the curve; level: of its key, as `key_level` gives it, (ms,); early_ms: how much earlier the key is sent than it
    is heard, as a compressor does not look ahead. Deterministic.
    """
    level = np.roll(level, -round(early_ms * RATE / 1000))
    wanted = np.interp((np.arange(level.size) + 0.5) / RATE, rows.at_s, rows.gain_db)

    def off(vector: Samples) -> float:
        return float(np.mean((compressor_gain(level, _settings(vector, ratio)) - wanted) ** 2))

    logs = [(math.log(low), math.log(high)) for low, high in (RATIOS, ATTACKS_MS, RELEASES_MS)]
    low, high = np.array([THRESHOLDS_DB, *logs, KNEES_DB]).T
    top = float(level.max(initial=-120.0))

    def search(start: Samples) -> tuple[float, Samples]:
        found = scipy.optimize.minimize(
            off,
            np.clip(start, low, high),
            method="Nelder-Mead",
            bounds=list(zip(low, high, strict=True)),
            options={"maxfev": MOST_STEPS, "xatol": 0.02, "fatol": 1e-5},
        )
        return float(found.fun), found.x

    tried = [
        search(np.array([top + threshold + 12, math.log(steep), math.log(attack), math.log(release), knee]))
        for threshold, steep, attack, release, knee in STARTS
    ]
    # Once more from the best: a simplex that has shrunk at an edge starts wide again.
    best, where = min((*tried, search(min(tried, key=lambda one: one[0])[1])), key=lambda one: one[0])
    settings = _settings(where, ratio)
    gain = compressor_gain(level, settings)
    return CompressorMatch(
        settings=settings,
        rms_db=math.sqrt(best),
        worst_db=float(np.max(np.abs(gain - wanted), initial=0.0)),
        gain_db=gain,
    )

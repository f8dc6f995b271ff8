"""The keyed compressor that comes closest to a curve: what to type into one, and how far it stays off."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
import scipy

from juglant.core.duck.curve import GainRows
from juglant.core.model.duck import KeyedCompressor
from juglant.core.model.fields import limits_of
from juglant.core.signal.dynamics import level_db, smoothed_db, static_gain_db
from juglant.core.types import Samples

# Levels and gains are compared at this rate.
RATE = 1000


def _ends(name: str) -> tuple[float, float]:
    limits = limits_of(KeyedCompressor, name)
    assert limits is not None  # noqa: S101 - all of them are rulers
    return limits.low, limits.high


# What the rulers reach.
THRESHOLDS_DB, RATIOS, ATTACKS_MS, RELEASES_MS, KNEES_DB = (
    _ends(name) for name in ("threshold_db", "ratio", "attack_ms", "release_ms", "knee_db")
)
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
    """The settings whose gain is closest to a curve in the mean square over the loop; with a ratio that is given, or any.

    rows: the curve; level: of its key, as `key_level` gives it, (ms,); early_ms: how much earlier the key is sent than it
    is heard, as a compressor does not look ahead. Deterministic.
    """
    level = np.roll(level, -round(early_ms * RATE / 1000))
    wanted = np.interp((np.arange(level.size) + 0.5) / RATE, rows.at_s, rows.gain_db)

    def off(vector: Samples) -> float:
        return float(np.mean((compressor_gain(level, _settings(vector, ratio)) - wanted) ** 2))

    best: tuple[float, KeyedCompressor] | None = None
    top = float(level.max(initial=-120.0))
    for threshold, steep, attack, release, knee in STARTS:
        start = np.array([top + threshold + 12, math.log(steep), math.log(attack), math.log(release), knee])
        found = scipy.optimize.minimize(
            off, start, method="Nelder-Mead", options={"maxfev": MOST_STEPS, "xatol": 0.05, "fatol": 1e-4}
        )
        if best is None or found.fun < best[0]:
            best = float(found.fun), _settings(found.x, ratio)
    assert best is not None  # noqa: S101 - there are starts
    gain = compressor_gain(level, best[1])
    return CompressorMatch(
        settings=best[1],
        rms_db=math.sqrt(best[0]),
        worst_db=float(np.max(np.abs(gain - wanted), initial=0.0)),
        gain_db=gain,
    )

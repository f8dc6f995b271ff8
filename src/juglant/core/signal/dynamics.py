"""Level detectors and the law of a compressor (Giannoulis, Massberg & Reiss 2012, JAES 60/6)."""

from __future__ import annotations

import numba
import numpy as np

from juglant.core.types import Samples

FLOOR_DB = -120.0


def level_db(audio: Samples) -> Samples:
    """Level of the loudest channel of (channels, frames) at every sample, dB, (frames,)."""
    return np.asarray(20 * np.log10(np.maximum(np.max(np.abs(audio), axis=0), 10 ** (FLOOR_DB / 20))))


def static_gain_db(level: Samples, *, threshold_db: float, ratio: float, knee_db: float) -> Samples:
    """Gain of a compressor at rest for each level, dB (eq. 4): 0 below the knee, -(1 - 1/R) over beyond it."""
    over = level - threshold_db
    slope = 1 / ratio - 1
    inside = slope * (over + knee_db / 2) ** 2 / (2 * max(knee_db, 1e-9))
    return np.where(2 * over < -knee_db, 0.0, np.where(2 * over > knee_db, slope * over, inside))


def coefficient(ms: float, sample_rate: int) -> float:
    """One-pole coefficient whose step response reaches 63 % in `ms`."""
    return float(np.exp(-1000 / (max(ms, 1e-3) * sample_rate)))


@numba.njit(cache=True, nogil=True)
def _decoupled(needed: Samples, attack: float, release: float, out: Samples) -> None:
    # Smooth decoupled peak detector (eq. 17): release first, then attack over both.
    held, smooth = 0.0, 0.0
    for i in range(needed.size):
        held = max(needed[i], release * held + (1 - release) * needed[i])
        smooth = attack * smooth + (1 - attack) * held
        out[i] = smooth


def smoothed_db(gain: Samples, *, attack_ms: float, release_ms: float, sample_rate: int) -> Samples:
    """A gain at rest (frames,), dB and never above 0, as it moves: 63 % of the way in attack and release."""
    out = np.empty_like(gain)
    _decoupled(-gain, coefficient(attack_ms, sample_rate), coefficient(release_ms, sample_rate), out)
    return -out


@numba.njit(cache=True, nogil=True)
def _followed(level: Samples, up: float, down: float, out: Samples) -> None:
    now = level[0]
    for i in range(level.size):
        way = up if level[i] > now else down
        now = way * now + (1 - way) * level[i]
        out[i] = now


def followed(level: Samples, *, up_ms: float, down_ms: float, sample_rate: int) -> Samples:
    """A level (frames,) followed with one time constant up and another down."""
    out = np.empty_like(level)
    if level.size:
        _followed(level, coefficient(up_ms, sample_rate), coefficient(down_ms, sample_rate), out)
    return out

"""Holding a bass line steady: its lows compressed, or all of it limited; what the gain does faster than it may."""

from __future__ import annotations

import math

import numpy as np
from scipy import fft, ndimage
from scipy import signal as dsp

from juglant.core.model.steady import Steady
from juglant.core.signal.crossover import high_branch, low_branch
from juglant.core.signal.dynamics import level_db, smoothed_db, static_gain_db
from juglant.core.signal.envelope import frames_of
from juglant.core.signal.filters import filter_loop
from juglant.core.signal.wrap import wrapped
from juglant.core.types import Samples

KNEE_DB = 6.0
# Ahead of the loop its own end runs, until the gain has forgotten where it began.
WARM_RELEASES, LEAST_WARM_MS = 8, 500.0
# The limiter's gain is in place this long before the peak.
REACH_MS = 5.0


def lows_of(line: Samples, split_hz: float, *, sample_rate: int) -> Samples:
    """What of a loop lies below the split, (loop_frames,): Linkwitz-Riley, 24 dB per octave."""
    return filter_loop(line, low_branch(split_hz, sample_rate=sample_rate), sample_rate=sample_rate)


def hold_gain(line: Samples, settings: Steady, *, given_db: float, sample_rate: int) -> Samples:
    """The gain that holds a line, (loop_frames,), as a factor without make-up, as it moves on the loop's second pass.

    given_db: gain the line already has; thresholds are before it. Compressor: Giannoulis, Massberg & Reiss 2012.
    """
    if settings.hold == "off" or not line.size:
        return np.ones(line.size)
    bare = line * 10 ** (-given_db / 20)
    return (_compressing if settings.hold == "lows compressed" else _limiting)(bare, settings, sample_rate)


def _compressing(line: Samples, settings: Steady, sample_rate: int) -> Samples:
    lows = lows_of(line, settings.split_hz, sample_rate=sample_rate)
    warm = _warm(settings, sample_rate)
    rest = static_gain_db(
        level_db(wrapped(lows, warm, 0)[None]), threshold_db=settings.threshold_db, ratio=settings.ratio, knee_db=KNEE_DB
    )
    gain = smoothed_db(rest, attack_ms=settings.attack_ms, release_ms=settings.release_ms, sample_rate=sample_rate)
    return np.asarray(10 ** (gain[warm:] / 20))


def _limiting(line: Samples, settings: Steady, sample_rate: int) -> Samples:
    """Down before the peak, back by the release: a mean over the reach of what is held over the reach."""
    warm, reach = _warm(settings, sample_rate), max(1, frames_of(REACH_MS, sample_rate))
    rest = np.minimum(0.0, settings.ceiling_db - level_db(wrapped(line, warm, 2 * reach)[None]))
    ahead = ndimage.minimum_filter1d(rest, reach, origin=-(reach // 2), mode="nearest")
    held = smoothed_db(ahead, attack_ms=0.0, release_ms=settings.release_ms, sample_rate=sample_rate)
    gain = ndimage.uniform_filter1d(held, reach, origin=reach // 2 if reach % 2 else reach // 2 - 1, mode="nearest")
    return np.asarray(10 ** (np.minimum(gain, rest)[warm : warm + line.size] / 20))


def _warm(settings: Steady, sample_rate: int) -> int:
    return frames_of(max(LEAST_WARM_MS, WARM_RELEASES * settings.release_ms), sample_rate)


def with_hold(line: Samples, gain: Samples, settings: Steady, *, sample_rate: int) -> Samples:
    """A line, or what its sides differ by, through such a gain and the make-up, (loop_frames,)."""
    up = 10 ** (settings.makeup_db / 20)
    if settings.hold == "off":
        return line
    if settings.hold == "limited":
        return line * gain * up
    high = filter_loop(line, high_branch(settings.split_hz, sample_rate=sample_rate), sample_rate=sample_rate)
    return np.asarray((lows_of(line, settings.split_hz, sample_rate=sample_rate) * gain + high) * up)


def distortion_db(line: Samples, gain: Samples, settings: Steady, lowest_hz: float, *, sample_rate: int) -> float | None:
    """What a gain adds that is no change of level: its movement faster than half the lowest note, re the line held, dB.

    line, gain: (loop_frames,). Taken out is the slow change of level and phase of the analytic signal that fits what comes
    out best at each place; the rest is energy the line did not have. None where the gain rests.
    """
    if settings.hold == "off" or np.ptp(gain) < 1e-9:
        return None
    hz = np.arange(line.size // 2 + 1) * (sample_rate / line.size)
    # A Gaussian at -3 dB by half the lowest note: never below zero in time, so that a mean of energies is one.
    slow = np.exp(-0.5 * math.log(2) * (2 * hz / lowest_hz) ** 2)
    worked_on = lows_of(line, settings.split_hz, sample_rate=sample_rate) if settings.hold == "lows compressed" else line
    whole = dsp.hilbert(worked_on)
    energy = np.abs(whole) ** 2
    smooth = _slow(energy, slow)
    smooth = np.maximum(smooth, 1e-6 * float(np.max(smooth)) + 1e-30)
    fast = worked_on * (gain - _slow(gain * energy, slow) / smooth)
    # What of it still moves with the tone a quarter of a cycle on is phase.
    turned = _slow(fast * whole.imag, slow) / smooth
    fast -= 2 * turned * whole.imag
    held = with_hold(line, gain, settings.model_copy(update={"makeup_db": 0.0}), sample_rate=sample_rate)
    total = float(np.sum(held**2))
    added = float(np.sum(fast**2))
    return 10 * math.log10(max(added / total, 1e-20)) if total > 0 else None


def _slow(signal: Samples, response: Samples) -> Samples:
    """A loop through a response given at each frequency of its transform, (loop_frames,)."""
    return np.asarray(fft.irfft(fft.rfft(signal) * response, signal.size))

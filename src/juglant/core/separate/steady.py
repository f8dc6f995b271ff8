"""Holding a bass line steady: its lows compressed, or all of it limited; what the gain does faster than it may."""

from __future__ import annotations

import math

import numpy as np
import scipy
from scipy import fft, ndimage

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
# So much of the loop goes on at either end of what is smoothed.
SEAM_S = 0.5


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


class HeldLine:
    """What a gain works on, (loop_frames,), and how its level and phase move slowly: the same for every gain tried on it.

    lowest_hz: of the line's lowest note; slow is what moves below half of it.
    """

    def __init__(self, line: Samples, settings: Steady, lowest_hz: float, *, sample_rate: int) -> None:
        self.line, self.settings, self.rate = line, settings, sample_rate
        lows = settings.hold == "lows compressed"
        worked_on = lows_of(line, settings.split_hz, sample_rate=sample_rate) if lows else line
        # The loop goes on at either end, to a length that transforms fast.
        self.lead = round(SEAM_S * sample_rate)
        self.length = fft.next_fast_len(line.size + 2 * self.lead, real=True)
        hz = np.arange(self.length // 2 + 1) * (sample_rate / self.length)
        # A Gaussian at -3 dB by half the lowest note: never below zero in time, so that a mean of energies is one.
        self.response = np.exp(-0.5 * math.log(2) * (2 * hz / lowest_hz) ** 2)
        self.worked_on = self._wrapped(worked_on)
        whole = scipy.signal.hilbert(self.worked_on)
        self.turned, self.energy = np.imag(whole), np.abs(whole) ** 2
        smooth = self._slow(self.energy)
        self.smooth = np.maximum(smooth, 1e-6 * float(np.max(smooth)) + 1e-30)

    def _wrapped(self, signal: Samples) -> Samples:
        return wrapped(signal, self.lead, self.length - signal.size - self.lead)

    def _slow(self, signal: Samples) -> Samples:
        return np.asarray(fft.irfft(fft.rfft(signal) * self.response, self.length))

    def distortion_db(self, gain: Samples) -> float | None:
        """What a gain, (loop_frames,), adds that is no change of level, re the line held, dB; None where it rests.

        It is the movement faster than half the lowest note. Taken out is the slow change of level and phase of the analytic
        signal that fits what comes out best at each place; the rest is energy the line did not have.
        """
        if self.settings.hold == "off" or np.ptp(gain) < 1e-9:
            return None
        moved = self._wrapped(gain)
        fast = self.worked_on * (moved - self._slow(moved * self.energy) / self.smooth)
        # What of it still moves with the tone a quarter of a cycle on is phase.
        fast -= 2 * (self._slow(fast * self.turned) / self.smooth) * self.turned
        held = with_hold(self.line, gain, self.settings.model_copy(update={"makeup_db": 0.0}), sample_rate=self.rate)
        total, added = float(np.sum(held**2)), float(np.sum(fast[self.lead : self.lead + self.line.size] ** 2))
        return 10 * math.log10(max(added / total, 1e-20)) if total > 0 else None


def distortion_db(line: Samples, gain: Samples, settings: Steady, lowest_hz: float, *, sample_rate: int) -> float | None:
    """The distortion of one gain on a line, both (loop_frames,), dB: see `HeldLine`."""
    if settings.hold == "off":
        return None
    return HeldLine(line, settings, lowest_hz, sample_rate=sample_rate).distortion_db(gain)

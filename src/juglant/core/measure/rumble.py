"""What a rumble is judged by: how even, how far under the kick, and what it leaves free for the next kick."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import scipy
from scipy import fft

from juglant.core.measure.bands import CENTRES_HZ, HALF_BAND
from juglant.core.measure.level import db
from juglant.core.measure.stereo import fold_loss_db
from juglant.core.signal.filters import butterworth
from juglant.core.types import Samples

# The rumble's own range (method).
LOW_HZ, HIGH_HZ = 30.0, 90.0
# A window holds a cycle of the lowest.
WINDOW_MS = 40.0
# Loud is the level that nine tenths of the windows stay under; quiet is this much below (this project's choice).
LOUD_SHARE, QUIET_DB = 90, 20.0


@dataclass(frozen=True)
class RumbleFigures:
    """evenness_db: strongest third-octave band from 30 to 90 Hz less the weakest; peaky_db: less the mean of the others;
    steadiness_db: spread over time of the
    level there while it sounds (90th less 10th percentile); under_kick_db: its level there while it sounds, less the
    kick's; gap_before_ms: from where it has fallen 20 dB to the next kick; gap_after_ms: from the kick to where it is
    within 20 dB again; fold_loss_db: what mono costs, None for one channel."""

    evenness_db: float
    peaky_db: float
    steadiness_db: float
    under_kick_db: float | None
    gap_before_ms: float
    gap_after_ms: float
    fold_loss_db: float | None


def _windows_db(low: Samples, sample_rate: int) -> Samples:
    size = round(WINDOW_MS * sample_rate / 1000)
    power = np.concatenate(([0.0], np.cumsum(low**2)))
    starts = np.arange(0, max(1, low.size - size), max(1, size // 4))
    ends = np.minimum(starts + size, low.size)
    mean = (power[ends] - power[starts]) / np.maximum(ends - starts, 1)
    return np.asarray(10 * np.log10(np.maximum(mean, 1e-14)))


def measure_rumble(audio: Samples, kick: Samples, *, between_ms: float, sample_rate: int) -> RumbleFigures | None:
    """Figures of a rumble (frames,) or (2, frames) that begins with its kick (frames,), both at their level in the loop.

    between_ms: from this kick to the next. None for silence.
    """
    mono = audio if audio.ndim == 1 else audio.mean(axis=0)
    length = round(between_ms * sample_rate / 1000)
    heard = np.zeros(length)
    heard[: min(length, mono.size)] = mono[:length]
    if not np.any(heard):
        return None
    power = np.abs(fft.rfft(heard, size := max(fft.next_fast_len(heard.size, real=True), sample_rate // 2))) ** 2
    frequency = fft.rfftfreq(size, 1 / sample_rate)
    inside = [centre for centre in CENTRES_HZ if LOW_HZ <= centre <= HIGH_HZ]
    bands = [
        float(power[(frequency >= centre / HALF_BAND) & (frequency < centre * HALF_BAND)].mean() * centre)
        for centre in inside
    ]
    sections = np.vstack(
        [butterworth(2, hz, kind, sample_rate=sample_rate) for hz, kind in ((LOW_HZ, "highpass"), (HIGH_HZ, "lowpass"))]
    )
    low_part = np.asarray(scipy.signal.sosfilt(sections, heard))
    levels = _windows_db(low_part, sample_rate)
    loud = float(np.percentile(levels, LOUD_SHARE))
    envelope = np.abs(np.asarray(scipy.signal.hilbert(low_part)))
    sounding = np.flatnonzero(envelope > np.percentile(envelope, LOUD_SHARE) * 10 ** (-QUIET_DB / 20)) * (
        1000 / sample_rate
    )
    inside_levels = levels[levels > loud - QUIET_DB]
    spread = np.percentile(inside_levels, (10, 90))
    struck = np.asarray(scipy.signal.sosfilt(sections, kick)) if kick.size else np.zeros(1)
    under = None
    if np.any(struck):
        kick_levels = _windows_db(struck, sample_rate)
        under = float(np.median(inside_levels) - kick_levels.max())
    return RumbleFigures(
        peaky_db=10 * float(np.log10(max(bands) / max(float(np.mean(sorted(bands)[:-1])), 1e-30))),
        evenness_db=db(max(bands) / max(min(bands), 1e-30)) / 2,
        steadiness_db=float(spread[1] - spread[0]),
        under_kick_db=under,
        gap_before_ms=max(0.0, between_ms - float(sounding[-1])),
        gap_after_ms=float(sounding[0]),
        fold_loss_db=fold_loss_db(audio),
    )

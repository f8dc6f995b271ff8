"""What a struck sound is like, in figures that can be held against recorded ones (method: starting points)."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from scipy import fft

from juglant.core.measure.bands import CENTRES_HZ, band_energies
from juglant.core.measure.level import db
from juglant.core.types import Samples

BRIGHT_HZ, DEEP_HZ = 2000.0, 80.0
# A fall is read between these shares of all the energy that is still to come, and stretched to 60 dB (ISO 3382-1: T20).
FROM_DB, TO_DB, WHOLE_DB = -5.0, -25.0, 60.0
SILENT = 1e-9
QUIETEST_DB = -120.0


@dataclass(frozen=True)
class Character:
    """One sound. bright_db, deep_db: energy above 2 kHz and below 80 Hz, dB re all of it; fall_ms: time to fall by 60 dB,
    read from the energy that is still to come; crest_db: peak over the rms of the time in which it falls so;
    centre_hz: mean frequency, weighted by energy; bands_db: third octaves by centre, dB re all of it."""

    bright_db: float
    deep_db: float
    fall_ms: float
    crest_db: float
    centre_hz: float
    bands_db: dict[float, float]


def _db(share: float) -> float:
    return max(QUIETEST_DB, 10 * float(np.log10(max(share, 1e-13))))


@lru_cache(maxsize=8)
def _frequency(length: int, sample_rate: int) -> Samples:
    frequency = fft.rfftfreq(length, 1 / sample_rate)
    frequency.setflags(write=False)
    return frequency


def fall_ms(signal: Samples, *, sample_rate: int) -> float:
    """Time to fall by 60 dB of a sound, (frames,): backward integration (Schroeder 1965), -5 to -25 dB, times three."""
    left = np.cumsum(signal[::-1] ** 2)[::-1]
    if not left.size or left[0] <= 0:
        return 0.0
    first, last = (int(np.argmax(left <= left[0] * 10 ** (at / 10))) for at in (FROM_DB, TO_DB))
    if last <= first:
        # It ends before it has fallen so far.
        last = signal.size
    return 1000 * (last - first) / sample_rate * WHOLE_DB / (FROM_DB - TO_DB)


def measure_character(signal: Samples, *, sample_rate: int) -> Character | None:
    """What a sound, (frames,), is like; None of silence."""
    peak = float(np.max(np.abs(signal), initial=0.0))
    if peak < SILENT:
        return None
    length = fft.next_fast_len(signal.size, real=True)
    power = np.abs(fft.rfft(signal, length)) ** 2
    power[1:-1] *= 2
    frequency, total = _frequency(length, sample_rate), float(power.sum())
    falls = fall_ms(signal, sample_rate=sample_rate)
    begin = int(np.argmax(np.abs(signal) > 0.05 * peak))
    heard = signal[begin : begin + max(1, round(falls / 1000 * sample_rate))]
    bands = band_energies(signal, sample_rate=sample_rate)
    energy = float(np.sum(signal**2))
    return Character(
        bright_db=_db(float(power[frequency >= BRIGHT_HZ].sum()) / total),
        deep_db=_db(float(power[frequency < DEEP_HZ].sum()) / total),
        fall_ms=falls,
        crest_db=db(peak) - db(float(np.sqrt(np.mean(heard**2)))),
        centre_hz=float((power * frequency).sum() / total),
        bands_db={centre: _db(bands.get(centre, 0.0) / energy) for centre in CENTRES_HZ},
    )

"""How kick and bass add up where they meet, and with which bass start or polarity they would add best (method: phase)."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from scipy import fft

from juglant.core.measure.bands import FRAME_S, LOW_CENTRES_HZ, band_gain
from juglant.core.measure.timing import LOW_BAND_HZ
from juglant.core.signal.decimate import decimate
from juglant.core.types import Mask, Samples

WORK_HZ = 6000
MOST_MS = 10.0
# Among offsets this close to the best the smallest wins, then no inversion (method: layer fit).
NEARLY_DB = 0.2


@dataclass(frozen=True)
class Meeting:
    """Kick and bass over the frames where the kick is active.

    correlation: of their low bands, -1 to 1; summing_db: level of the sum re the sum of levels, 0 is perfect; by_band_db:
    the same in every low third-octave band, None where either is silent.
    """

    correlation: float
    summing_db: float
    by_band_db: tuple[float | None, ...]


@dataclass(frozen=True)
class Phase:
    """As it is, and at its best: shift of the bass in ms (later is positive), inverted or not."""

    now: Meeting
    best: Meeting
    shift_ms: float
    inverted: bool

    @property
    def gain_db(self) -> float:
        """What the best wins in the low band."""
        return self.best.summing_db - self.now.summing_db


class _Loop:
    """A loop's spectrum at about 6 kHz."""

    def __init__(self, loop: Samples, sample_rate: int) -> None:
        frame = round(FRAME_S * sample_rate)
        self.factor = max(f for f in range(1, max(2, sample_rate // WORK_HZ + 1)) if frame % f == 0)
        self.rate = sample_rate / self.factor
        # A loop is periodic: its own length is the transform's.
        slow = decimate(np.concatenate((loop, loop[: self.factor * 400])), self.factor, pass_share=0.7)
        self.size = loop.size // self.factor
        self.spectrum = fft.rfft(slow[: self.size])
        self.hz = np.arange(self.spectrum.size) * self.rate / self.size

    def through(self, gain: Samples) -> Samples:
        """The loop through a zero-phase gain, (frames,)."""
        return np.asarray(fft.irfft(self.spectrum * gain, self.size))


def _mask(active: Mask, rate: float, size: int) -> Mask:
    frames = (np.arange(size) / rate / FRAME_S).astype(int).clip(max=active.size - 1)
    return np.asarray(active[frames])


def _summing_db(one: float, other: float, cross: float) -> float:
    both = max(one + other + 2 * cross, 1e-30)
    return float(20 * np.log10(np.sqrt(both) / (np.sqrt(one) + np.sqrt(other))))


def _meeting(kicks: list[Samples], basses: list[Samples], mask: Mask, frames: int, sign: float) -> Meeting:
    """kicks, basses: the low band, then every third-octave band; frames: shift of the bass."""
    by_band: list[float | None] = []
    low = (0.0, 0.0)
    for row, (kick, bass) in enumerate(zip(kicks, basses, strict=True)):
        a, b = kick[mask], sign * np.roll(bass, frames)[mask]
        one, other, cross = float(a @ a), float(b @ b), float(a @ b)
        if row == 0:
            low = cross / max(np.sqrt(one * other), 1e-30), _summing_db(one, other, cross)
        else:
            by_band.append(_summing_db(one, other, cross) if min(one, other) > 1e-9 * max(one, other) else None)
    return Meeting(float(low[0]), low[1], tuple(by_band))


def measure_phase(kick: Samples, bass: Samples, active: Mask, *, sample_rate: int) -> Phase | None:
    """How kick and bass, both (frames,) of one loop, add up while the kick is active, (frames of 20 ms,).

    None where nothing is active, or either is silent there. Offsets within 10 ms and both polarities are compared.
    """
    if not active.any():
        return None
    one, other = _Loop(kick, sample_rate), _Loop(bass, sample_rate)
    inside = ((one.hz > LOW_BAND_HZ[0]) & (one.hz < LOW_BAND_HZ[1])).astype(float)
    gains = [inside, *(band_gain(centre, one.hz, sample_rate=sample_rate) for centre in LOW_CENTRES_HZ)]
    kicks, basses = [one.through(gain) for gain in gains], [other.through(gain) for gain in gains]
    mask = _mask(active, one.rate, one.size)
    if not np.any(kicks[0][mask]) or not np.any(basses[0][mask]):
        return None
    reach = round(MOST_MS / 1000 * one.rate)
    own = kicks[0] * mask
    # All offsets at once: products by correlation, the bass's own energy there by the mask.
    turned = np.conj(fft.rfft(basses[0]))
    cross = np.roll(fft.irfft(fft.rfft(own) * turned, one.size), reach)[: 2 * reach + 1]
    energy = np.roll(fft.irfft(fft.rfft(mask.astype(float)) * np.conj(fft.rfft(basses[0] ** 2)), one.size), reach)
    total = float(own @ own)
    table = []
    for place in range(2 * reach + 1):
        for sign in (1.0, -1.0):
            level = _summing_db(total, max(float(energy[place]), 1e-30), sign * float(cross[place]))
            table.append((level, abs(place - reach), sign < 0, place - reach))
    highest = max(level for level, *_ in table)
    _, _, inverted, frames = min((one for one in table if one[0] > highest - NEARLY_DB), key=lambda row: row[1:3])
    return Phase(
        now=_meeting(kicks, basses, mask, 0, 1.0),
        best=_meeting(kicks, basses, mask, frames, -1.0 if inverted else 1.0),
        shift_ms=1000 * frames / one.rate,
        inverted=bool(inverted),
    )

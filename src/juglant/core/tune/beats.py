"""Beats between the kick's tail and the bass notes (method: kick against bass)."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from scipy import fft

from juglant.core.measure.timing import LOW_BAND_HZ
from juglant.core.model.track import Track
from juglant.core.signal.decimate import decimate
from juglant.core.signal.wrap import wrapped
from juglant.core.types import Samples

HIGHEST_HZ = 200.0
FASTEST_HZ = 15.0
PARTIAL_RANGE_DB = 20.0
TOGETHER_DB, LOUD_DB = 20.0, 30.0
BAND_HZ = 10.0
MARGIN_S = 0.5
RATE_HZ = 1000


@dataclass(frozen=True)
class Beating:
    """The strongest beating found: kick and bass partial, the note it happens in, and how many beats are heard."""

    beats: float
    kick_hz: float
    bass_hz: float
    at_beats: float
    overlap_s: float


class LoopPartials:
    """Envelopes of single partials of a loop: (frames,) at about 1 kHz."""

    def __init__(self, loop: Samples, sample_rate: int) -> None:
        factor = max(1, sample_rate // RATE_HZ)
        self.rate = sample_rate / factor
        self.margin = round(MARGIN_S * self.rate)
        self.count = -(-loop.size // factor)
        length = fft.next_fast_len(self.count + 2 * self.margin, real=True)
        around = wrapped(loop, self.margin * factor, (length - self.margin) * factor - loop.size)
        self.length = length
        self.spectrum = fft.rfft(decimate(around, factor, pass_share=0.7)[:length])
        self.bins = fft.rfftfreq(length, 1 / self.rate)

    def envelope(self, frequency_hz: float) -> Samples:
        """Amplitude of what lies within about 10 Hz of a frequency, (frames,)."""
        band = np.zeros(self.length, dtype=complex)
        near = np.abs(self.bins - frequency_hz) < 4 * BAND_HZ
        shape = np.exp(-0.5 * ((self.bins[near] - frequency_hz) / BAND_HZ) ** 2)
        band[: self.bins.size][near] = 2 * self.spectrum[near] * shape
        return np.asarray(np.abs(fft.ifft(band))[self.margin : self.margin + self.count])

    def low_band_peak(self) -> float:
        """Peak of the low band's envelope."""
        band = np.zeros(self.length, dtype=complex)
        inside = (self.bins > LOW_BAND_HZ[0]) & (self.bins < LOW_BAND_HZ[1])
        band[: self.bins.size][inside] = 2 * self.spectrum[inside]
        return float(np.abs(fft.ifft(band)).max())


def beating_by_note(
    track: Track, kick: Samples, bass: Samples, *, landing_hz: float, settled_s: float, note_hz: dict[int, float]
) -> list[Beating | None]:
    """The largest number of beats heard between the kick and each note of the line, in order; None where none is heard.

    kick, bass: the as-heard stems. landing_hz: the measured landing; settled_s: time after a hit from which the kick rests
    on it; note_hz: measured fundamental of each bass note number.
    """
    sheet = track.sheet
    kicks, basses = LoopPartials(kick, sheet.sample_rate), LoopPartials(bass, sheet.sample_rate)
    peak = max(kicks.low_band_peak(), basses.low_band_peak())
    if peak <= 0 or not track.kicks() or not track.notes():
        return [None] * len(track.notes())
    beat_s = 60 / sheet.bpm
    time = np.arange(kicks.count) / kicks.rate
    loop_s = sheet.length_beats * beat_s
    since_hit = np.min([(time - at * beat_s) % loop_s for at in track.kicks()], axis=0)
    settled = since_hit >= settled_s
    kick_partials = [landing_hz * k for k in range(1, 9) if landing_hz * k <= HIGHEST_HZ]
    kick_levels = {f: kicks.envelope(f) for f in kick_partials}
    bass_levels = {
        (number, k): basses.envelope(hz * k) for number, hz in note_hz.items() for k in range(1, 9) if hz * k <= HIGHEST_HZ
    }
    peaks = [float(np.max(e[settled], initial=0)) for e in kick_levels.values()]
    floor = 10 ** (-PARTIAL_RANGE_DB / 20) * max([*peaks, *(float(e.max()) for e in bass_levels.values())])
    out: list[Beating | None] = []
    for note in track.notes():
        best: Beating | None = None
        place = (time - note.at_beats * beat_s) % loop_s
        sounding = settled & (place < note.length_beats * beat_s)
        if not sounding.any():
            out.append(None)
            continue
        for f in kick_partials:
            for k in range(1, 9):
                tone = note_hz.get(note.note, 0) * k
                apart = abs(f - tone)
                if tone <= 0 or tone > HIGHEST_HZ or apart >= FASTEST_HZ:
                    continue
                one, other = kick_levels[f], bass_levels[note.note, k]
                if one[sounding].max() < floor or other[sounding].max() < floor:
                    continue
                ratio = one / np.maximum(other, 1e-12)
                near = 10 ** (TOGETHER_DB / 20)
                loud = np.minimum(one, other) > peak * 10 ** (-LOUD_DB / 20)
                both = sounding & loud & (ratio < near) & (ratio > 1 / near)
                overlap = float(np.count_nonzero(both)) / kicks.rate
                if overlap > 0 and (best is None or apart * overlap > best.beats):
                    best = Beating(apart * overlap, f, tone, note.at_beats, overlap)
        out.append(best)
    return out

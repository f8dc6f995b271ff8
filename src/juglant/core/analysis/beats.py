"""Beats between a hit's tail and the bass notes (method: kick against bass)."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import fft

from juglant.core.loop.pitched import strokes_in_cents
from juglant.core.measure.timing import LOW_BAND_HZ
from juglant.core.model.strokes import Stroke
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
    """The strongest beating found: the hit's partial (`kick_hz`), the bass's, the note it happens in, how many are heard.

    overlap_s: the longest single stretch in which both are heard; landing_hz: of the hit's strokes that beat.
    """

    beats: float
    kick_hz: float
    bass_hz: float
    at_beats: float
    overlap_s: float
    landing_hz: float


def landing_at(track: Track, landing_hz: float, at_beats: float) -> float:
    """Where the stroke of the kick lands that sounds at a place of the loop: the last one that began, its own pitch in."""
    strokes = strokes_in_cents(track, track.kick_hit())
    length = track.sheet.length_beats
    last = min(strokes, key=lambda stroke: (at_beats - stroke.at_beats) % length, default=None)
    return landing_hz * 2 ** (last.tune_cents / 1200) if last else landing_hz


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
    track: Track,
    kicks: LoopPartials,
    basses: LoopPartials,
    strokes: list[Stroke],
    *,
    landing_hz: float,
    settled_s: float,
    note_hz: dict[int, float],
) -> list[Beating | None]:
    """The largest number of beats heard between a hit and each note of the line, in order; None where none is heard.

    kicks, basses: of the as-heard stems; strokes: the hit's. landing_hz: its measured landing; settled_s: time after a
    stroke from which it rests there; note_hz: measured fundamental of each bass note number.
    """
    sheet = track.sheet
    peak = max(kicks.low_band_peak(), basses.low_band_peak())
    if peak <= 0 or not strokes or not track.notes():
        return [None] * len(track.notes())
    beat_s = 60 / sheet.bpm
    time = np.arange(kicks.count) / kicks.rate
    loop_s = sheet.length_beats * beat_s
    since = np.array([(time - stroke.at_beats * beat_s) % loop_s for stroke in strokes])
    settled, last = since.min(axis=0) >= settled_s, since.argmin(axis=0)
    cents = np.array([stroke.tune_cents for stroke in strokes])[last]
    # Strokes with a pitch of their own land elsewhere.
    rests = {landing_hz * 2 ** (own / 1200): settled & (cents == own) for own in sorted(set(cents.tolist()))}
    kick_levels = {hz * k: kicks.envelope(hz * k) for hz in rests for k in range(1, 9) if hz * k <= HIGHEST_HZ}
    bass_levels = {
        (number, k): basses.envelope(hz * k) for number, hz in note_hz.items() for k in range(1, 9) if hz * k <= HIGHEST_HZ
    }
    peaks = [float(np.max(e[settled], initial=0)) for e in kick_levels.values()]
    floor = 10 ** (-PARTIAL_RANGE_DB / 20) * max([*peaks, *(float(e.max()) for e in bass_levels.values())])
    out: list[Beating | None] = []
    for note in track.notes():
        place = (time - note.at_beats * beat_s) % loop_s
        during = place < note.length_beats * beat_s
        found = [
            Beating(apart * overlap, f, tone, note.at_beats, overlap, landing)
            for landing, resting in rests.items()
            for f, tone, level in near_partials(landing, note_hz.get(note.note, 0.0))
            if (apart := abs(f - tone)) < FASTEST_HZ
            and (
                overlap := _together_s(
                    kick_levels[f], bass_levels[note.note, level], resting & during, floor=floor, peak=peak, rate=kicks.rate
                )
            )
            > 0
        ]
        out.append(max(found, key=lambda one: one.beats, default=None))
    return out


def near_partials(landing_hz: float, tone_hz: float) -> list[tuple[float, float, int]]:
    """Partials of two tones up to 200 Hz: of the first, of the second, and the number of the second's."""
    return [
        (landing_hz * j, tone_hz * k, k)
        for j in range(1, 9)
        for k in range(1, 9)
        if tone_hz > 0 and landing_hz * j <= HIGHEST_HZ and tone_hz * k <= HIGHEST_HZ
    ]


def _together_s(
    one: Samples, other: Samples, sounding: NDArray[np.bool_], *, floor: float, peak: float, rate: float
) -> float:
    """Longest stretch in which both partials sound within 20 dB of each other and loud enough, in seconds.

    Stretches of several strokes are never added up: what beats for 80 ms five times has not beaten for 400.
    """
    if not sounding.any() or one[sounding].max() < floor or other[sounding].max() < floor:
        return 0.0
    return longest_stretch(sounding & together(one, other, peak=peak))[1] / rate


def longest_stretch(mask: NDArray[np.bool_]) -> tuple[int, int]:
    """Start and length of the longest run of a loop's mask, (frames,), through the loop's end where it goes on there."""
    if mask.all():
        return 0, mask.size
    turned = int(np.argmin(mask))
    edges = np.flatnonzero(np.diff(np.concatenate(([0], np.roll(mask, -turned).astype(np.int8), [0]))))
    if not edges.size:
        return 0, 0
    starts, ends = edges[::2], edges[1::2]
    best = int(np.argmax(ends - starts))
    return int(starts[best] + turned) % mask.size, int(ends[best] - starts[best])


def together(one: Samples, other: Samples, *, peak: float) -> NDArray[np.bool_]:
    """Where two partials, (frames,), are within 20 dB of each other and within 30 dB of the low band's peak."""
    ratio, near = one / np.maximum(other, 1e-12), 10 ** (TOGETHER_DB / 20)
    loud = np.minimum(one, other) > peak * 10 ** (-LOUD_DB / 20)
    return np.asarray(loud & (ratio < near) & (ratio > 1 / near))

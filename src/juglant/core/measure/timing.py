"""Where a hit starts, how long it sounds and how fast it rises and falls (method: time)."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache

import numba
import numpy as np
import scipy
from scipy import fft

from juglant.core.signal.decimate import decimate
from juglant.core.signal.frames import frame_powers, quiet_floor
from juglant.core.types import Samples, Spectrum

# What never falls further than this below the peak is no floor but the sound itself: a held tone.
HIGHEST_FLOOR_DB = -12.0
LOW_BAND_HZ, LOW_BAND_ORDER = (20.0, 150.0), 4
HEARD_DB, SILENT_DB = -24.0, -60.0
SILENT_PEAK = 1e-9
LOW_SHARE_DB = -20.0
# A firm landing above this is heard an octave either side of itself, where that band holds this share of the energy.
HIGH_NOTE_HZ, OWN_SHARE = 100.0, 0.5
ONSET_DB, ONSET_FLOOR_DB = -40.0, 10.0
T60_RANGE_DB = (-5.0, -25.0)
CLICK_HZ, CLICK_MS = 2000.0, 10.0
ENVELOPE_RATE = 6000
# Silence put around a hit before zero-phase filtering, so that the edges do not ring into it.
PAD_S = 0.25
# The rise of an attack is looked for from so long before the onset.
ATTACK_AHEAD_S = 0.06


@dataclass(frozen=True)
class Timing:
    """Times of one hit; None where the signal does not allow the figure, with the reason in `length_note`."""

    onset_ms: float
    length_ms: float | None
    length_silent_ms: float | None
    length_of: str
    length_note: str | None
    t60_ms: float | None
    attack_ms: float | None
    click_db: float | None


@numba.njit(cache=True, nogil=True)
def _loudest_window(x: Samples, window: int) -> tuple[float, int]:
    """Largest causal mean square over `window` samples, and the sample at which it is reached."""
    total, peak, at = 0.0, 0.0, 0
    for n in range(x.size):
        total += x[n] * x[n]
        if n >= window:
            total -= x[n - window] * x[n - window]
        if total > peak:
            peak, at = total, n
    return peak / window, at


@numba.njit(cache=True, nogil=True)
def _first_above(x: Samples, window: int, threshold: float) -> int:
    """First sample whose causal mean square over `window` samples passes a threshold; -1 where none does."""
    total = 0.0
    for n in range(x.size):
        total += x[n] * x[n]
        if n >= window:
            total -= x[n - window] * x[n - window]
        if total > threshold * window:
            return n
    return -1


def onset_frame(signal: Samples, *, sample_rate: int) -> int:
    """First sample of the hit, (frames,) in; 0 where the signal is silent."""
    x = signal - signal.mean() if signal.size > 1 else signal
    # A hit after digital silence has no DC to remove; keep the zeros as zeros.
    if np.count_nonzero(signal) < 0.98 * signal.size:
        x = signal
    window = max(1, round(sample_rate / 1000))
    peak, loudest = _loudest_window(x, window)
    if peak <= 0:
        return 0
    threshold = max(peak * 10 ** (ONSET_DB / 10), noise_floor(x, sample_rate=sample_rate) * 10 ** (ONSET_FLOOR_DB / 10))
    first = _first_above(x, window, threshold)
    first = loudest if first < 0 else first
    back = max(0, first - round(0.005 * sample_rate))
    stretch = x[back : first + 1]
    turns = np.flatnonzero((stretch[1:] == 0) | (stretch[1:] * stretch[:-1] < 0))
    if turns.size:
        return back + int(turns[-1]) + 1
    return back if back == 0 and first < round(0.005 * sample_rate) else first


def noise_floor(signal: Samples, *, sample_rate: int) -> float:
    """Mean square of the noise floor: median of the quietest tenth of 10 ms frames, digital zeros left out."""
    frame = max(1, round(sample_rate / 100))
    if signal.size < 10 * frame:
        return 0.0
    return quiet_floor(frame_powers(signal, frame), share=10, highest_db=HIGHEST_FLOOR_DB)


def _band_power(frequency: Samples, rate: int, band_hz: tuple[float, float]) -> Samples:
    """Power response of a band's Butterworth band-pass, (bins,): the prototype's, through the bilinear transform."""
    warped = np.tan(np.pi * np.minimum(frequency, 0.4999 * rate) / rate)
    low, high = (math.tan(math.pi * min(hz, 0.49 * rate) / rate) for hz in band_hz)
    detuned = (warped**2 - low * high) / np.maximum((high - low) * warped, 1e-30)
    return np.asarray(1 / (1 + np.minimum(detuned**2, 1e30) ** LOW_BAND_ORDER))


@lru_cache(maxsize=16)
def _click_sections(sample_rate: int) -> Samples:
    sections: Samples = scipy.signal.butter(4, CLICK_HZ, "highpass", fs=sample_rate, output="sos")
    return sections


def low_band_envelope(signal: Samples, *, sample_rate: int) -> tuple[Samples, int]:
    """Low-band envelope at about 6 kHz, (frames,), and that rate.

    Zero-phase 4th-order Butterworth band-pass 20-150 Hz, Hilbert magnitude.
    """
    slow = _Slow.of(signal, sample_rate)
    return slow.inside(slow.envelope(LOW_BAND_HZ)), slow.rate


def low_and_whole(signal: Samples, *, sample_rate: int) -> tuple[Samples, Samples, int]:
    """The same with the envelope of all that is left at that rate: both (frames,)."""
    slow = _Slow.of(signal, sample_rate)
    return slow.inside(slow.envelope(LOW_BAND_HZ)), slow.inside(slow.envelope(None)), slow.rate


@dataclass(frozen=True)
class _Slow:
    """A hit at about 6 kHz as a spectrum of `length` points, silence around it: its envelopes in any band."""

    spectrum: Spectrum
    length: int
    frames: int
    rate: int

    @classmethod
    def of(cls, signal: Samples, sample_rate: int) -> _Slow:
        factor = max(1, sample_rate // ENVELOPE_RATE)
        slow = decimate(signal, factor, pass_share=0.8)
        rate = sample_rate // factor
        length = fft.next_fast_len(slow.size + 2 * round(PAD_S * rate), real=True)
        return cls(fft.rfft(slow, length), length, slow.size, rate)

    def envelope(self, band_hz: tuple[float, float] | None) -> Samples:
        """Hilbert magnitude, (length,), in a band or of all; what a zero-phase filter puts ahead of the hit is last."""
        analytic = np.zeros(self.length, dtype=complex)
        analytic[: self.spectrum.size] = 2 * self.spectrum
        if band_hz is not None:
            frequency = fft.rfftfreq(self.length, 1 / self.rate)
            analytic[: frequency.size] *= _band_power(frequency, self.rate, band_hz)
        return np.asarray(np.abs(fft.ifft(analytic)))

    def inside(self, envelope: Samples) -> Samples:
        """The part of an envelope in which the signal lies, (frames,)."""
        return envelope[: self.frames]

    def ahead(self, envelope: Samples) -> Samples:
        """What of an envelope lies before the signal, (frames,)."""
        return envelope[self.length - round(PAD_S * self.rate) :]


def measure_timing(signal: Samples, *, sample_rate: int, firm_hz: float | None = None) -> Timing:
    """Onset, length, T60, attack and click of one hit, (frames,); firm_hz: its landing where that is firm."""
    heard = _heard_envelope(signal, sample_rate, firm_hz)
    onset_ms = heard.onset / sample_rate * 1000
    if heard.peak <= SILENT_PEAK:
        return Timing(onset_ms, None, None, "low band", "silent", None, None, None)
    length_ms, silent_ms = heard.length_ms(HEARD_DB), heard.length_ms(SILENT_DB)
    return Timing(
        onset_ms=onset_ms,
        length_ms=length_ms,
        length_silent_ms=silent_ms,
        length_of=heard.of,
        length_note="ends in noise" if silent_ms is None else None,
        t60_ms=_t60_ms(heard.envelope[heard.start :], heard.floor, heard.rate),
        attack_ms=_attack_ms(heard),
        click_db=_click_db(signal[heard.onset :], sample_rate),
    )


def measure_length_ms(signal: Samples, *, sample_rate: int, firm_hz: float | None = None) -> float | None:
    """The length of one hit, (frames,), alone: `length_ms` of its timing."""
    heard = _heard_envelope(signal, sample_rate, firm_hz)
    return heard.length_ms(HEARD_DB) if heard.peak > SILENT_PEAK else None


@dataclass(frozen=True)
class _Heard:
    """The envelope a length is read from, its rate, and the onset in frames of the signal and of the envelope.

    ahead: what the zero-phase band-pass puts before the signal, (frames,).
    """

    envelope: Samples
    ahead: Samples
    rate: int
    onset: int
    start: int
    peak: float
    floor: float
    of: str

    def length_ms(self, depth_db: float) -> float | None:
        """From the onset to the last time within `depth_db` of the peak; None where it ends in noise before."""
        threshold = self.peak * 10 ** (depth_db / 20)
        if self.floor > threshold:
            return None
        last = int(np.flatnonzero(self.envelope >= threshold)[-1])
        return max(0.0, (last - self.start) / self.rate * 1000)


def _heard_envelope(signal: Samples, sample_rate: int, firm_hz: float | None) -> _Heard:
    onset = onset_frame(signal, sample_rate=sample_rate)
    slow = _Slow.of(signal, sample_rate)
    # The envelope of a sine is its amplitude: twice its mean square.
    total = 2 * float(np.sum(signal**2)) * slow.rate / sample_rate
    padded, of = slow.envelope(LOW_BAND_HZ), "low band"
    low_share = float(np.sum(padded**2)) / max(total, 1e-30)
    if firm_hz is not None and firm_hz > HIGH_NOTE_HZ:
        own = slow.envelope((firm_hz / 2, 2 * firm_hz))
        if float(np.sum(own**2)) > OWN_SHARE * total:
            padded, of = own, f"{firm_hz / 2:.0f} to {2 * firm_hz:.0f} Hz"
    if of == "low band" and low_share < 10 ** (LOW_SHARE_DB / 10):
        padded, of = _whole_envelope(signal, slow), "whole signal"
    envelope = slow.inside(padded)
    start = min(round(onset * slow.rate / sample_rate), envelope.size - 1)
    peak = float(envelope.max(initial=0.0))
    floor = _floor_of(envelope, slow.rate) if peak > SILENT_PEAK else 0.0
    return _Heard(envelope, slow.ahead(padded), slow.rate, onset, start, peak, floor, of)


def _whole_envelope(signal: Samples, slow: _Slow) -> Samples:
    """Envelope of everything, also above what is left at 6 kHz: rms of the analytic signal over each slow frame."""
    factor = -(-signal.size // slow.frames)
    length = 2 * fft.next_fast_len(signal.size, real=True)
    analytic = np.zeros(length, dtype=complex)
    analytic[: length // 2 + 1] = 2 * fft.rfft(signal, length)
    power = np.abs(fft.ifft(analytic)[: signal.size]) ** 2
    out = np.zeros(slow.length)
    edges = np.arange(0, signal.size, factor)
    counts = np.minimum(factor, signal.size - edges)
    out[: edges.size] = np.sqrt(np.add.reduceat(power, edges) / counts)
    return out


def _floor_of(envelope: Samples, rate: int) -> float:
    """Amplitude the envelope ends in: rms of its last 10 %, if that stretch is level; else 0."""
    tail = envelope[-max(envelope.size // 10, min(envelope.size, rate // 50)) :]
    if tail.size < 8:
        return 0.0
    halves = [float(np.sqrt(np.mean(half**2))) for half in np.array_split(tail, 2)]
    # A decay still falls across its last stretch (over 1.5 dB); noise does not.
    level = halves[1] > 0 and halves[0] < halves[1] * 1.19
    return halves[1] if level and halves[1] <= envelope.max() * 10 ** (HIGHEST_FLOOR_DB / 20) else 0.0


def _t60_ms(envelope: Samples, floor: float, rate: int) -> float | None:
    """Backward integration (Schroeder 1965) from where the decay meets the floor; line through -5..-25 dB."""
    energy = envelope**2
    if floor > 0:
        above = np.flatnonzero(envelope > floor * 2)
        if not above.size:
            return None
        energy = np.maximum(energy[: above[-1] + 1] - floor**2, 0)
    decay = np.cumsum(energy[::-1])[::-1]
    if not decay.size or decay[0] <= 0:
        return None
    if floor > 0 and decay[0] / max(decay[-1], 1e-30) < 10 ** (-T60_RANGE_DB[1] / 10):
        return None
    level = 10 * np.log10(np.maximum(decay / decay[0], 1e-30))
    inside = np.flatnonzero((level <= T60_RANGE_DB[0]) & (level >= T60_RANGE_DB[1]))
    if inside.size < 8 or level[-1] > T60_RANGE_DB[1]:
        return None
    slope = float(np.polyfit(inside / rate, level[inside], 1)[0])
    return -60_000 / slope if slope < 0 else None


def _attack_ms(heard: _Heard) -> float | None:
    """10-90 % of the envelope's rise up to its first maximum within 6 dB of the peak.

    A zero-phase band-pass begins to rise ahead of the signal: the rise is looked for there too, or a hit that begins with
    the file would read shorter than the same hit after silence.
    """
    whole = np.concatenate((heard.ahead, heard.envelope))
    part = whole[max(0, heard.start + heard.ahead.size - round(ATTACK_AHEAD_S * heard.rate)) :]
    maxima, _ = scipy.signal.find_peaks(part, height=heard.peak / 2)
    top = int(maxima[0]) if maxima.size else int(np.argmax(part))
    rise = part[: top + 1]
    low = np.flatnonzero(rise < 0.1 * part[top])
    high = np.flatnonzero(rise >= 0.9 * part[top])
    if not high.size:
        return None
    return float((high[0] - (low[-1] if low.size else 0)) / heard.rate * 1000)


def _click_db(signal: Samples, sample_rate: int) -> float | None:
    """Energy above 2 kHz in the first 10 ms re the whole hit, dB; None for a rate that has no such band."""
    total = float(np.sum(signal**2))
    if total <= 0 or sample_rate < 3 * CLICK_HZ:
        return None
    sections = _click_sections(sample_rate)
    count = round(CLICK_MS / 1000 * sample_rate)
    high = scipy.signal.sosfilt(sections, signal[:count])
    return float(10 * np.log10(max(float(np.sum(high**2)) / total, 1e-20)))

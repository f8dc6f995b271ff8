"""Third-octave bands and the zones of the low end (method: bands)."""

from __future__ import annotations

from collections.abc import Sequence
from functools import lru_cache

import numpy as np
import scipy
from scipy import fft

from juglant.core.signal.decimate import decimate
from juglant.core.signal.wrap import wrapped
from juglant.core.types import Samples, Spectrum

LOWEST_STEP, HIGHEST_STEP = -16, 12
# Exact base-ten centres (IEC 61260-1): 25.12 Hz to 15.85 kHz.
CENTRES_HZ: tuple[float, ...] = tuple(1000 * 10 ** (step / 10) for step in range(LOWEST_STEP, HIGHEST_STEP + 1))
LOW_CENTRES_HZ: tuple[float, ...] = tuple(c for c in CENTRES_HZ if c < 200)
HALF_BAND = 10**0.05
# Third octaves that are low, and the middle they are held against (method: carving).
LOW_BANDS_HZ, MIDDLE_BANDS_HZ = (25.0, 101.0), (125.0, 252.0)
FRAME_S = 0.02
PAD_S = 0.5
# So often an envelope is looked at in a frame, so that none has a sample more than its neighbour.
POINTS_A_FRAME = 48
SLOW_HZ = 8000
BAND_ORDER = 3
# Zone edges of the brief, on third-octave limits, Hz.
ZONE_EDGES_HZ: dict[str, tuple[float, float]] = {
    "under": (0, 28), "sub": (28, 56), "weight": (56, 112), "warmth": (112, 180), "boom": (180, 280),
    "box": (280, 560), "middle": (560, 1800), "attack": (1800, 4500), "top": (4500, 1e9),
}  # fmt: skip


def zone_of(centre_hz: float) -> str:
    """Zone a third-octave band belongs to."""
    return next(name for name, (low, high) in ZONE_EDGES_HZ.items() if low <= centre_hz < high)


def spectrum_of(audio: Samples, *, sample_rate: int) -> tuple[Samples, Samples]:
    """Frequencies in Hz, the last half the rate, and power of a whole sound, both (bins,)."""
    size = fft.next_fast_len(max(audio.size, sample_rate // 4), real=True)
    size += size % 2
    found = fft.rfft(audio, size)
    return fft.rfftfreq(size, 1 / sample_rate), found.real**2 + found.imag**2


def quick_band_energies(audio: Samples, *, sample_rate: int) -> Samples:
    """Energy in each third-octave band, (bands,), with straight edges, from one spectrum: to draw and to compare with."""
    if audio.size < 2 or not np.any(audio):
        return np.zeros(len(CENTRES_HZ))
    return band_energies_from(*spectrum_of(audio, sample_rate=sample_rate))


def band_energies_from(frequency: Samples, spectrum: Samples) -> Samples:
    """The same from the spectrum that `spectrum_of` gives."""
    power = np.concatenate(([0.0], np.cumsum(spectrum)))
    edges = np.array([[c / HALF_BAND, c * HALF_BAND] for c in CENTRES_HZ]) / float(frequency[1])
    bins = np.clip(np.round(edges).astype(int), 0, power.size - 1)
    found: Samples = power[np.maximum(bins[:, 1], bins[:, 0] + 1).clip(max=power.size - 1)] - power[bins[:, 0]]
    return found


def zone_energies(audio: Samples, *, sample_rate: int) -> dict[str, float]:
    """Energy in each zone, from one spectrum: to compare layers with; stated zone levels are `zones_db`."""
    return zone_energies_from(*spectrum_of(audio, sample_rate=sample_rate))


def zone_energies_from(frequency: Samples, power: Samples) -> dict[str, float]:
    """The same from the spectrum that `spectrum_of` gives."""
    # Parseval: half of a real signal's transform holds half of its energy.
    scale = 1 / (frequency.size - 1)
    edges = np.searchsorted(frequency, [low for low, _ in ZONE_EDGES_HZ.values()])
    sums = np.add.reduceat(power, edges[edges < frequency.size]) * scale
    return {name: float(sums[k]) if k < sums.size else 0.0 for k, name in enumerate(ZONE_EDGES_HZ)}


@lru_cache(maxsize=512)
def band_sections(centre_hz: float, sample_rate: int) -> Samples:
    """The reference band-pass: Butterworth of order 3 between the band's edges."""
    top = min(centre_hz * HALF_BAND, 0.499 * sample_rate)
    edges = [centre_hz / HALF_BAND, top]
    sections: Samples = scipy.signal.butter(BAND_ORDER, edges, "bandpass", fs=sample_rate, output="sos")
    return sections


def band_gain(centre_hz: float, frequency_hz: Samples, *, sample_rate: int) -> Samples:
    """Gain of the band-pass run forward and backward: |H|^2 at the given frequencies."""
    z = np.exp(-2j * np.pi * frequency_hz / sample_rate)
    gain = np.ones(frequency_hz.size)
    for b0, b1, b2, _, a1, a2 in band_sections(centre_hz, sample_rate):
        top = b0 + z * (b1 + z * b2)
        bottom = 1 + z * (a1 + z * a2)
        gain *= (top.real**2 + top.imag**2) / (bottom.real**2 + bottom.imag**2)
    return gain


def band_response(centre_hz: float, frequency_hz: Samples, *, sample_rate: int) -> Spectrum:
    """Response of the band-pass run forward alone, as it can hear no more than what was: complex, (bins,)."""
    z = np.exp(-2j * np.pi * frequency_hz / sample_rate)
    turned = np.ones(frequency_hz.size, dtype=complex)
    for b0, b1, b2, _, a1, a2 in band_sections(centre_hz, sample_rate):
        turned *= (b0 + z * (b1 + z * b2)) / (1 + z * (a1 + z * a2))
    return turned


@lru_cache(maxsize=96)
def _loop_gain(centre_hz: float, length: int, rate: float, sample_rate: int, forward: bool) -> Samples | Spectrum:
    """`band_gain` or `band_response` at the bins of a transform (remembered: every stem of a loop asks for the same)."""
    frequency = fft.rfftfreq(length, 1 / rate)
    gain = (band_response if forward else band_gain)(centre_hz, frequency, sample_rate=sample_rate)
    gain.setflags(write=False)
    return gain


def band_energies(signal: Samples, *, sample_rate: int) -> dict[float, float]:
    """Energy of a one-shot in every third-octave band below the Nyquist frequency, by centre.

    Parseval on the padded signal: the same as summing squares after the forward and backward filter.
    """
    length = _coarse_length(signal.size + round(2 * PAD_S * sample_rate))
    power = np.abs(fft.rfft(signal, length)) ** 2
    power[1:-1] *= 2
    out = {}
    for centre in CENTRES_HZ:
        if centre * HALF_BAND >= 0.49 * sample_rate:
            break
        # Two octaves out the response of both passes is below -80 dB.
        near, gain = _hit_gain(centre, length, sample_rate)
        out[centre] = float(np.sum(power[near] * gain) / length)
    return out


def _coarse_length(least: int) -> int:
    """A length of a transform that many others share: four in an octave, so that gains at its bins are known already."""
    octave = max(8, 1 << max(0, (least - 1).bit_length() - 1))
    return next(length for length in (octave * part // 4 for part in (4, 5, 6, 7, 8)) if length >= least)


@lru_cache(maxsize=12 * len(CENTRES_HZ))
def _hit_gain(centre_hz: float, length: int, sample_rate: int) -> tuple[slice, Samples]:
    """Bins near a band, and the square of `band_gain` there (remembered: a hit that is shaped keeps its length)."""
    frequency = fft.rfftfreq(length, 1 / sample_rate)
    near = slice(*(int(at) for at in np.searchsorted(frequency, [centre_hz / 4, centre_hz * 4])))
    gain = band_gain(centre_hz, frequency[near], sample_rate=sample_rate) ** 2
    gain.setflags(write=False)
    return near, gain


def loop_band_energies(loop: Samples, centres_hz: Sequence[float], *, sample_rate: int) -> Samples:
    """Energy of a loop, (frames,), in some third octaves up to 2 kHz, with its own wrap: (bands,), as the reference has it.

    At about 8 kHz: a transform of the loop's own length is slow where that is a large prime, and short it is no matter.
    """
    factor = max(1, sample_rate // SLOW_HZ)
    slow = decimate(np.concatenate((loop, loop[: min(loop.size, 400 * factor)])), factor, pass_share=0.7)
    slow = slow[: max(1, loop.size // factor)]
    power = np.abs(fft.rfft(slow)) ** 2 * factor
    power[1:] *= 2
    out = []
    for centre in centres_hz:
        first, gain = _near_gain(centre, slow.size, sample_rate / factor, sample_rate)
        out.append(float(np.sum(power[first : first + gain.size] * gain)) / slow.size)
    return np.array(out)


@lru_cache(maxsize=64)
def _near_gain(centre_hz: float, size: int, rate: float, sample_rate: int) -> tuple[int, Samples]:
    """Power gain of a band and of its two octaves around at the lines of a transform, and the first of them."""
    hz = np.asarray(np.arange(size // 2 + 1) * (rate / size), dtype=np.float64)
    first, last = np.searchsorted(hz, [centre_hz / 4, centre_hz * 4]).tolist()
    gain = band_gain(centre_hz, hz[first:last], sample_rate=sample_rate) ** 2
    gain.setflags(write=False)
    return first, gain


def all_band_frames(loop: Samples, *, sample_rate: int) -> Samples:
    """Energy of a loop in every third octave below the Nyquist frequency and 20 ms frame, (bands, frames), with its wrap.

    Each band's slice of the spectrum is moved down to zero and sampled as slowly as its width allows: half the square of
    that envelope is the band's energy but for what changes within one of its samples.
    """
    spectrum = fft.rfft(loop)
    hz = np.asarray(np.arange(spectrum.size) * (sample_rate / loop.size), dtype=np.float64)
    frames = frame_count(loop.size, sample_rate)
    out = np.zeros((sum(c * HALF_BAND < 0.49 * sample_rate for c in CENTRES_HZ), frames))
    # A cycle of the low ones is as long as a frame: they are filtered as they are.
    out[: len(LOW_CENTRES_HZ)] = low_band_frames(loop, sample_rate=sample_rate)
    for row, centre in enumerate(CENTRES_HZ[: out.shape[0]]):
        if centre in LOW_CENTRES_HZ:
            continue
        low, high = np.searchsorted(hz, [centre / 4, centre * 4]).tolist()
        band = 2 * spectrum[low:high] * band_gain(centre, hz[low:high], sample_rate=sample_rate)
        points = fft.next_fast_len(max(band.size, POINTS_A_FRAME * frames))
        envelope = fft.ifft(band, points) * (points / loop.size)
        frame = (np.arange(points) * (loop.size / points) / (FRAME_S * sample_rate)).astype(int).clip(max=frames - 1)
        power = 0.5 * (envelope.real**2 + envelope.imag**2) * (loop.size / points)
        out[row] = np.bincount(frame, power, minlength=frames)
    return out


def zones_db(signal: Samples, *, sample_rate: int) -> dict[str, float | None]:
    """Level of each zone re the whole hit, dB; None where the rate has no such band or the hit is silent."""
    total = float(np.sum(signal**2))
    bands = band_energies(signal, sample_rate=sample_rate)
    out: dict[str, float | None] = {}
    for name in ZONE_EDGES_HZ:
        inside = [energy for centre, energy in bands.items() if zone_of(centre) == name]
        out[name] = 10 * float(np.log10(max(sum(inside) / total, 1e-12))) if inside and total > 0 else None
    return out


def _decimation(sample_rate: int) -> int:
    """A factor that divides the 20 ms frame exactly and leaves about 3 kHz."""
    frame = round(FRAME_S * sample_rate)
    return max(f for f in range(1, max(2, sample_rate // 2800)) if frame % f == 0)


def frame_count(frames: int, sample_rate: int) -> int:
    """20 ms frames in a loop, a last partial one included."""
    return -(-frames // round(FRAME_S * sample_rate))


def low_band_frames(loop: Samples, *, sample_rate: int, forward: bool = False) -> Samples:
    """Energy of a loop in each low third-octave band and 20 ms frame, (bands, frames), 25 to 200 Hz.

    forward: the band-pass run forward alone, which hears nothing before it comes.

    The loop is taken with its own wrap. Decimated to about 3 kHz, then the reference band-pass (at the full rate's
    coefficients) as a product of spectra; agrees with filtering at the full rate within 0.1 dB.
    """
    factor = _decimation(sample_rate)
    rate = sample_rate / factor
    margin = round(PAD_S * 2 * rate)
    count = -(-loop.size // factor)
    length = fft.next_fast_len(count + 2 * margin, real=True)
    around = wrapped(loop, margin * factor, (length - margin) * factor - loop.size)
    slow = decimate(around, factor, pass_share=0.7)[:length]
    frequency = fft.rfftfreq(length, 1 / rate)
    # Each slow sample stands for `factor` fast ones: move it to the middle of them.
    spectrum = fft.rfft(slow) * np.exp(1j * np.pi * frequency * (factor - 1) / sample_rate)
    per_frame = round(FRAME_S * rate)
    frames = frame_count(loop.size, sample_rate)
    out = np.empty((len(LOW_CENTRES_HZ), frames))
    weights = np.full(frames * per_frame, float(factor))
    used = np.arange(weights.size) * factor
    weights *= np.clip((loop.size - used) / factor, 0, 1)
    for row, centre in enumerate(LOW_CENTRES_HZ):
        band = fft.irfft(spectrum * _loop_gain(centre, length, rate, sample_rate, forward), length)
        part = np.zeros(weights.size)
        have = min(weights.size, length - margin)
        part[:have] = band[margin : margin + have] ** 2
        out[row] = (part * weights).reshape(frames, per_frame).sum(axis=1)
    return out

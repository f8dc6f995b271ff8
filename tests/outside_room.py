"""What making room did, recomputed from stems with scipy alone, after the definitions in docs/methods.md."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from scipy import signal as dsp

RATE = 48000
# ITU-R BS.1770-5, annex 1, tables 1 and 2: the two sections of K-weighting at 48 kHz.
K_SHELF = ([1.53512485958697, -2.69169618940638, 1.19839281085285], [1, -1.69065929318241, 0.73248077421585])
K_PASS = ([1, -2, 1], [1, -1.99004745483398, 0.99007225036621])
LOW_HZ = [1000 * 10 ** (step / 10) for step in range(-16, -9)]
MIDDLE_HZ = [1000 * 10 ** (step / 10) for step in range(-9, -5)]


def k_weighted(loop: np.ndarray) -> np.ndarray:
    """A loop through K-weighting as on its second pass."""
    twice = np.tile(loop, 2)
    for b, a in (K_SHELF, K_PASS):
        twice = dsp.lfilter(b, a, twice)
    return np.asarray(twice[loop.size :])


def band_energy(loop: np.ndarray, centre: float) -> float:
    """Energy of a third octave of a loop, forward and backward, with its own wrap."""
    sections = dsp.butter(3, [centre / 10**0.05, centre * 10**0.05], "bandpass", fs=RATE, output="sos")
    three = dsp.sosfiltfilt(sections, np.tile(loop, 3))
    return float(np.sum(three[loop.size : 2 * loop.size] ** 2))


def low_middle_db(loop: np.ndarray) -> float:
    """Third octaves from 25 to 100 Hz re those from 126 to 251 Hz."""
    low, middle = (sum(band_energy(loop, centre) for centre in span) for span in (LOW_HZ, MIDDLE_HZ))
    return float(10 * np.log10(low / middle))


def note_levels(loop: np.ndarray, notes: Sequence[tuple[float, float]]) -> np.ndarray:
    """K-weighted level of the first 400 ms of each note, dB; notes: start and length in seconds."""
    energy = k_weighted(loop) ** 2
    out = []
    for start, length in notes:
        frames = np.arange(round(start * RATE), round((start + min(length, 0.4)) * RATE)) % loop.size
        out.append(10 * np.log10(energy[frames].mean()))
    return np.array(out)


def spread_lu(loop: np.ndarray, notes: Sequence[tuple[float, float]]) -> float:
    """Loudest less quietest note."""
    levels = note_levels(loop, notes)
    return float(levels.max() - levels.min())


def summing_db(kick: np.ndarray, bass: np.ndarray) -> float:
    """Level of the sum re the sum of levels."""
    one, other, both = (np.sqrt(np.mean(x**2)) for x in (kick, bass, kick + bass))
    return float(20 * np.log10(both / (one + other)))


def response_db(before: np.ndarray, carved: np.ndarray, floor_hz: float | None) -> tuple[np.ndarray, np.ndarray]:
    """Gain of what lies between two stems of a loop where the first has something, without a floor filter: Hz and dB."""
    spectra = [np.fft.rfft(one) for one in (before, carved)]
    hz = np.fft.rfftfreq(before.size, 1 / RATE)
    there = (np.abs(spectra[0]) > 1e-4 * np.abs(spectra[0]).max()) & (hz > 25) & (hz < 4000)
    gain = np.abs(spectra[1][there] / spectra[0][there])
    if floor_hz is not None:
        sections = dsp.butter(4, floor_hz, "highpass", fs=RATE, output="sos")
        gain = gain / np.abs(dsp.sosfreqz(sections, hz[there], fs=RATE)[1])
    return hz[there], 20 * np.log10(gain)


def begins_before_s(gain_at_s: np.ndarray, gain_db: np.ndarray, stroke_s: float, loop_s: float) -> float:
    """How long before a stroke a gain begins to fall towards it, s: the last time it was at the top of its way there."""
    ahead = np.arange(0, 0.2, 0.0005)
    gain = np.interp((stroke_s - ahead) % loop_s, gain_at_s, gain_db)
    rising = np.flatnonzero(np.diff(gain) <= 1e-3)
    return float(ahead[rising[0]]) if rising.size else 0.2

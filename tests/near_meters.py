"""Drums made by nothing of the product, and meters of the trials' own for what is made near to them (scipy, numpy)."""

from __future__ import annotations

import numpy as np
import scipy

RATE = 48000
PARTIALS = ((1, 1, 520), (1.47, 0.5, 330), (1.93, 0.4, 240), (2.41, 0.22, 170), (2.93, 0.18, 130), (3.6, 0.1, 90))


def made_tom(hz: float, seed: int = 1) -> np.ndarray:
    """Falling partials that stand in no whole ratio, a pitch that falls by 68 cents, a burst of noise."""
    time = np.arange(round(1.2 * RATE)) / RATE
    out = np.zeros(time.size)
    for ratio, level, falls_ms in PARTIALS:
        turns = np.cumsum(hz * ratio * (1 + 0.04 * np.exp(-time / 0.03))) / RATE
        out += level * np.sin(2 * np.pi * turns) * np.exp(-6.9 * time / (falls_ms / 1000))
    noise = np.diff(np.random.default_rng(seed).standard_normal(time.size), prepend=0)
    out += 0.15 * noise * np.exp(-time / 0.006)
    return 0.4 * out * np.minimum(1, time / 0.0005)


def made_snare(hz: float, seed: int = 2) -> np.ndarray:
    """Two falling tones under noise from 1 to 7 kHz that outlasts them."""
    time = np.arange(round(0.6 * RATE)) / RATE
    tone = sum(
        level * np.sin(2 * np.pi * hz * ratio * time) * np.exp(-time / falls_s)
        for ratio, level, falls_s in ((1, 1.0, 0.03), (1.6, 0.6, 0.02))
    )
    band = scipy.signal.butter(2, (1000, 7000), "bandpass", fs=RATE, output="sos")
    noise = scipy.signal.sosfilt(band, np.random.default_rng(seed).standard_normal(time.size)) * np.exp(-time / 0.06)
    return 0.3 * (tone + noise) * np.minimum(1, time / 0.0005)


def third_octaves_db(sound: np.ndarray, rate: int) -> np.ndarray:
    """Energies of third octaves, dB (Butterworth 3, forward and backward; middles: IEC 61260-1)."""
    padded, levels = np.pad(sound, rate // 2), []
    for middle in 1000 * 10 ** (np.arange(-15, 13) / 10):
        edges = np.array([middle / 10**0.05, min(middle * 10**0.05, 0.49 * rate)])
        sections = scipy.signal.butter(3, edges, "bandpass", fs=rate, output="sos")
        band = scipy.signal.sosfiltfilt(sections, padded)
        levels.append(10 * np.log10(np.sum(band**2) + 1e-15))
    return np.array(levels)


def bands_apart_db(one: np.ndarray, goal: np.ndarray, rate: int) -> np.ndarray:
    """Third octaves within 30 dB of the strongest against another sound's, dB, at the level at which they agree best."""
    levels, wanted = (third_octaves_db(sound, rate) for sound in (one, goal))
    apart = (levels - wanted)[wanted >= wanted.max() - 30]
    return apart - (apart.max() + apart.min()) / 2


def pitch_hz(sound: np.ndarray, rate: int, about_hz: float) -> float:
    """The strongest partial near a pitch once the fall has passed, from one long spectrum."""
    part = sound[round(0.12 * rate) : round(0.6 * rate)]
    size = 1 << 19
    power = np.abs(np.fft.rfft(part * np.hanning(part.size), size))
    frequency = np.fft.rfftfreq(size, 1 / rate)
    near = (frequency > about_hz / 1.15) & (frequency < about_hz * 1.15)
    return float(frequency[near][np.argmax(power[near])])

"""Kick clearance computed from delivered stems with scipy alone, after the definition in docs/methods.md."""

from __future__ import annotations

import numpy as np
from scipy import signal as dsp

FRAME_S = 0.02
# Exact base-ten third-octave centres from 25 to 200 Hz (IEC 61260-1).
CENTRES_HZ = [1000 * 10 ** (step / 10) for step in range(-16, -6)]
SPLITS_HZ = {"kick": 100, "bass": 100, "shared": 200, "kick-is-bass": 200}
GOALS_DB = {"kick": 10, "bass": -10, "shared": 6, "kick-is-bass": 15}


def band_frames(loop: np.ndarray, rate: int) -> np.ndarray:
    """Energy in each band and 20 ms frame of a loop, (bands, frames), filtered at the full rate with its own wrap."""
    three, frame = np.tile(loop, 3), round(FRAME_S * rate)
    out = []
    for centre in CENTRES_HZ:
        sections = dsp.butter(3, [centre / 10**0.05, centre * 10**0.05], "bandpass", fs=rate, output="sos")
        band = dsp.sosfiltfilt(sections, three)[loop.size : 2 * loop.size] ** 2
        band = np.append(band, np.zeros(-band.size % frame))
        out.append(band.reshape(-1, frame).sum(axis=1))
    return np.array(out)


def clearance_db(stems: dict[str, np.ndarray], owner: str, rate: int) -> float:
    """Kick over bass in the judged bands' active cells; stems: kick, bass, and both before."""
    kick, bass = band_frames(stems["kick-before"], rate), band_frames(stems["bass-before"], rate)
    peaks = kick.max(axis=1), bass.max(axis=1)
    floor = max(peaks[0].max(), peaks[1].max()) / 100
    contested = (peaks[0] >= floor) & (peaks[1] >= floor)
    judged = contested & (np.array(CENTRES_HZ) <= SPLITS_HZ[owner] * 1.0001)
    active = (kick >= peaks[0][:, None] * 10**-1.2) & (kick >= peaks[0].max() * 1e-4) & judged[:, None]
    heard = band_frames(stems["kick"], rate)[active].sum(), band_frames(stems["bass"], rate)[active].sum()
    return float(10 * np.log10(heard[0] / heard[1]))

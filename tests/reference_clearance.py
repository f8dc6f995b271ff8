"""Kick clearance computed from delivered stems with scipy alone, after the definition in docs/methods.md."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from scipy import signal as dsp

FRAME_S = 0.02
# Exact base-ten third-octave centres from 25 to 200 Hz (IEC 61260-1).
CENTRES_HZ = [1000 * 10 ** (step / 10) for step in range(-16, -6)]
SPLITS_HZ = {"kick": 100, "bass": 100, "shared": 200, "kick-is-bass": 200}
GOALS_DB = {"kick": 10, "bass": -10, "shared": 6, "kick-is-bass": 15}


def band_frames(loop: np.ndarray, rate: int, *, forward: bool = False) -> np.ndarray:
    """Energy in each band and 20 ms frame of a loop, (bands, frames), filtered at the full rate with its own wrap."""
    three, frame = np.tile(loop, 3), round(FRAME_S * rate)
    out = []
    for centre in CENTRES_HZ:
        sections = dsp.butter(3, [centre / 10**0.05, centre * 10**0.05], "bandpass", fs=rate, output="sos")
        filtered = dsp.sosfilt(sections, three) if forward else dsp.sosfiltfilt(sections, three)
        band = filtered[loop.size : 2 * loop.size] ** 2
        band = np.append(band, np.zeros(-band.size % frame))
        out.append(band.reshape(-1, frame).sum(axis=1))
    return np.array(out)


def within_limits(kick: np.ndarray) -> np.ndarray:
    """Cells within 12 dB of their band's peak and 40 dB of the loudest band's."""
    peaks = kick.max(axis=1)
    return np.asarray((kick >= peaks[:, None] * 10**-1.2) & (kick >= peaks.max() * 1e-4))


def active_cells(kick_before: np.ndarray, strokes_s: Sequence[float], rate: int) -> np.ndarray:
    """When the kick is there, (bands, frames): what is smeared ahead of a stroke and its first 20 or 40 ms left out."""
    active = within_limits(band_frames(kick_before, rate))
    tail = within_limits(band_frames(kick_before, rate, forward=True))
    loop_ms = 1000 * kick_before.size / rate
    for band, centre in enumerate(CENTRES_HZ):
        ahead, after = (100, 40) if centre < 45 else (60, 20)
        for frame in range(active.shape[1]):
            for stroke in strokes_s:
                for turn in (-1, 0, 1):
                    since = 20 * frame - 1000 * stroke + turn * loop_ms
                    if -20 - 1e-6 <= since <= after + 1e-6:
                        active[band, frame] = False
                    elif -ahead - 1e-6 <= since < -20:
                        active[band, frame] &= tail[band, frame]
    return active


def clearance_db(
    stems: dict[str, np.ndarray],
    owner: str,
    rate: int,
    strokes_s: Sequence[float],
    bands_hz: tuple[float, float] | None = None,
) -> float:
    """Kick over bass in the judged bands' active cells; stems: kick, bass, and both before; bands_hz: of these alone."""
    kick, bass = band_frames(stems["kick-before"], rate), band_frames(stems["bass-before"], rate)
    peaks = kick.max(axis=1), bass.max(axis=1)
    floor = max(peaks[0].max(), peaks[1].max()) / 100
    contested = (peaks[0] >= floor) & (peaks[1] >= floor)
    centres = np.array(CENTRES_HZ)
    judged = contested & (centres <= SPLITS_HZ[owner] * 1.0001)
    if bands_hz is not None:
        judged &= (centres >= bands_hz[0]) & (centres <= bands_hz[1])
    active = active_cells(stems["kick-before"], strokes_s, rate) & judged[:, None]
    heard = band_frames(stems["kick"], rate)[active].sum(), band_frames(stems["bass"], rate)[active].sum()
    return float(10 * np.log10(heard[0] / heard[1]))

"""What two sounds are held against each other by: third octaves as a whole, and how each zone falls."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from juglant.core.measure.bands import CENTRES_HZ, band_energies, band_energies_from, spectrum_of
from juglant.core.measure.character import fall_ms
from juglant.core.signal.filters import butterworth, filter_hit
from juglant.core.types import Mask, Samples

# Bands this far under the recording's strongest count (method: near to); further down they count less and less.
COUNTED_DB, FADED_DB = 30.0, 20.0
# Edges of the slices of time in which the falls are compared, ms, and of the zones that fall, Hz.
SLICES_MS = (0, 8, 20, 45, 90, 180, 350, 700, 1400, 3000)
ZONES_HZ = ((20, 200), (200, 800), (800, 3000), (3000, 16000))
FLOOR_DB = -50.0
SLICES_WEIGHT = 0.5
TINY = 1e-15


@dataclass(frozen=True)
class Sound:
    """A sound to be compared. bands_db: energy by third octave, dB, (bands,); slices_db: by zone and slice of time, dB re
    all of its zone, (zones, slices); fall_ms: time to fall by 60 dB of the zone each band lies in, (bands,); whole_fall_ms:
    of all of it."""

    bands_db: Samples
    slices_db: Samples
    fall_ms: Samples
    whole_fall_ms: float


def sound_of_audio(signal: Samples, sample_rate: int, *, exact: bool = False) -> Sound:
    """A sound, (frames,), as it is compared; exact: its third octaves by the filters that stated figures come from."""
    begin = int(np.argmax(np.abs(signal) > 0.02 * float(np.max(np.abs(signal), initial=0.0))))
    signal = signal[begin:]
    if exact:
        found = band_energies(signal, sample_rate=sample_rate)
        bands = np.array([found.get(hz, 0.0) for hz in CENTRES_HZ])
    else:
        bands = band_energies_from(*spectrum_of(signal, sample_rate=sample_rate))
    edges = [round(ms * sample_rate / 1000) for ms in SLICES_MS]
    rows, falls = [], []
    for low, high in ZONES_HZ:
        sections = np.vstack((
            butterworth(2, low, "highpass", sample_rate=sample_rate),
            butterworth(2, min(high, 0.45 * sample_rate), "lowpass", sample_rate=sample_rate),
        ))  # fmt: skip
        zone = filter_hit(signal, sections)
        sums = np.concatenate(([0.0], np.cumsum(zone**2)))
        slices = np.diff(sums[np.minimum(edges, zone.size)])
        rows.append(np.maximum(FLOOR_DB, 10 * np.log10((slices + TINY) / (sums[-1] + TINY))))
        falls.append(fall_ms(zone, sample_rate=sample_rate))
    zone_of_band = [max(k for k, (low, _) in enumerate(ZONES_HZ) if k == 0 or hz >= low) for hz in CENTRES_HZ]
    return Sound(
        bands_db=10 * np.log10(bands + TINY),
        slices_db=np.array(rows),
        fall_ms=np.array(falls)[zone_of_band],
        whole_fall_ms=fall_ms(signal, sample_rate=sample_rate),
    )


def heard_bands(goal: Sound) -> Mask:
    """Bands within 30 dB of the strongest, (bands,)."""
    return np.asarray(goal.bands_db >= goal.bands_db.max() - COUNTED_DB)


def band_errors(one: Sound, goal: Sound) -> Samples:
    """How far each band of a sound is over the goal's, dB, (bands,), at the level at which the counted ones agree best."""
    errors = one.bands_db - goal.bands_db
    return np.asarray(errors - np.median(errors[heard_bands(goal)]))


def distance(one: Sound, goal: Sound) -> float:
    """How far a sound is from another, dB: rms over the third octaves and over the falls of the zones."""
    under = goal.bands_db.max() - goal.bands_db
    weights = np.clip(1 - (under - COUNTED_DB) / FADED_DB, 0, 1)
    # What neither has is no difference; what only one has is as far as it is heard.
    floor = goal.bands_db.max() - COUNTED_DB - FADED_DB
    level = np.average(one.bands_db - goal.bands_db, weights=weights)
    there, wanted = np.maximum(one.bands_db - level, floor), np.maximum(goal.bands_db, floor)
    bands = float(np.mean((there - wanted) ** 2 * np.maximum(weights, 0.15)))
    return float(np.sqrt(bands + (SLICES_WEIGHT * falls_apart(one, goal)) ** 2))


def falls_apart(one: Sound, goal: Sound) -> float:
    """How differently the zones of two sounds fall, dB rms over slices of time; each zone by its strength in the goal."""
    zones = 10 ** (np.array([_zone_db(goal, low, high) for low, high in ZONES_HZ]) / 20)
    apart = np.mean((one.slices_db - goal.slices_db) ** 2, axis=1)
    return float(np.sqrt(np.average(apart, weights=zones / zones.sum())))


def _zone_db(sound: Sound, low: float, high: float) -> float:
    inside = [level for hz, level in zip(CENTRES_HZ, sound.bands_db, strict=True) if low <= hz < high]
    return 10 * float(np.log10(np.sum(10 ** (np.array(inside) / 10)))) - float(sound.bands_db.max())

"""The contact sheet: a small picture and the measured features of each variation."""

from __future__ import annotations

import math

import numpy as np

from juglant.core.hit.render import render_hit
from juglant.core.measure.bands import band_energies_from, spectrum_of, zone_energies_from
from juglant.core.measure.landing import measure_landing
from juglant.core.measure.level import db, energy_loudness_db
from juglant.core.measure.timing import measure_length_ms
from juglant.core.memory import newest
from juglant.core.model.hit import Hit
from juglant.core.pictures.layers import heard_frames
from juglant.core.pictures.strip import Picture, rounded
from juglant.core.types import Samples

COLUMNS = 72
LOW_ZONES = ("under", "sub", "weight")
SILENT = 1e-6
LOWEST_HZ, HIGHEST_HZ = 20.0, 18000.0


class Features(Picture):
    """What variations are sorted by; None where the sound does not allow one."""

    length_ms: float | None
    brightness_hz: float | None
    sub_db: float | None
    landing_hz: float | None
    peak_db: float | None
    loudness_db: float | None


class Thumbnail(Picture):
    """A hit small: lowest and highest sample in each column of its heard part."""

    span_ms: float
    low: tuple[float, ...]
    high: tuple[float, ...]


class Small(Picture):
    """Picture and features of one hit, and its third octaves, dB re all of it."""

    thumbnail: Thumbnail
    features: Features
    bands_db: tuple[float, ...]


# Third octaves count down to here; a length of half or double is as far as so many decibels (this project's choice).
BANDS_FLOOR_DB, OCTAVE_DB = -45.0, 6.0


def apart_db(one: Small, other: Small) -> float | None:
    """How far two sounds are from each other, dB: rms over third octaves, and their lengths; None for silence."""
    if not one.bands_db or not other.bands_db:
        return None
    bands = np.sqrt(np.mean((np.array(one.bands_db) - np.array(other.bands_db)) ** 2))
    lengths = (one.features.length_ms, other.features.length_ms)
    octaves = abs(math.log2(lengths[0] / lengths[1])) if lengths[0] and lengths[1] else 0.0
    return round(float(np.hypot(bands, OCTAVE_DB * octaves)), 2)


def brightness_hz(frequency: Samples, power: Samples) -> float | None:
    """Energy-weighted mean on a logarithmic scale, Hz, of the spectrum that `spectrum_of` gives; None for silence."""
    inside = slice(*np.searchsorted(frequency, (LOWEST_HZ, HIGHEST_HZ)))
    total = float(power[inside].sum())
    if total <= SILENT**2:
        return None
    return float(2 ** (float(power[inside] @ np.log2(frequency[inside])) / total))


def measured_small(audio: Samples, *, sample_rate: int) -> Small:
    """Picture and features of (frames,)."""
    count = max(heard_frames(audio), COLUMNS)
    line = np.zeros(count)
    line[: min(count, audio.size)] = audio[:count]
    edges = np.linspace(0, count, COLUMNS + 1).astype(int)[:-1]
    thumbnail = Thumbnail(
        span_ms=round(1000 * count / sample_rate, 1),
        low=rounded(np.minimum.reduceat(line, edges), 3),
        high=rounded(np.maximum.reduceat(line, edges), 3),
    )
    peak = float(np.max(np.abs(audio), initial=0.0))
    if peak <= SILENT:
        empty = Features(length_ms=None, brightness_hz=None, sub_db=None, landing_hz=None, peak_db=None, loudness_db=None)
        return Small(thumbnail=thumbnail, features=empty, bands_db=())
    frequency, power = spectrum_of(audio, sample_rate=sample_rate)
    zones = zone_energies_from(frequency, power)
    low, total = sum(zones[name] for name in LOW_ZONES), sum(zones.values())
    bright = brightness_hz(frequency, power)
    bands = band_energies_from(frequency, power)
    shares_db = np.maximum(BANDS_FLOOR_DB, 10 * np.log10(bands / max(float(bands.sum()), 1e-30) + 1e-12))
    return Small(
        bands_db=rounded(shares_db, 2),
        thumbnail=thumbnail,
        features=Features(
            length_ms=measure_length_ms(audio, sample_rate=sample_rate),
            brightness_hz=None if bright is None else round(bright, 1),
            sub_db=round(10 * math.log10(max(low / total, 1e-12)), 1),
            landing_hz=measure_landing(audio, sample_rate=sample_rate).landing_hz,
            peak_db=round(db(peak), 1),
            loudness_db=round(energy_loudness_db(audio, sample_rate=sample_rate), 2),
        ),
    )


@newest(256)
def small_of(hit: Hit, sample_rate: int, bpm: float) -> Small:
    """Picture and features of a hit as set (pure, remembered, bounded)."""
    return measured_small(render_hit(hit, sample_rate=sample_rate, bpm=bpm).mono, sample_rate=sample_rate)

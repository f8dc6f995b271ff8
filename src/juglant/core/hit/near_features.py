"""What two sounds are held against each other by: third octaves as a whole, and how each zone falls."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from scipy import fft

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
# The lowest partial is followed in this band about where it lands, from this slice on, as long as it is heard so far.
PITCH_BAND, PITCH_FROM, PITCH_HEARD_DB, EDGE_OCTAVES = (0.84, 1.42), 1, -22.0, 0.08
# After the stroke, and until here, it settles; as loud as this share of all of it, found here or this ratio about a pitch.
STROKE_S, UNTIL_S, HEARD, FOUND_HZ, NEAR = 0.12, 0.7, 1e-3, (30.0, 500.0), 1.12
# So many cents weigh as much as a decibel (this project's choice).
CENTS_A_DB = 12.0
TINY = 1e-15


@dataclass(frozen=True)
class Sound:
    """A sound to be compared. bands_db: energy by third octave, dB, (bands,); slices_db: by zone and slice of time, dB re
    all of its zone, (zones, slices); fall_ms: time to fall by 60 dB of the zone each band lies in, (bands,); whole_fall_ms:
    of all of it; pitch_hz: of the lowest partial by slice, (slices,), not a number where it is not heard or not followed.
    """

    bands_db: Samples
    slices_db: Samples
    fall_ms: Samples
    whole_fall_ms: float
    pitch_hz: Samples


def sound_of_audio(signal: Samples, sample_rate: int, *, about_hz: float | None = None, exact: bool = False) -> Sound:
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
        pitch_hz=_pitches(signal, about_hz, sample_rate),
    )


def _pitches(signal: Samples, about_hz: float | None, sample_rate: int) -> Samples:
    """Mean frequency of the lowest partial in each slice of time, Hz: the turn of its analytic signal, weighed by power."""
    out = np.full(len(SLICES_MS) - 1, np.nan)
    size = fft.next_fast_len(signal.size, real=True)
    if about_hz is None or about_hz * PITCH_BAND[1] > 0.4 * sample_rate:
        return out
    found, step = fft.rfft(signal, size), sample_rate / size
    count = min(found.size, fft.next_fast_len(int(4 * about_hz / step) + 2))
    octaves = np.log2(np.maximum(np.arange(count) * step, TINY) / about_hz)
    low, high = np.log2(PITCH_BAND)
    rise = np.clip((octaves - low) / EDGE_OCTAVES, 0, 1) * np.clip((high - octaves) / EDGE_OCTAVES, 0, 1)
    turning = fft.ifft(found[:count] * rise)
    rate = count * step
    edges = np.minimum(np.round(np.array(SLICES_MS) * rate / 1000).astype(int), round(signal.size * rate / sample_rate))
    loudest = float(np.max(np.abs(turning) ** 2, initial=0.0))
    for k in range(PITCH_FROM, out.size):
        part = turning[edges[k] : edges[k + 1] + 1]
        if part.size < 2 or np.mean(np.abs(part) ** 2) < loudest * 10 ** (PITCH_HEARD_DB / 10):
            continue
        out[k] = np.angle(np.sum(part[1:] * np.conj(part[:-1]))) / (2 * np.pi) * rate
    return out


def strongest_hz(signal: Samples, sample_rate: int, near_hz: float | None = None) -> float | None:
    """The strongest partial once the stroke has passed, Hz, near a pitch where one is named; None of what is over by then.

    The peak of one Hann-windowed spectrum, between its bins by a parabola over the logarithm.
    """
    part = signal[round(STROKE_S * sample_rate) : round(UNTIL_S * sample_rate)]
    if part.size < STROKE_S * sample_rate or np.max(np.abs(part)) < HEARD * np.max(np.abs(signal)):
        return None
    size = fft.next_fast_len(4 * part.size, real=True)
    level = np.log(np.abs(fft.rfft(part * np.hanning(part.size), size)) + TINY)
    low, high = (near_hz / NEAR, near_hz * NEAR) if near_hz else FOUND_HZ
    step = sample_rate / size
    first, last = max(1, int(low / step)), min(level.size - 2, int(high / step) + 1)
    if last <= first:
        return None
    at = first + int(np.argmax(level[first:last]))
    before, here, after = level[at - 1 : at + 2]
    bend = before - 2 * here + after
    return float((at + (0.5 * (before - after) / bend if bend < 0 else 0.0)) * step)


def tonal_share(signal: Samples, sample_rate: int, hz: float) -> float:
    """How much of a sound's power after the stroke lies within a semitone of a frequency, 0 to 1."""
    part = signal[round(STROKE_S * sample_rate) : round(UNTIL_S * sample_rate)]
    power = np.abs(fft.rfft(part * np.hanning(part.size))) ** 2
    frequency = fft.rfftfreq(part.size, 1 / sample_rate)
    near = np.abs(np.log2(np.maximum(frequency, 1.0) / hz)) < 1 / 12
    return float(power[near].sum() / (power.sum() + TINY))


def pitch_apart_cents(one: Sound, goal: Sound) -> float:
    """How differently two sounds' pitch moves, cents rms over the slices in which both are heard; 0 where none is."""
    both = np.isfinite(one.pitch_hz) & np.isfinite(goal.pitch_hz) & (one.pitch_hz > 0) & (goal.pitch_hz > 0)
    if not np.any(both):
        return 0.0
    return float(np.sqrt(np.mean((1200 * np.log2(one.pitch_hz[both] / goal.pitch_hz[both])) ** 2)))


def heard_bands(goal: Sound) -> Mask:
    """Bands within 30 dB of the strongest, (bands,)."""
    return np.asarray(goal.bands_db >= goal.bands_db.max() - COUNTED_DB)


def band_errors(one: Sound, goal: Sound) -> Samples:
    """How far each band of a sound is over the goal's, dB, (bands,), at the level at which the counted ones agree best."""
    errors = one.bands_db - goal.bands_db
    return np.asarray(errors - np.median(errors[heard_bands(goal)]))


def distance(one: Sound, goal: Sound) -> float:
    """How far a sound is from another, dB: third octaves, the falls of the zones and how the pitch moves."""
    under = goal.bands_db.max() - goal.bands_db
    weights = np.clip(1 - (under - COUNTED_DB) / FADED_DB, 0, 1)
    # What neither has is no difference; what only one has is as far as it is heard.
    floor = goal.bands_db.max() - COUNTED_DB - FADED_DB
    level = np.average(one.bands_db - goal.bands_db, weights=weights)
    there, wanted = np.maximum(one.bands_db - level, floor), np.maximum(goal.bands_db, floor)
    bands = float(np.mean((there - wanted) ** 2 * np.maximum(weights, 0.15)))
    pitch = pitch_apart_cents(one, goal) / CENTS_A_DB
    return float(np.sqrt(bands + (SLICES_WEIGHT * falls_apart(one, goal)) ** 2 + pitch**2))


def falls_apart(one: Sound, goal: Sound) -> float:
    """How differently the zones of two sounds fall, dB rms over slices of time; each zone by its strength in the goal."""
    zones = 10 ** (np.array([_zone_db(goal, low, high) for low, high in ZONES_HZ]) / 20)
    apart = np.mean((one.slices_db - goal.slices_db) ** 2, axis=1)
    return float(np.sqrt(np.average(apart, weights=zones / zones.sum())))


def _zone_db(sound: Sound, low: float, high: float) -> float:
    inside = [level for hz, level in zip(CENTRES_HZ, sound.bands_db, strict=True) if low <= hz < high]
    return 10 * float(np.log10(np.sum(10 ** (np.array(inside) / 10)))) - float(sound.bands_db.max())

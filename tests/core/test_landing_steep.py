"""Landing on a second, harder recipe of hits; and what is read off the pitch path: sweep, heard pitch, cycles."""

from __future__ import annotations

import functools

import numpy as np
import pytest
from steep_hits import noise, steep

from juglant.core.measure.landing import measure_landing
from juglant.core.music.notes import cents_between

RATE = 48000
# What is fitted in the measurement was fitted on other seeds of both recipes.
SEED, HITS, UNPITCHED = 601, 200, 120


@functools.lru_cache(maxsize=1)
def measured() -> list[tuple[float | None, float, float, str]]:
    """Error in cents (None where missed), margin, cycles and verdict of every hit."""
    rng, found = np.random.default_rng(SEED), []
    for _ in range(HITS):
        hit = steep(rng)
        landing = measure_landing(hit.audio, sample_rate=hit.sample_rate)
        error = None if landing.landing_hz is None else abs(cents_between(landing.landing_hz, hit.landing_hz or 1))
        found.append((error, landing.uncertainty_cents or 0.0, landing.cycles, landing.verdict))
    return found


def test_steep_hits_land_within_what_the_method_asks() -> None:
    errors = np.array([error for error, *_ in measured() if error is not None])
    assert np.median(errors) <= 1
    # Asked: 7 cents; measured 3.2 to 6.1 over six sets of 500, and 3 cents of scatter over 200.
    assert np.percentile(errors, 95) <= 9
    assert np.mean(errors > 50) <= 0.01


def test_few_steep_hits_are_missed() -> None:
    # Asked: 4 %; measured 3.0 to 4.6 % over six sets of 500. Of 200 it scatters by 1.4 %.
    assert np.mean([error is None for error, *_ in measured()]) <= 0.06


def test_margins_hold_on_a_recipe_they_were_not_fitted_to() -> None:
    inside = [error <= margin for error, margin, *_ in measured() if error is not None]
    assert 0.93 <= np.mean(inside) <= 1


def test_firm_hits_have_their_cycles_and_are_right() -> None:
    firm = [(error, cycles) for error, _, cycles, verdict in measured() if verdict == "firm" and error is not None]
    assert len(firm) > 0.6 * HITS
    assert min(cycles for _, cycles in firm) >= 4
    assert np.mean([error > 15 for error, _ in firm]) < 0.02


def test_clusters_and_snares_have_no_pitch() -> None:
    rng = np.random.default_rng(SEED + 1)
    hits = [noise(rng) for _ in range(UNPITCHED)]
    none = [measure_landing(hit.audio, sample_rate=hit.sample_rate).verdict == "none" for hit in hits]
    assert np.mean(none) >= 0.95


def swept(
    landing_hz: float, semitones: float, sweep_ms: float, hold_ms: float, decay_ms: float
) -> tuple[np.ndarray, float]:
    """An exponential sweep and its heard pitch by the definition: energy-weighted mean of log2 f within 20 dB."""
    time = np.arange(round(RATE * (sweep_ms + hold_ms + 4 * decay_ms) / 1000)) / RATE
    above = 2 ** (semitones / 12) - 1
    tau_s = sweep_ms / 1000 / np.log(above / (2 ** (50 / 1200) - 1))
    pitch = landing_hz * (1 + above * np.exp(-time / tau_s))
    level = 10 ** (-24 / 20 * np.maximum(1000 * time - hold_ms, 0) / decay_ms)
    heard = level > 0.1
    energy = level[heard] ** 2
    mean = float(2 ** (np.sum(energy * np.log2(pitch[heard])) / energy.sum()))
    return np.sin(2 * np.pi * np.cumsum(pitch) / RATE) * level, mean


SWEEPS = [
    (58.27, 30, 50, 20, 200),
    (45, 48, 80, 10, 300),
    (55, 12, 20, 0, 150),
    (50, 24, 120, 50, 400),
    (80, 36, 30, 5, 250),
]


@pytest.mark.parametrize(("landing_hz", "semitones", "sweep_ms", "hold_ms", "decay_ms"), SWEEPS)
def test_sweep_time_and_heard_pitch_are_those_of_the_sound(
    landing_hz: float, semitones: float, sweep_ms: float, hold_ms: float, decay_ms: float
) -> None:
    audio, heard_hz = swept(landing_hz, semitones, sweep_ms, hold_ms, decay_ms)
    found = measure_landing(audio, sample_rate=RATE)
    assert found.landing_hz == pytest.approx(landing_hz, rel=0.0006)
    # The time to within 50 cents, as defined.
    assert found.sweep_ms == pytest.approx(sweep_ms, rel=0.1)
    # The first milliseconds above 840 Hz are not followed: up to a semitone low.
    assert abs(cents_between(found.heard_hz or 1, heard_hz)) < 100
    assert found.sweep_semitones is not None
    assert 0.6 * semitones <= found.sweep_semitones <= semitones + 7


def test_the_path_is_the_pitch_of_the_sound() -> None:
    landing_hz, semitones, sweep_ms = 55.0, 24.0, 100.0
    audio, _ = swept(landing_hz, semitones, sweep_ms, 40, 300)
    path = measure_landing(audio, sample_rate=RATE).path
    assert path is not None
    above = 2 ** (semitones / 12) - 1
    tau_s = sweep_ms / 1000 / np.log(above / (2 ** (50 / 1200) - 1))
    truth = landing_hz * (1 + above * np.exp(-path.time_s / tau_s))
    settled = path.time_s > 0.02
    assert np.max(np.abs(1200 * np.log2(path.pitch_hz[settled] / truth[settled]))) < 150
    # Full level from the start: a sine of constant amplitude while it is held.
    held = (path.time_s > 0.01) & (path.time_s < 0.04)
    assert np.ptp(path.level_db[held]) < 1.5


@pytest.mark.parametrize("cycles", [6, 12, 30])
def test_cycles_are_those_within_20_db(cycles: int) -> None:
    hz = 60.0
    time = np.arange(2 * RATE) / RATE
    audio = np.sin(2 * np.pi * hz * time) * 10 ** (-20 / 20 * time / (cycles / hz))
    assert measure_landing(audio, sample_rate=RATE).cycles == pytest.approx(cycles, abs=1.5)

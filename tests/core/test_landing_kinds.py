"""Where hits of the hard kinds land: no fundamental, a long room, a long note that drifts; on a third recipe of hits."""

from __future__ import annotations

import functools

import numpy as np
import pytest
from worn_hits import unworn, worn

from juglant.core.measure.landing import Landing, measure_landing
from juglant.core.music.notes import cents_between

# What is fitted in the measurement was fitted on other seeds.
SEED, EACH, MIXED, UNPITCHED = 701, 200, 500, 250
RATE = 48000
# Asked of every recipe: 95th percentile 7 cents, over 50 cents 1 %, missed 4 %. Of the kinds: margins hold for 93 %.
KINDS = {"headless": (3, 0.02, 0.06), "drifting": (9, 0.01, 0.04), "roomy": (35, 0.04, 0.2)}


@functools.lru_cache(maxsize=8)
def measured(kind: str | None, count: int) -> list[tuple[Landing, float | None]]:
    """Landings of so many hits with their errors in cents, None where missed."""
    rng, found = np.random.default_rng([SEED, len(kind or "")]), []
    for _ in range(count):
        hit = worn(rng, kind)
        landing = measure_landing(hit.audio, sample_rate=hit.sample_rate)
        error = None if landing.landing_hz is None else abs(cents_between(landing.landing_hz, hit.landing_hz or 1))
        found.append((landing, error))
    return found


def figures(found: list[tuple[Landing, float | None]]) -> tuple[float, float, float]:
    """95th percentile in cents, share over 50 cents, share missed."""
    errors = np.array([error for _, error in found if error is not None])
    return float(np.percentile(errors, 95)), float(np.mean(errors > 50)), 1 - errors.size / len(found)


def test_the_third_recipe_is_measured_as_the_others_are() -> None:
    percentile, gross, missed = figures(measured(None, MIXED))
    # Asked and kept: measured 3.9 to 6.0 cents, up to 0.4 %, up to 2.4 % over six sets of 500.
    assert percentile <= 7
    assert gross <= 0.01
    assert missed <= 0.04


@pytest.mark.parametrize("kind", KINDS)
def test_hard_kinds_are_answered_and_their_margins_hold(kind: str) -> None:
    found = measured(kind, EACH)
    for value, most in zip(figures(found), KINDS[kind], strict=True):
        assert value <= most
    inside = [error <= (landing.uncertainty_cents or 0) for landing, error in found if error is not None]
    assert np.mean(inside) >= 0.93
    firm = [error for landing, error in found if landing.verdict == "firm" and error is not None]
    assert np.mean(np.array(firm) > 50) <= 0.015


def test_what_has_no_pitch_is_not_given_one() -> None:
    rng = np.random.default_rng(SEED + 1)
    hits = [unworn(rng) for _ in range(UNPITCHED)]
    false = [measure_landing(hit.audio, sample_rate=hit.sample_rate).verdict != "none" for hit in hits]
    assert np.mean(false) <= 0.02


def two_notes(parts: int, level_db: float) -> np.ndarray:
    """A tone of 110 Hz with four harmonics, and softer partials of a note an octave or a twelfth below it."""
    time, hz = np.arange(RATE) / RATE, 110.0
    tone = sum(np.sin(2 * np.pi * k * hz * time + k) / k for k in range(1, 5))
    own = [k / parts for k in range(1, 3 * parts) if k % parts and np.gcd(k, parts) == 1]
    lower = sum(np.sin(2 * np.pi * ratio * hz * time + 3 * ratio) for ratio in own)
    return np.asarray((tone + 10 ** (level_db / 20) * lower) * np.exp(-3 * time))


@pytest.mark.parametrize("parts", [2, 3])
@pytest.mark.parametrize("level_db", [-6, -12, -16])
def test_a_lower_note_whose_partials_are_heard_is_said_too(parts: int, level_db: float) -> None:
    loud = measure_landing(two_notes(parts, level_db), sample_rate=RATE)
    assert loud.landing_hz is not None
    # It may be read as either; the lower one is in the answer, and beside another the answer is not firm.
    if abs(loud.landing_hz - 110 / parts) > 0.3:
        assert loud.also_hz == pytest.approx(110 / parts, rel=0.005)
        assert loud.verdict == "uncertain"
    quiet = measure_landing(two_notes(parts, -40), sample_rate=RATE)
    assert quiet.also_hz is None
    assert quiet.verdict == "firm"
    assert quiet.landing_hz == pytest.approx(110, rel=0.001)

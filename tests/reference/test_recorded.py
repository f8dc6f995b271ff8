"""Recorded drums of an open General MIDI sound set (Debian package fluid-soundfont-gm): skipped where it is not installed.

Nobody knows where a recorded drum lands; that one played faster by a known ratio lands higher by just that, anybody does.
"""

from __future__ import annotations

import re

import numpy as np
import pytest
import soxr
from sound_set import SOUND_SET, sounds

from juglant.core.measure.landing import Landing, measure_landing

DRUMS = re.compile(r"kick|bass ?drum|\btom|conga|bongo|snare|timbale|taiko", re.IGNORECASE)
SHIFTS_CENTS = (-300, -100, 70, 200, 400)


@pytest.fixture(scope="module")
def measured() -> dict[str, tuple[Landing, list[float]]]:
    if not SOUND_SET.exists():
        pytest.skip("Debian's fluid-soundfont-gm is not installed")
    out = {}
    for name, (audio, rate) in sounds(DRUMS).items():
        landing, errors = measure_landing(audio, sample_rate=rate), []
        for cents in SHIFTS_CENTS if landing.landing_hz else ():
            faster = soxr.resample(audio, rate * 2 ** (cents / 1200), rate, quality="VHQ")
            moved = measure_landing(faster, sample_rate=rate).landing_hz
            if moved:
                errors.append(abs(1200 * np.log2(moved / landing.landing_hz) - cents))
        out[name] = landing, errors
    return out


def test_faster_by_a_ratio_is_higher_by_that_ratio(measured: dict[str, tuple[Landing, list[float]]]) -> None:
    every = [error for _, errors in measured.values() for error in errors]
    firm = [error for landing, errors in measured.values() if landing.verdict == "firm" for error in errors]
    known = [error for one, errors in measured.values() if (one.uncertainty_cents or 1e9) < 100 for error in errors]
    assert len(every) >= 60
    assert np.median(every) < 1
    assert np.percentile(firm, 95) < 3
    assert np.percentile(known, 95) < 12


def test_errors_lie_within_the_stated_margins(measured: dict[str, tuple[Landing, list[float]]]) -> None:
    # Two kicks of the set are heard as another of their regions at one or two of the speeds.
    outside = [
        name
        for name, (landing, errors) in measured.items()
        for error in errors
        if error > max(1.5, landing.uncertainty_cents or 0)
    ]
    assert len(outside) <= 3, outside


def test_long_and_inharmonic_kinds_are_answered(measured: dict[str, tuple[Landing, list[float]]]) -> None:
    kinds = {
        kind: [landing.verdict for name, (landing, _) in measured.items() if kind in name.lower()]
        for kind in ("tom", "conga", "taiko", "snare")
    }
    assert sum(verdict != "none" for verdict in kinds["tom"]) >= 10
    assert kinds["conga"].count("firm") >= 2
    # Snares with their wires on have no note that can be trusted.
    assert set(kinds["snare"]) == {"none"}


def test_kicks_without_a_landing_say_where_their_low_end_lies(measured: dict[str, tuple[Landing, list[float]]]) -> None:
    kicks = {name: landing for name, (landing, _) in measured.items() if "kick" in name.lower()}
    # Few rest on a note; of the others it is said where their low end lies, and how wide.
    refused = [landing for landing in kicks.values() if landing.verdict == "none"]
    assert all((landing.about_hz is None) == (landing.about_cents is None) for landing in refused)
    answered = [landing.landing_hz or landing.about_hz for landing in kicks.values()]
    assert sum(hz is not None for hz in answered) >= 0.75 * len(kicks)
    assert all(28 < hz < 130 for hz in answered if hz)


def test_what_settles_for_eight_periods_is_firm(measured: dict[str, tuple[Landing, list[float]]]) -> None:
    """Electronic drums of the set, whose pitch rests once it has fallen: nothing of them may stay uncertain."""
    settled = {name: one for name, (one, _) in measured.items() if name.startswith("808") and one.cycles >= 8}
    assert len(settled) >= 9
    assert {name for name, one in settled.items() if one.verdict != "firm"} == set()

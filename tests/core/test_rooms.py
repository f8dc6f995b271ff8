"""The room around impacts and tails under them, against what was planted; a gate that leaves the impacts as they were."""

from __future__ import annotations

import numpy as np
import pytest
from made_loops import kit
from near_meters import RATE

from juglant.core.measure.rooms import gated, rings_in


def struck(every_s: float = 1.6, count: int = 4, falls_s: float = 0.012, floor: float = 1e-5) -> np.ndarray:
    out = floor * np.random.default_rng(0).standard_normal(round((0.4 + every_s * count) * RATE))
    for number in range(count):
        time = np.arange(round(0.2 * RATE)) / RATE
        noise = np.random.default_rng(number).standard_normal(time.size) * np.exp(-time / falls_s)
        at = round((0.3 + every_s * number) * RATE)
        out[at : at + noise.size] += 0.3 * noise
    return out


def in_a_room(dry: np.ndarray, t60_s: float, level_db: float) -> np.ndarray:
    """Every sound goes on in noise that falls by 60 dB in so long, so loud re it where it begins."""
    out = dry.copy()
    time = np.arange(round(1.4 * t60_s * RATE)) / RATE
    for number in range(4):
        at = round((0.3 + 1.6 * number) * RATE)
        tail = np.random.default_rng(50 + number).standard_normal(time.size) * 10 ** (-3 * time / t60_s)
        room = min(tail.size, out.size - at)
        out[at : at + room] += 0.3 * 10 ** (level_db / 20) * tail[:room]
    return out


@pytest.mark.parametrize("level_db", [-14.0, -22.0])
@pytest.mark.parametrize("t60_s", [0.3, 0.6, 1.0])
def test_a_planted_room_is_read(t60_s: float, level_db: float) -> None:
    found = rings_in(in_a_room(struck(), t60_s, level_db), sample_rate=RATE)
    assert found.room_ms == pytest.approx(1000 * t60_s, rel=0.15)
    assert found.room_db == pytest.approx(level_db, abs=3)


@pytest.mark.parametrize("falls_s", [0.006, 0.012, 0.04, 0.1])
def test_what_falls_in_one_slope_is_in_no_room(falls_s: float) -> None:
    assert rings_in(struck(falls_s=falls_s), sample_rate=RATE).room_ms is None


def test_tails_under_impacts_are_counted_with_their_level() -> None:
    sounds = np.zeros(4 * RATE)
    time = np.arange(round(1.2 * RATE)) / RATE
    for number, at in enumerate((0.2, 0.7, 1.9, 3.4)):
        ring = np.sin(2 * np.pi * 180 * time) * np.exp(-time / 0.25) * np.minimum(1, time / 0.001)
        begin = round(at * RATE)
        room = min(ring.size, sounds.size - begin)
        sounds[begin : begin + room] += 0.4 * ring[:room]
        assert number < 4
    found = rings_in(sounds + 1e-6 * np.random.default_rng(1).standard_normal(sounds.size), sample_rate=RATE)
    # Only the second begins while the first is less than 30 dB down: 0.5 s of 4 per second each.
    assert found.tails == 1
    assert found.tail_db == pytest.approx(20 * np.log10(np.exp(-0.5 / 0.25)), abs=3)
    apart = rings_in(struck(), sample_rate=RATE)
    assert (apart.tails, apart.tail_db) == (0, None)


@pytest.mark.parametrize("falls_db", [20.0, 40.0])
def test_a_gate_closes_after_each_and_leaves_its_beginning(falls_db: float) -> None:
    wet = in_a_room(struck(), 0.8, -14)
    made = gated(wet[None], falls_db=falls_db, sample_rate=RATE)[0]
    for number in range(4):
        at = round((0.3 + 1.6 * number) * RATE)
        np.testing.assert_allclose(made[at : at + 480], wet[at : at + 480], atol=1e-9)
        late = slice(at + round(1.2 * RATE), at + round(1.4 * RATE))
        assert np.sum(made[late] ** 2) < 1e-4 * np.sum(wet[late] ** 2)
    assert np.max(np.abs(np.diff(made))) <= 1.01 * np.max(np.abs(np.diff(wet)))


def test_sides_that_cancel_in_mono_are_gated_all_the_same() -> None:
    wet = in_a_room(struck(), 0.8, -14)
    made = gated(np.stack([wet, -wet]), falls_db=30, sample_rate=RATE)
    np.testing.assert_allclose(made[0], gated(wet[None], falls_db=30, sample_rate=RATE)[0])
    np.testing.assert_array_equal(made[1], -made[0])


def test_nothing_is_read_of_nothing() -> None:
    for sound in (np.zeros(RATE), np.zeros(3), kit(0)["kick"][:100]):
        found = rings_in(sound, sample_rate=RATE)
        assert (found.room_ms, found.tails) == (None, 0)
        assert gated(sound[None], falls_db=30, sample_rate=RATE).shape == (1, sound.size)

"""The pattern of a reference loop against what it was made of: tempo, bar 1, kicks, snares, hats, a bass; refused in words.

Loops are made here, by nothing of the product; the truth is what they were made from.
"""

from __future__ import annotations

import numpy as np
import pytest
from made_loops import KITS, PATTERNS, kit, made_loop, with_bass
from near_meters import RATE

from juglant.core.measure.pattern import Pattern, read_pattern

TEMPOS = (92.0, 122.0, 126.0, 140.0, 172.0)


def f_measure(found: Pattern, truth: set[tuple[str, float]], row: str) -> tuple[int, int, int]:
    got = {(one.row, one.at_beats) for one in found.hits if one.row == row}
    want = {one for one in truth if one[0] == row}
    return len(got & want), len(got), len(want)


@pytest.mark.parametrize("number", range(KITS))
@pytest.mark.parametrize("pattern", PATTERNS)
def test_kicks_snares_and_hats_are_read_where_they_were_put(pattern: str, number: int) -> None:
    for bpm in TEMPOS:
        loop, truth = made_loop(pattern, bpm, number)
        found = read_pattern(loop, sample_rate=RATE, said_bpm=bpm)
        assert found.refused is None
        for row, least in (("kick", 0.9), ("snare", 0.85), ("hat", 0.85)):
            right, got, want = f_measure(found, truth, row)
            assert 2 * right / (got + want) >= least, (bpm, row)
        assert found.bar_s == pytest.approx(0, abs=0.01)
        assert found.bars == 2
        assert not found.bass


@pytest.mark.parametrize("pattern", PATTERNS)
def test_the_tempo_is_found_by_itself_and_is_never_a_third_off(pattern: str) -> None:
    exact = 0
    for bpm in TEMPOS:
        loop, _ = made_loop(pattern, bpm)
        ratio = read_pattern(loop, sample_rate=RATE).bpm / bpm
        # Half and double are the same loop in other words; the page has a button for each.
        assert min(abs(ratio / other - 1) for other in (0.5, 1, 2)) < 0.005
        exact += abs(ratio - 1) < 0.005
        assert read_pattern(loop, sample_rate=RATE, hint_bpm=bpm).bpm == pytest.approx(bpm, rel=0.005)
    assert exact >= 4


def test_a_loop_that_does_not_begin_on_its_first_beat_says_where_bar_one_is() -> None:
    loop, truth = made_loop("broken", 120)
    late = np.roll(loop, -round(0.75 * RATE))
    found = read_pattern(late, sample_rate=RATE, said_bpm=120)
    # At bar 1 or 2, or half a bar from it, where kicks and snares are as strong: the page moves it by beats.
    assert found.bar_s % 1 == pytest.approx(0.25, abs=0.01)
    right, got, want = f_measure(found, {(row, beat) for row, beat in truth}, "snare")
    assert right == want == got


@pytest.mark.parametrize("bpm", [122, 126])
def test_a_bass_is_told_and_what_is_read_under_it_still_holds(bpm: float) -> None:
    rights = {row: np.zeros(3, dtype=int) for row in ("kick", "snare", "hat")}
    for pattern in PATTERNS:
        loop, truth = made_loop(pattern, bpm)
        found = read_pattern(with_bass(loop, bpm), sample_rate=RATE, said_bpm=bpm)
        assert found.bass
        for row in rights:
            rights[row] += f_measure(found, truth, row)
    for row, (right, got, want) in rights.items():
        assert 2 * right / (got + want) > (0.75 if row == "kick" else 0.9), row


@pytest.mark.parametrize("off_ms", [-12.0, 9.0, 21.0])
def test_how_late_a_stroke_is_played_is_measured(off_ms: float) -> None:
    frames, sounds = round(2 * 240 / 120 * RATE), kit(0)
    out = np.zeros(frames)
    for beat in range(8):
        for row in ("kick", "hat"):
            late = off_ms / 1000 if row == "hat" else 0.0
            at = round((beat * 0.5 + (0.25 if row == "hat" else 0) + late) * RATE)
            np.add.at(out, (at + np.arange(sounds[row].size)) % frames, 0.5 * sounds[row])
    found = read_pattern(out, sample_rate=RATE, said_bpm=120)
    hats = [one.off_ms for one in found.hits if one.row == "hat"]
    kicks = [one.off_ms for one in found.hits if one.row == "kick"]
    assert len(hats) == len(kicks) == 8
    assert np.median(hats) - np.median(kicks) == pytest.approx(off_ms, abs=2)


def noise(seconds: float) -> np.ndarray:
    return 0.1 * np.random.default_rng(3).standard_normal(round(seconds * RATE))


TIME = np.arange(4 * RATE) / RATE


@pytest.mark.parametrize(
    ("sound", "said"),
    [
        (np.zeros(RATE // 2), "shorter than a bar"),
        (np.zeros(4 * RATE), "hardly anything begins"),
        (0.3 * np.sin(2 * np.pi * 220 * TIME), "hardly anything begins"),
        (np.full(4 * RATE, 0.5), "hardly anything begins"),
        (np.concatenate([made_loop("broken", 97)[0], made_loop("broken", 131)[0]]), "no one tempo"),
    ],
    ids=["half a second", "silence", "a tone", "DC", "two tempos"],
)
def test_what_has_no_pattern_is_refused_in_words(sound: np.ndarray, said: str) -> None:
    found = read_pattern(sound, sample_rate=RATE)
    assert found.refused is not None
    assert said in found.refused
    assert found.hits == ()


def test_faint_events_out_of_time_and_swing_leave_the_tempo_exact() -> None:
    for bpm in (92.0, 126.0, 171.5):
        loop, _ = made_loop("broken", bpm)
        small = 0.03 * kit(2)["snare"]
        for step in (3.5, 11.5, 19.5):
            at = round(step * 60 / bpm / 4 * RATE)
            loop[at : at + small.size] += small
        assert read_pattern(loop, sample_rate=RATE, hint_bpm=bpm).bpm == pytest.approx(bpm, abs=0.03)

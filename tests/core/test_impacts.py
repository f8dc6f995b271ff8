"""Impacts in a recording: found to the sample on made loops with known truth, cut without a click, ranked for a role."""

from __future__ import annotations

import itertools

import numpy as np
import pytest

from juglant.core.hit.render import render_hit
from juglant.core.hit.serves import serves
from juglant.core.hit.starts import STARTS
from juglant.core.measure.character import measure_character
from juglant.core.measure.impacts import find_impacts
from juglant.core.model.ids import Role

RATE = 48000


def struck(kind: int, rng: np.random.Generator) -> np.ndarray:
    """A kick, a snare, a hat or a tom out of sines and noise, nothing of the engines."""
    frames = int(RATE * (0.25, 0.15, 0.05, 0.3)[kind])
    at = np.arange(frames) / RATE
    noise = rng.standard_normal(frames)
    made = (
        np.sin(2 * np.pi * (55 * at + 6 * (1 - np.exp(-at / 0.02)))) * np.exp(-at / 0.08),
        (0.5 * noise + np.sin(2 * np.pi * 200 * at)) * np.exp(-at / 0.05),
        np.diff(noise, prepend=0) * np.exp(-at / 0.012),
        np.sin(2 * np.pi * 120 * at) * np.exp(-at / 0.1),
    )[kind]
    return made * np.minimum(1, (frames - np.arange(frames)) / (0.02 * RATE))


def minute(seed: int, *, bass: bool = False, hiss_db: float = -70) -> tuple[np.ndarray, np.ndarray]:
    """A minute of impacts 24 dB apart at most, and where each begins, s."""
    rng, audio = np.random.default_rng(seed), np.zeros(60 * RATE)
    truth, at = [], 0.3
    while at < 59:
        sound, begin = struck(int(rng.integers(4)), rng), int(at * RATE)
        audio[begin : begin + sound.size] += 10 ** (rng.uniform(-24, 0) / 20) * sound
        truth.append(begin / RATE)
        at += rng.uniform(0.12, 0.5)
    audio += 10 ** (hiss_db / 20) * rng.standard_normal(audio.size)
    if bass:
        seconds = np.arange(audio.size) / RATE
        audio += 0.25 * np.sin(2 * np.pi * 58 * seconds) + 0.1 * np.sin(2 * np.pi * 116 * seconds)
    return audio, np.array(truth)


def f_measure(found: np.ndarray, truth: np.ndarray, within_s: float = 0.01) -> float:
    """Harmonic mean of precision and recall, each truth matched once (the usual measure of onset detection)."""
    left, hits = list(found), 0
    for one in truth:
        near = [other for other in left if abs(other - one) <= within_s]
        if near:
            left.remove(min(near, key=lambda other: abs(other - one)))
            hits += 1
    return 2 * hits / (found.size + truth.size)


@pytest.mark.parametrize("seed", [11, 12, 13, 14])
def test_impacts_are_found_within_10_ms_clean_and_under_a_bass(seed: int) -> None:
    for bass, least in ((False, 0.98), (True, 0.9)):
        audio, truth = minute(seed, bass=bass)
        found = np.array([one.onset_s for one in find_impacts(audio, sample_rate=RATE)])
        assert f_measure(found, truth) >= least, bass


@pytest.mark.parametrize("rate", [44100, 48000, 96000])
def test_a_cut_begins_where_the_sound_does_without_a_click(rate: int) -> None:
    """What lies before the planted beginning is a tone through which a cut anywhere but at its turns would click."""
    rng, audio = np.random.default_rng(4), 0.003 * np.sin(2 * np.pi * 90 * np.arange(4 * rate) / rate)
    begins = [int(rate * one) for one in (0.5, 1.25, 2.3, 3.1)]
    for begin in begins:
        sound = 0.5 * rng.standard_normal(rate // 5) * np.exp(-np.arange(rate // 5) / (0.03 * rate))
        audio[begin : begin + sound.size] += sound
    # The tone itself begins with the file, far below.
    found = find_impacts(audio, sample_rate=rate)
    assert [one.level_db > -40 for one in found] == [False, True, True, True, True]
    found = found[1:]
    for one, begin in zip(found, begins, strict=True):
        assert abs(one.onset_s - begin / rate) < 0.001
        first = round(one.begin_s * rate)
        assert 0 <= begin - first < 0.006 * rate or abs(first - begin) < 0.001 * rate
        # The first sample is next to nothing against the sound: -60 dB.
        assert abs(audio[first]) < 1e-3 * np.max(np.abs(audio[begin : begin + rate // 5])) + 0.003 * 2 * np.pi * 90 / rate
    gaps = [b - a for a, b in itertools.pairwise(one.begin_s for one in found)]
    assert [one.after_s for one in found] == [*(pytest.approx(gap) for gap in gaps), None]
    assert [one.before_s for one in found[1:]] == [*(pytest.approx(gap) for gap in gaps)]
    assert not any(one.clipped or one.runs_on for one in found)
    assert max(one.level_db for one in found) == 0


def test_what_is_clipped_and_what_runs_into_the_next_is_said() -> None:
    at = np.arange(RATE) / RATE
    ring = np.sin(2 * np.pi * 100 * at) * np.exp(-at / 0.5)
    audio = np.zeros(2 * RATE)
    audio[2400 : 2400 + RATE] += 0.3 * ring
    audio[14400 : 14400 + RATE] += np.clip(3 * ring, -0.9, 0.9)
    audio = np.clip(audio, -0.95, 0.95)
    found = find_impacts(audio, sample_rate=RATE)
    assert [one.runs_on for one in found] == [True, False]
    assert [one.clipped for one in found] == [False, True]


@pytest.mark.parametrize(("audio", "most"), [
    (np.zeros(0), 0),
    (np.zeros(RATE), 0),
    (np.full(RATE, 0.7), 0),
    (np.array([0.5]), 0),
    (np.linspace(0, 1, 2 * RATE) * np.sin(2 * np.pi * 110 * np.arange(2 * RATE) / RATE), 1),
    (np.eye(1, RATE, 24000)[0], 1),
    (np.tile(np.eye(1, 480, 100)[0], 100), 50),
    (np.sign(np.sin(2 * np.pi * 50 * np.arange(RATE) / RATE)), 2),
])  # fmt: skip
def test_nothing_one_and_a_hundred_a_second_are_told_apart_and_break_nothing(audio: np.ndarray, most: int) -> None:
    found = find_impacts(audio, sample_rate=RATE)
    assert len(found) <= most
    assert all(0 <= one.begin_s <= one.onset_s < one.end_s <= audio.size / RATE + 1e-9 for one in found)
    if most == 1 and audio.max() == 1 and np.count_nonzero(audio) == 1:
        assert [round(one.onset_s * RATE) for one in found] == [pytest.approx(24000, abs=2)]


def test_the_best_for_a_role_is_one_of_that_role() -> None:
    """Starts of every role, which are like recorded ones, one after the other: each ranked first for its own."""
    order: tuple[Role, ...] = ("kick", "snare", "hat", "tom", "clap")
    sounds = [render_hit(next(one for one in STARTS if one.role == role).hit, sample_rate=RATE).mono for role in order]
    audio = np.zeros(len(order) * 2 * RATE)
    for place, sound in enumerate(sounds):
        part = sound[: round(1.8 * RATE)] / np.max(np.abs(sound))
        audio[place * 2 * RATE + 4800 : place * 2 * RATE + 4800 + part.size] += part
    found = [one for one in find_impacts(audio, sample_rate=RATE) if one.level_db > -30]
    by_place = {round(one.begin_s / 2 - 0.05): one for one in found}
    assert set(by_place) == set(range(len(order)))
    for place, role in enumerate(order):
        shares = {}
        for other, one in by_place.items():
            part = audio[round(one.begin_s * RATE) : round((one.begin_s + 1.7) * RATE)]
            character = measure_character(part, sample_rate=RATE)
            assert character is not None
            fit = serves(role, character, one)
            assert fit is not None
            shares[other] = fit.share
        # Recorded snares and claps are as like each other as these figures tell.
        better = [order[other] for other in shares if shares[other] > shares[place]]
        assert set(better) <= ({"clap"} if role == "snare" else {"snare"} if role == "clap" else set()), (role, shares)
        assert shares[place] > 0.5, role

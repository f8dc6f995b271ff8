"""A recorded drum part worked over: what replaces a stroke begins where the stroke did, to the sample, as loud; what is
evened is even; what is not asked for stays as it was. Parts are made here, by nothing of the product, with known truth."""

from __future__ import annotations

from dataclasses import replace
from functools import lru_cache

import numpy as np
import pytest
from made_loops import kit, made_loop
from near_meters import RATE

from juglant.core.errors import InvalidAudio
from juglant.core.hit.rework import (
    Part,
    evened,
    incidental_by,
    own_strokes,
    read_part,
    replaced,
    retimed,
    silenced_at,
    velocities,
)
from juglant.core.hit.starts import KICKS, SNARES
from juglant.core.measure.drum_part import Which, drum_strokes, evenness_of
from juglant.core.measure.level import k_weighted
from juglant.core.model.hit import Hit, Layer
from juglant.core.model.velocity import Velocity
from juglant.core.synth.take import Take
from juglant.core.synth.takes import TakeAudio, provide, take_id

BPM = 122.0
SIXTEENTH = 60 / BPM / 4


def planted(
    sound: np.ndarray, at: list[int], gains: list[float], frames: int = 6 * RATE, noise: float = 1e-4
) -> np.ndarray:
    out = noise * np.random.default_rng(3).standard_normal(frames)
    for place, gain in zip(at, gains, strict=True):
        count = min(sound.size, frames - place)
        out[place : place + count] += gain * sound[:count]
    return out


def part_of(mono: np.ndarray) -> Part:
    return read_part(mono[None], sample_rate=RATE)


def as_hit(sound: np.ndarray, **changes: float) -> Hit:
    take = take_id(sound[None], RATE)
    provide(lambda wanted: TakeAudio(sound[None], RATE) if wanted == take else None)
    layer = Layer(id="a", name="a", source=Take(take=take, fade_ms=0.5))
    return Hit(layers=(layer,), velocity=Velocity(darker_octaves=0, softer_ms=0, **changes))


@lru_cache(maxsize=1)
def click() -> np.ndarray:
    """What nothing else in these parts is like, and begins at its first sample."""
    time = np.arange(round(0.03 * RATE)) / RATE
    return np.concatenate(([0.0], np.sin(2 * np.pi * 1500 * time + 1.2) * np.exp(-time / 0.006)))


def where(signal: np.ndarray, sound: np.ndarray, near: int, reach: int = 400) -> int:
    """The frame at which a sound begins in a signal, by matching it."""
    stretch = signal[max(0, near - reach) : near + reach + sound.size]
    return max(0, near - reach) + int(np.argmax(np.correlate(stretch, sound, "valid")))


PLACES = [4801, 30017, 55555, 91003, 130331, 170003, 201007]
GAINS = [1.0, 0.8, 0.95, 0.6, 0.85, 0.7, 0.9]


@pytest.mark.parametrize("name", ["kick", "snare", "hat"])
def test_a_new_hit_begins_at_the_very_sample_at_which_the_old_one_did(name: str) -> None:
    sound = kit(1)[name]
    part = part_of(planted(sound, PLACES, GAINS, noise=1e-5))
    made, played = replaced(part, "all", as_hit(click()), share_pct=100, aligned=True, bpm=BPM)
    assert len(played) == len(PLACES)
    for at in PLACES:
        assert abs(where(made.mono, click()[1:], at) - at) <= 1, at


@pytest.mark.parametrize("late_ms", [-1.6, -0.5, 0.7, 1.9])
@pytest.mark.parametrize("turned", [False, True])
def test_what_joins_the_old_is_moved_and_turned_so_that_it_adds(late_ms: float, turned: bool) -> None:
    sound = kit(0)["kick"]
    part = part_of(planted(sound, PLACES, GAINS, noise=1e-5))
    late = round(abs(late_ms) * RATE / 1000)
    other = np.concatenate((np.zeros(late), sound)) if late_ms > 0 else sound[late:]
    made, played = replaced(part, "all", as_hit(-other if turned else other), share_pct=50, aligned=True, bpm=BPM)
    plain, _ = replaced(part, "all", as_hit(-other if turned else other), share_pct=50, aligned=False, bpm=BPM)
    assert all(one.turned == turned for one in played)
    # The same sound twice is that sound again: nothing of it is lost where both meet.
    at = PLACES[1]
    heard = made.mono[at + 500 : at + 8000]
    like = np.corrcoef(heard, part.mono[at + 500 : at + 8000])[0, 1]
    assert like > 0.995
    if turned:
        unlike = plain.mono[at + 500 : at + 8000]
        assert np.corrcoef(unlike, part.mono[at + 500 : at + 8000])[0, 1] < 0.9


@pytest.mark.parametrize("share", [0, 15, 40, 75, 100])
@pytest.mark.parametrize("row", ["kick", "snare"])
def test_every_place_of_the_ruler_is_as_loud_as_the_old_and_touches_nothing_else(row: Which, share: float) -> None:
    loop, _ = made_loop("broken", BPM)
    part = part_of(loop)
    start = {"kick": KICKS, "snare": SNARES}[row][1].hit
    made, _ = replaced(part, row, start, share_pct=share, aligned=True, bpm=BPM)
    if share == 0:
        np.testing.assert_allclose(made.mono, part.mono, atol=1e-9)

    def row_energy(one: np.ndarray) -> float:
        # What was added to everything else of the part.
        rest = part.mono - old
        return float(np.sum(k_weighted(one - rest, sample_rate=RATE) ** 2))

    from juglant.core.hit.rework import row_alone

    old = row_alone(part, row)[0]
    assert 10 * np.log10(row_energy(made.mono) / row_energy(part.mono)) == pytest.approx(0, abs=0.1)
    # A short sound in their place: between the strokes of the row every sample is as it was.
    short, _ = replaced(part, row, as_hit(click()), share_pct=share, aligned=True, bpm=BPM)
    quiet = np.ones(loop.size, dtype=bool)
    for one in own_strokes(part, row):
        quiet[max(0, one.begin - 96) : one.rings_to] = False
    assert quiet.any()
    np.testing.assert_allclose(short.mono[quiet], part.mono[quiet], atol=1e-9)


def test_highs_that_begin_with_a_replaced_kick_are_still_there() -> None:
    loop, _ = made_loop("broken", BPM)
    part = part_of(loop)
    made, _ = replaced(part, "kick", KICKS[1].hit, share_pct=100, aligned=True, bpm=BPM)
    shared = [one for one in own_strokes(part, "kick") if "hat" in one.rows]
    assert len(shared) >= 4
    for one in shared:
        place = slice(one.at + 48, one.at + 1400)
        before, after = (np.diff(np.diff(each.mono))[place] for each in (part, made))
        assert 10 * np.log10(np.sum(after**2) / np.sum(before**2)) > -1.5


def test_strength_is_followed_within_half_a_decibel() -> None:
    sound, gains_db = kit(1)["kick"], [0, -3, -9, -6, -1, -12, -4]
    part = part_of(planted(sound, PLACES, [10 ** (db / 20) for db in gains_db], noise=1e-6))
    made, played = replaced(part, "all", as_hit(click(), range_db=24), share_pct=100, aligned=True, bpm=BPM)
    peaks = [np.max(np.abs(made.mono[at - 10 : at + 1400])) for at in PLACES]
    for db, peak, one in zip(gains_db, peaks, played, strict=True):
        assert 20 * np.log10(peak / max(peaks)) == pytest.approx(db, abs=0.5)
        assert one.velocity == pytest.approx(127 + 126 * db / 24, abs=2)


@pytest.mark.parametrize("share", [0, 50, 100])
def test_levels_are_evened_by_the_share_that_is_asked_for(share: float) -> None:
    gains_db = [0, -2, 1, -4, 3, 0, -1]
    part = part_of(planted(kit(2)["kick"], PLACES, [0.5 * 10 ** (db / 20) for db in gains_db], noise=1e-6))
    made = evened(part, "all", level_pct=share, landing_pct=0, length_pct=0)
    left = [20 * np.log10(np.max(np.abs(made.mono[at : at + 9600])) / 0.5) for at in PLACES]
    middle = np.median(gains_db)
    for db, own in zip(gains_db, left, strict=True):
        wanted = middle + (db - middle) * (1 - share / 100)
        assert own - left[0] == pytest.approx(wanted - (middle + (gains_db[0] - middle) * (1 - share / 100)), abs=0.25)


def test_outliers_are_named_in_what_they_are_off() -> None:
    sound = kit(0)["kick"]
    at = np.arange(sound.size)
    sharp = np.interp(np.arange(0, sound.size - 1, 2 ** (70 / 1200)), at, sound)
    mono = planted(sound, [*PLACES[:3], *PLACES[4:]], [0.6, 0.58, 0.62, 0.6, 0.3, 0.61], noise=1e-6)
    mono[PLACES[3] : PLACES[3] + sharp.size] += 0.6 * sharp
    found = evenness_of(mono, drum_strokes(mono, sample_rate=RATE), "all", sample_rate=RATE)
    assert [one.out for one in found.strokes] == [(), (), (), ("landing",), (), ("level",), ()]
    assert found.strokes[3].cents == pytest.approx(70, abs=8)
    assert found.strokes[5].level_db == pytest.approx(-6, abs=0.3)
    made = evened(part_of(mono), "all", level_pct=100, landing_pct=100, length_pct=0)
    after = evenness_of(made.mono, list(made.strokes), "all", sample_rate=RATE)
    assert abs(after.strokes[3].cents or 0) < 5
    assert abs(after.strokes[5].level_db) < 0.3
    assert found.level_db is not None
    assert after.level_db is not None
    assert after.level_db < 0.15 * found.level_db


def test_longer_strokes_are_shortened_and_short_ones_are_left_as_they_are() -> None:
    time = np.arange(round(0.7 * RATE)) / RATE
    tone = np.sin(2 * np.pi * 60 * time) * np.minimum(1, time / 0.002)
    falls = [0.04, 0.04, 0.08, 0.04, 0.02, 0.04, 0.04]
    mono = 1e-6 * np.random.default_rng(0).standard_normal(6 * RATE)
    for at, fall in zip(PLACES, falls, strict=True):
        mono[at : at + time.size] += tone * np.exp(-time / fall)
    part = part_of(mono)
    before = evenness_of(mono, list(part.strokes), "all", sample_rate=RATE)
    assert ["length" in one.out for one in before.strokes] == [False, False, True, False, True, False, False]
    made = evened(part, "all", level_pct=0, landing_pct=0, length_pct=100)
    after = evenness_of(made.mono, drum_strokes(made.mono, sample_rate=RATE), "all", sample_rate=RATE)
    usual = np.median([one.length_ms for one in before.strokes])
    assert after.strokes[2].length_ms == pytest.approx(usual, rel=0.12)
    np.testing.assert_allclose(made.mono[PLACES[4] : PLACES[4] + 20000], mono[PLACES[4] : PLACES[4] + 20000], atol=1e-9)


def test_small_events_are_told_from_strokes_and_taken_out_alone() -> None:
    loud, small = kit(0)["snare"], 0.06 * kit(2)["snare"]
    ghosts = [17003, 72001, 150007]
    mono = planted(loud, PLACES, GAINS, noise=1e-6)
    for at in ghosts:
        mono[at : at + small.size] += small
    part = part_of(mono)
    found = [one.at for one in part.strokes if one.incidental]
    assert len(found) == 3
    assert all(abs(one - at) < 100 for one, at in zip(found, ghosts, strict=True))
    gone = incidental_by(part, -60)
    for at in ghosts:
        place = slice(at + 240, at + 4800)
        assert np.sum(gone.mono[place] ** 2) < 1e-4 * np.sum(mono[place] ** 2)
    raised = incidental_by(part, 6)
    assert np.max(np.abs(raised.mono[ghosts[1] + 100 : ghosts[1] + 4000])) == pytest.approx(
        2 * np.max(np.abs(mono[ghosts[1] + 100 : ghosts[1] + 4000])), rel=0.02
    )
    place = slice(PLACES[0], PLACES[0] + 10000)
    np.testing.assert_allclose(gone.mono[place], mono[place], atol=1e-9)
    with pytest.raises(InvalidAudio, match="nothing between its strokes"):
        incidental_by(part_of(planted(loud, PLACES, GAINS, noise=1e-6)), -60)


def test_a_small_event_in_a_kicks_tail_is_taken_out_and_the_tail_stays() -> None:
    loop, _ = made_loop("broken", BPM)
    small, at = 0.04 * kit(2)["snare"], round(11 * SIXTEENTH * RATE)
    with_it = loop.copy()
    with_it[at : at + small.size] += small
    part = part_of(with_it)
    assert any(one.incidental and abs(one.at - at) < 200 for one in part.strokes)
    gone = incidental_by(part, -60).mono
    place = slice(at + 240, at + 5000)
    spectra = [np.abs(np.fft.rfft(one[place] * np.hanning(4760))) ** 2 for one in (loop, with_it, gone)]
    bins = RATE / 4760
    low, high = slice(0, round(130 / bins)), slice(round(800 / bins), round(8000 / bins))
    assert 10 * np.log10(spectra[2][low].sum() / spectra[0][low].sum()) == pytest.approx(0, abs=0.5)
    assert 10 * np.log10(spectra[2][high].sum() / spectra[1][high].sum()) < -20


def test_a_row_is_silenced_only_where_another_hit_is_struck() -> None:
    loop, _ = made_loop("four to the floor", BPM)
    part = part_of(loop)
    snares = own_strokes(part, "snare")
    struck = [snares[0].at / RATE + 0.01, snares[2].at / RATE - 0.02, 0.37 * SIXTEENTH]
    made, count = silenced_at(part, "snare", struck)
    assert count == 2
    for index, one in enumerate(snares):
        place = slice(one.at + 240, one.at + 2400)
        middle = [np.diff(each.mono, prepend=0)[place] for each in (part, made)]
        down = 10 * np.log10(np.sum(middle[1] ** 2) / np.sum(middle[0] ** 2))
        assert (down < -6) == (index in (0, 2)), down
        lows = [np.sum(np.convolve(each.mono[place], np.ones(480) / 480, "valid") ** 2) for each in (part, made)]
        # A kick begins with every one of them: its lows stay.
        assert abs(10 * np.log10(lows[1] / lows[0])) < 3


def test_strokes_are_moved_by_the_share_of_the_way_to_the_grid() -> None:
    off_ms = [0, 12, -9, 15, -14, 7, -5, 11]
    at = [round((0.05 + 2 * step * SIXTEENTH + ms / 1000) * RATE) for step, ms in enumerate(off_ms)]
    sound = kit(1)["snare"][: round(0.15 * RATE)] * np.linspace(1, 0, round(0.15 * RATE))
    part = part_of(planted(sound, at, [0.9] * 8, frames=round(3 * RATE), noise=1e-6))
    assert [abs(one.at - place) <= 1 for one, place in zip(part.strokes, at, strict=True)] == [True] * 8
    grid = {one.number: 0.05 + 2 * step * SIXTEENTH for step, one in enumerate(part.strokes)}
    for share in (0, 60, 100):
        made = retimed(part, grid, share)
        got = [one.at / RATE for one in drum_strokes(made.mono, sample_rate=RATE)]
        for step, ms in enumerate(off_ms):
            wanted = 0.05 + 2 * step * SIXTEENTH + ms / 1000 * (1 - share / 100)
            assert got[step] == pytest.approx(wanted, abs=3.2e-5)
        assert np.max(np.abs(np.diff(made.mono))) <= 1.02 * np.max(np.abs(np.diff(part.mono)))
        if share == 0:
            np.testing.assert_allclose(made.mono, part.mono, atol=1e-12)


@pytest.mark.parametrize("name", ["silence", "swell", "one sample", "offset"])
def test_where_nothing_begins_it_is_said(name: str) -> None:
    time = np.arange(2 * RATE) / RATE
    signal = {
        "silence": np.zeros(RATE),
        "swell": np.sin(2 * np.pi * 50 * time) * np.sin(np.pi * time / 2) ** 2 * 0.5,
        "one sample": np.ones(1),
        "offset": np.full(RATE, 0.3),
    }[name]
    with pytest.raises(InvalidAudio, match="nothing begins"):
        part_of(signal)


def test_velocities_of_one_stroke_and_of_a_hit_without_a_range_are_the_hardest() -> None:
    part = part_of(planted(kit(0)["kick"], PLACES[:1], [0.5]))
    assert velocities(part, "all", 24) == {1: 127}
    both = part_of(planted(kit(0)["kick"], PLACES[:2], [0.5, 0.5]))
    assert min(velocities(both, "all", 0).values()) >= 1
    with pytest.raises(InvalidAudio, match="no stroke of it is told as a hat"):
        own_strokes(part, "hat")
    assert replace(part).mono.size == part.mono.size

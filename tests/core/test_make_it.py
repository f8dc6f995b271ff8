"""A recorded sound made to serve as a role, tried from outside: by meters of the trial's own, on unlike sounds.

1. what lies outside of recorded ones comes inside, or is said to stay; nothing that lay inside is pushed out;
2. what is needed is made and no more: what is as recorded ones are is left alone, a mild fault gets a mild move;
3. a move that is off is not made, and the others are computed without it; the body of a sound is never cut away.
"""

from __future__ import annotations

import numpy as np
import pytest
from near_meters import RATE, made_snare, made_tom, third_octaves_db
from scipy import signal as filters

from juglant.core.errors import InvalidTrack
from juglant.core.hit.household import THINGS, struck
from juglant.core.hit.recorded import RECORDED
from juglant.core.hit.render import render_hit
from juglant.core.model.hit import Hit, Layer
from juglant.core.model.ids import Role
from juglant.core.model.track import Track
from juglant.core.plans.make_it import Made, make_it
from juglant.core.synth.sweep import Sweep
from juglant.core.synth.take import Take
from juglant.core.synth.takes import TakeAudio, provide, take_id

SHELF: dict[str, TakeAudio] = {}


@pytest.fixture(autouse=True)
def shelf() -> None:
    provide(SHELF.get)


def with_sound(track: Track, sound: np.ndarray) -> Track:
    take = TakeAudio(np.atleast_2d(np.asarray(sound, dtype=float)), RATE)
    name = take_id(take.audio, RATE)
    SHELF[name] = take
    return track.with_hit("kick", Hit(layers=(Layer(id="take-1", name="Found", source=Take(take=name)),)))


def sound_of(track: Track) -> np.ndarray:
    return np.asarray(render_hit(track.hit_of("kick").hit, sample_rate=RATE, bpm=track.sheet.bpm).mono)


def share_db(sound: np.ndarray, low_hz: float, high_hz: float) -> float:
    """Energy between two frequencies re all of it, dB, from one spectrum."""
    power = np.abs(np.fft.rfft(sound)) ** 2
    frequency = np.fft.rfftfreq(sound.size, 1 / RATE)
    return float(10 * np.log10(power[(frequency >= low_hz) & (frequency < high_hz)].sum() / power.sum() + 1e-12))


def moves_of(made: Made) -> dict[str, str]:
    return {one.id: one.said for one in made.moves if one.on}


def thump(hz: float, falls_s: float = 0.09) -> np.ndarray:
    """A falling tone and a short knock, as a fist on something soft."""
    time = np.arange(round(0.5 * RATE)) / RATE
    knock = np.random.default_rng(4).standard_normal(time.size) * np.exp(-time / 0.002)
    tone = np.sin(2 * np.pi * hz * (time + 0.2 * 0.02 * (1 - np.exp(-time / 0.02)))) * np.exp(-time / falls_s)
    return 0.3 * (tone + 0.08 * knock) * np.minimum(1, time / 0.0005)


@pytest.mark.parametrize("thing", range(len(THINGS)), ids=lambda at: THINGS[at].name)
@pytest.mark.parametrize("role", ["kick", "snare", "hat"])
def test_whatever_was_recorded_comes_nearer_and_nothing_is_pushed_out(thing: int, role: Role, untouched: Track) -> None:
    made = make_it(with_sound(untouched, struck(thing, 110, 5, sample_rate=RATE)), "kick", role)
    assert len(made.outside) <= made.outside_before
    after = sound_of(made.track)
    assert 20 * np.log10(np.max(np.abs(after))) <= 0
    # Every figure that lay inside its range still does, or is named as pushed out (a hair's breadth is none).
    for one in made.figures:
        slack = 0.5 if one.low < 0 or one.name == "crest" else 0.06 * one.high
        deep = one.name == "below 80 Hz"
        named = any(said.startswith(one.name) for said in made.outside)
        if one.low <= one.before <= one.high and not deep and not named:
            assert one.low - slack <= one.after <= one.high + slack, one
    # The product's figure of what is above 2 kHz against a spectrum of the trial's own.
    bright = next(one for one in made.figures if one.name == "above 2 kHz")
    assert bright.after == pytest.approx(share_db(after[: 2 * RATE], 2000, RATE / 2), abs=0.6)


def test_a_kick_from_a_thump_lands_in_the_key_and_gets_what_it_lacks(untouched: Track) -> None:
    """B flat minor: a thump at 75 Hz without a top."""
    low = filters.sosfilt(filters.butter(4, 400, fs=RATE, output="sos"), thump(75))
    made = make_it(with_sound(untouched, low), "kick", "kick")
    moves = moves_of(made)
    assert {"tune", "top"} <= moves.keys()
    after = sound_of(made.track)
    late = after[round(0.06 * RATE) : round(0.3 * RATE)]
    power = np.abs(np.fft.rfft(late * np.hanning(late.size), 1 << 18))
    hz = np.fft.rfftfreq(1 << 18, 1 / RATE)[np.argmax(power)]
    classes = {0, 1, 3, 5, 6, 8, 10}
    number = 69 + 12 * np.log2(hz / 440)
    assert abs(number - round(number)) < 0.12
    assert round(number) % 12 in classes
    assert 40 < hz < 63
    # As much of a top as the dullest recorded kick has, and hardly more.
    assert RECORDED["kick"].bright_db[0] <= share_db(after, 2000, RATE / 2) <= RECORDED["kick"].bright_db[0] + 2


@pytest.mark.parametrize(
    ("role", "sound"), [("tom", made_tom(98)), ("snare", made_snare(205)), ("tom", made_tom(110, seed=7))]
)
def test_what_is_as_recorded_ones_are_is_left_alone(role: Role, sound: np.ndarray, untouched: Track) -> None:
    made = make_it(with_sound(untouched, sound), "kick", role)
    before, after = (third_octaves_db(one, RATE) for one in (sound_of(with_sound(untouched, sound)), sound_of(made.track)))
    strong = before > before.max() - 15
    apart = (after - before)[strong]
    # But for its level, its body is what it was.
    assert np.ptp(apart) < 3


@pytest.mark.parametrize("hum_db", [-4, 2])
def test_a_fault_in_the_middle_is_cut_by_what_it_is_too_much(hum_db: float, untouched: Track) -> None:
    """A box that rings at 400 Hz under a kick: the louder it is, the deeper the cut; the low end stays as it was."""
    time = np.arange(round(0.5 * RATE)) / RATE
    box = 0.3 * 10 ** (hum_db / 20) * np.sin(2 * np.pi * 400 * time) * np.exp(-time / 0.06)
    track = with_sound(untouched, thump(58.27) + box)
    made = make_it(track, "kick", "kick", frozenset({"tune"}))
    before, after = (sound_of(one) for one in (track, made.track))
    dropped = share_db(before, 350, 450) - share_db(after, 350, 450)
    assert dropped > 3
    assert share_db(after, 350, 450) == pytest.approx(-19, abs=4)
    assert share_db(after, 40, 90) >= share_db(before, 40, 90)


def test_a_long_sound_is_shortened_to_the_longest_recorded_and_no_further(untouched: Track) -> None:
    time = np.arange(4 * RATE) / RATE
    long = 0.3 * np.sin(2 * np.pi * 58.27 * time) * np.exp(-time / 0.5) + np.pad(thump(58.27), (0, 4 * RATE - RATE // 2))
    track = with_sound(untouched, long)
    made = make_it(track, "kick", "kick", frozenset({"tune"}))
    assert "length" in moves_of(made)
    falls = next(one for one in made.figures if one.name == "fall by 60 dB")
    assert falls.before > falls.high
    assert falls.after == pytest.approx(falls.high, rel=0.06)


def test_a_move_that_is_off_is_not_made_and_is_still_offered(untouched: Track) -> None:
    track = with_sound(untouched, struck(2, 110, 5, sample_rate=RATE))
    whole = make_it(track, "kick", "kick")
    for move in whole.moves:
        if not move.on:
            continue
        without = make_it(track, "kick", "kick", frozenset({move.id}))
        found = next(one for one in without.moves if one.id == move.id)
        assert (found.needed, found.on) == (True, False)
        assert without.track != whole.track
    nothing = make_it(track, "kick", "kick", frozenset(one.id for one in whole.moves))
    assert nothing.track == track
    assert all(one.before == one.after for one in nothing.figures)


@pytest.mark.parametrize(
    ("hit", "role", "said"),
    [
        (Hit(layers=(Layer(id="a", name="A", source=Sweep()),)), "kick", "nothing in this hit was recorded"),
        (Hit(), "kick", "nothing in this hit was recorded"),
        (None, "rumble", "nothing is known of recorded sounds"),
    ],
)
def test_what_cannot_be_made_is_refused_in_words(hit: Hit | None, role: Role, said: str, untouched: Track) -> None:
    track = with_sound(untouched, thump(60)) if hit is None else untouched.with_hit("kick", hit)
    with pytest.raises(InvalidTrack, match=said):
        make_it(track, "kick", role)


def test_silence_is_refused_in_words(untouched: Track) -> None:
    with pytest.raises(InvalidTrack, match="silent"):
        make_it(with_sound(untouched, np.zeros(RATE)), "kick", "kick")

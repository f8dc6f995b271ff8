"""A loop taken apart: its strokes where it was made to play them, each row its own slices, nothing of the take touched."""

from __future__ import annotations

import numpy as np
import pytest
from made_loops import PATTERNS, made_loop
from near_meters import RATE

from juglant.core.commands.dissect import Dissect
from juglant.core.commands.registry import carried_out
from juglant.core.errors import InvalidTrack
from juglant.core.loop.kit import kit_stem
from juglant.core.model.sheet import Sheet
from juglant.core.model.track import Track
from juglant.core.synth.takes import TakeAudio, provide, take_id

BPM = 126.0


def kept(loop: np.ndarray) -> str:
    audio = loop[None].astype(np.float32).astype(np.float64)
    take = take_id(audio, RATE)
    provide(lambda wanted: TakeAudio(audio, RATE) if wanted == take else None)
    return take


def taken_apart(loop: np.ndarray, bars: int = 2, **asked: object) -> tuple[Track, tuple[str, ...]]:
    track = Track(sheet=Sheet(bpm=BPM, bars=bars))
    done = carried_out(track, Dissect(take=kept(loop), name="Loop", **asked))  # type: ignore[arg-type]
    return done.track, done.said


@pytest.mark.parametrize("pattern", PATTERNS)
def test_every_row_plays_where_it_was_made_to_play(pattern: str) -> None:
    loop, truth = made_loop(pattern, BPM, number=1)
    track, said = taken_apart(loop, bpm=BPM)
    for row, least in (("kick", 0.9), ("snare", 0.85), ("hat", 0.85)):
        part = track.part(f"loop-{row}")
        got, want = {one.at_beats for one in part.strokes}, {beat for name, beat in truth if name == row}
        assert 2 * len(got & want) / (len(got) + len(want)) >= least, row
        assert all(abs(one.shift_ms) < 3 for one in part.strokes)
        assert len(part.hit.layers[0].source.sounds) == 1  # type: ignore[union-attr]
    assert len(said) == 3


def test_the_hats_alone_are_heard_where_they_were_and_without_the_kicks() -> None:
    loop, truth = made_loop("four to the floor", BPM)
    track, _ = taken_apart(loop, rows=("hat",), bpm=BPM)
    assert [one.id for one in track.kit] == ["loop-hat"]
    stem = kit_stem(track, track.hit_of("loop-hat"))
    beat = 60 / BPM * RATE
    lows, highs = (np.abs(np.fft.rfft(stem)[band]) for band in (slice(40, 400), slice(24000, 48000)))
    assert np.sum(lows**2) < 1e-3 * np.sum(highs**2)
    for row, at in truth:
        place = slice(round(at * beat), round(at * beat) + 480)
        if row == "hat":
            assert np.max(np.abs(stem[place])) > 0.2 * np.max(np.abs(stem))
        elif row == "kick" and ("hat", at) not in truth:
            assert np.max(np.abs(stem[place])) < 0.02 * np.max(np.abs(stem))


def test_a_shorter_loop_goes_round_and_a_longer_track_is_filled() -> None:
    loop, _ = made_loop("broken", BPM)
    track, _ = taken_apart(loop, bars=4, bpm=BPM)
    places = [one.at_beats for one in track.part("loop-snare").strokes]
    assert [at + 8 for at in places if at < 8] == [at for at in places if at >= 8]


def test_what_is_played_late_is_late_on_its_row() -> None:
    loop, _ = made_loop("four to the floor", BPM)
    late = round(0.012 * RATE)
    beat = 60 / BPM * RATE
    for number in range(8):
        if number % 2:
            at = round(number * beat)
            piece = loop[at : at + round(0.4 * beat)].copy()
            loop[at : at + piece.size] = 0
            loop[at + late : at + late + piece.size] = piece
    track, _ = taken_apart(loop, rows=("snare",), bpm=BPM)
    assert [one.shift_ms for one in track.part("loop-snare").strokes] == pytest.approx([12] * 4, abs=4)


@pytest.mark.parametrize(
    ("sound", "why"),
    [
        (np.zeros(2 * RATE), "hardly anything begins"),
        (0.3 * np.random.default_rng(0).standard_normal(400), "shorter than a bar"),
        (0.4 * np.sin(2 * np.pi * 50 * np.arange(2 * RATE) / RATE), "nothing|hardly"),
    ],
)
def test_what_does_not_separate_is_refused_in_words(sound: np.ndarray, why: str) -> None:
    with pytest.raises(InvalidTrack, match=why):
        taken_apart(sound)
    with pytest.raises(InvalidTrack, match="not here"):
        carried_out(Track(), Dissect(take="f" * 24, name="Gone"))

"""A bass line that comes as a loop: its notes read to the grid, and what could not be read said."""

from __future__ import annotations

import numpy as np
import pytest
from scipy import signal as dsp

from juglant.core.errors import InvalidTrack
from juglant.core.loop.line_loop import with_line_loop
from juglant.core.loop.render import heard_stem
from juglant.core.measure.line_notes import read_line
from juglant.core.model.stem import BASS
from juglant.core.model.track import Track
from juglant.core.synth.bass import Bass
from juglant.core.synth.takes import TakeAudio, provide, take_id

RATE = 48000
SOUNDS: dict[str, TakeAudio] = {}


@pytest.fixture(autouse=True)
def _sounds() -> None:
    """Only the newest places are looked at: other trials of this process may have named more."""
    provide(SOUNDS.get)


BASSES = {
    "sub": Bass(harmonics_pct=0, blip_db=-60),
    "sub with harmonics": Bass(harmonics_pct=60, drive_db=12),
    "saw": Bass(source="saw"),
    "pulse": Bass(source="pulse"),
    "pluck": Bass(source="fm pluck"),
    "soft edges": Bass(attack_ms=20, release_ms=120),
}


def taken(audio: np.ndarray) -> str:
    sound = TakeAudio(np.atleast_2d(audio), RATE)
    name = take_id(sound.audio, RATE)
    SOUNDS[name] = sound
    return name


def line_of(track: Track, bass: Bass, bpm: float) -> tuple[Track, np.ndarray]:
    sheet = track.sheet.model_copy(update={"bpm": bpm})
    made = track.having(bass=bass, sheet=sheet)
    audio = heard_stem(made, BASS.of("before"))
    return made, audio if audio.ndim == 1 else audio.mean(axis=0)


def written(track: Track) -> set[tuple[float, int]]:
    return {(note.at_beats, note.note) for note in track.bass_notes}


@pytest.mark.parametrize("name", BASSES)
@pytest.mark.parametrize("bpm", [96.0, 126.0, 174.0])
def test_every_note_of_a_loop_is_read_where_it_was_written(name: str, bpm: float, untouched: Track) -> None:
    """Notes one after the other on one pitch included: what was written is known, and nothing is added."""
    made, audio = line_of(untouched, BASSES[name], bpm)
    hiss = 0.003 * np.random.default_rng(2).standard_normal(audio.size)
    empty = untouched.having(bass_notes=(), sheet=made.sheet)
    read = with_line_loop(empty, taken(audio + hiss), 0.0)
    assert written(read.track) == written(untouched)
    assert read.unread_beats == ()
    assert read.said == f"{len(untouched.bass_notes)} notes of the bass loop are read to the grid"
    lengths = {(note.at_beats, note.length_beats) for note in read.track.bass_notes}
    wrong = lengths - {(note.at_beats, note.length_beats) for note in untouched.bass_notes}
    assert len(wrong) <= 0.25 * len(lengths)
    # The loop itself is what is heard.
    assert read.track.bass.source == "recorded line"


def test_a_shorter_loop_repeats_and_so_do_its_notes(untouched: Track) -> None:
    made, audio = line_of(untouched, BASSES["saw"], 126.0)
    bar = round(4 * 60 / 126 * RATE)
    read = with_line_loop(made.having(bass_notes=()), taken(audio[:bar]), 0.0)
    first = {one for one in written(untouched) if one[0] < 4}
    assert written(read.track) == {(at + 4 * turn, note) for at, note in first for turn in range(4)}
    assert read.read == len(first)


def test_what_has_no_pitch_is_said_and_not_written(untouched: Track) -> None:
    made, audio = line_of(untouched, BASSES["saw"], 126.0)
    audio, beat = audio.copy(), 60 / 126 * RATE
    noise = np.random.default_rng(4).standard_normal(round(0.4 * beat))
    burst = dsp.sosfilt(dsp.butter(2, [100, 700], "bandpass", fs=RATE, output="sos"), noise)
    at = round(5.0 * beat)
    audio[at : at + burst.size] = 0.5 * burst / np.max(np.abs(burst))
    read = with_line_loop(made.having(bass_notes=()), taken(audio), 0.0)
    assert any(abs(one - 5.0) < 0.3 for one in read.unread_beats)
    assert "could not be read, at 2.2" in read.said
    assert not any(abs(note.at_beats - 5.0) < 0.2 for note in read.track.bass_notes)


@pytest.mark.parametrize("audio", [np.zeros(RATE), np.zeros(10), np.full(RATE, 0.3)], ids=["silence", "a scrap", "DC"])
def test_nothing_is_read_from_nothing(audio: np.ndarray) -> None:
    assert read_line(audio, sample_rate=RATE, a4_hz=440).notes == ()


def test_a_loop_that_ends_before_its_bar_one_is_refused(untouched: Track) -> None:
    with pytest.raises(InvalidTrack, match="no sound from where bar 1"):
        with_line_loop(untouched, taken(np.ones(480)), 5000.0)

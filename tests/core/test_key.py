"""Key finding: 24 keys from notes and from sound, against a general library; files that are no notes."""

from __future__ import annotations

import io

import mido
import music21
import numpy as np
import pytest
from music21.analysis.discrete import KrumhanslKessler

from juglant.core.errors import InvalidMidi
from juglant.core.model.track import Track
from juglant.core.tune.key import MAJOR, MINOR, TONICS, find_key, keys_of, offered_a4, weights_of_notes
from juglant.core.tune.written import bars_of, lowest_line
from juglant.formats.midi import read_notes

RATE = 22050
STEPS = {"major": (0, 2, 4, 5, 7, 9, 11), "natural minor": (0, 2, 3, 5, 7, 8, 10)}
PROGRESSIONS = ((0, 3, 4, 0), (0, 5, 3, 4, 0), (0, 3, 0, 4, 0))
EVERY = [(tonic, mode) for tonic in range(12) for mode in STEPS]


def chords(tonic: int, mode: str, degrees: tuple[int, ...]) -> list[list[int]]:
    """Triads of the key with their roots below, as note numbers."""
    steps = STEPS[mode]

    def note(degree: int, low: int) -> int:
        return low + tonic + steps[degree % 7] + 12 * (degree // 7)

    return [[note(degree, 36), *(note(degree + third, 48) for third in (0, 2, 4))] for degree in degrees]


def sounding(tonic: int, mode: str, degrees: tuple[int, ...], a4_hz: float = 440) -> np.ndarray:
    time = np.arange(RATE) / RATE
    out = []
    for chord in chords(tonic, mode, degrees):
        tone = np.zeros(RATE)
        for note in chord:
            hz = a4_hz * 2 ** ((note - 69) / 12)
            tone += sum(np.sin(2 * np.pi * hz * k * time) / k**1.5 for k in range(1, 5))
        out.append(tone * np.exp(-time) / 12)
    return np.concatenate(out)


def test_profiles_are_the_published_ones() -> None:
    """Krumhansl & Kessler 1982, as music21 has them (library)."""
    assert KrumhanslKessler().getWeights("major") == list(MAJOR)
    assert KrumhanslKessler().getWeights("minor") == list(MINOR)


@pytest.mark.parametrize(("tonic", "mode"), EVERY)
def test_progressions_are_found_in_notes_as_a_library_finds_them(tonic: int, mode: str) -> None:
    for degrees in PROGRESSIONS:
        notes = [(note, 1.0) for chord in chords(tonic, mode, degrees) for note in chord]
        found = keys_of(weights_of_notes(notes))[0]
        assert (found.tonic, found.mode) == (TONICS[tonic], mode)
        stream = music21.stream.Stream([music21.note.Note(note) for note, _ in notes])
        theirs = stream.analyze("key.krumhanslkessler")
        assert theirs.tonic.pitchClass == tonic
        assert theirs.mode == mode.removeprefix("natural ")
        assert found.correlation == pytest.approx(theirs.correlationCoefficient, abs=1e-6)


@pytest.mark.parametrize(("tonic", "mode"), EVERY)
def test_progressions_are_found_in_sound_with_their_concert_pitch(tonic: int, mode: str) -> None:
    a4_hz = 440 * 2 ** ((7 * tonic % 37 - 18) / 1200)
    found = find_key(sounding(tonic, mode, PROGRESSIONS[0], a4_hz), sample_rate=RATE)
    first, second = found.guesses[:2]
    assert (first.tonic, first.mode) == (TONICS[tonic], mode)
    assert first.confidence > second.confidence
    assert sum(one.confidence for one in found.guesses) == pytest.approx(1)
    assert found.a4_hz == pytest.approx(a4_hz, abs=0.3)
    assert (offered_a4(found, 440) is None) == (abs(1200 * np.log2(found.a4_hz / 440)) < 4)  # type: ignore[operator]
    assert offered_a4(found, round(a4_hz, 1)) is None


def test_what_has_no_key_is_not_given_one() -> None:
    assert find_key(np.zeros(RATE), sample_rate=RATE).guesses == ()
    assert keys_of(np.zeros(12)) == ()
    assert keys_of(np.ones(12)) == ()
    noise = find_key(np.random.default_rng(5).standard_normal(4 * RATE), sample_rate=RATE)
    assert noise.a4_hz is None
    clear = find_key(sounding(10, "natural minor", PROGRESSIONS[0]), sample_rate=RATE)
    assert noise.guesses[0].correlation < clear.guesses[0].correlation - 0.2


def midi(messages: list[mido.Message], *, kind: int = 1, ticks: int = 480) -> bytes:
    file = mido.MidiFile(type=kind, ticks_per_beat=ticks)
    file.tracks.append(mido.MidiTrack(messages))
    out = io.BytesIO()
    file.save(file=out)
    return out.getvalue()


def pressed(note: int, time: int, *, velocity: int = 100, channel: int = 0) -> mido.Message:
    return mido.Message("note_on", note=note, time=time, velocity=velocity, channel=channel)


def test_notes_are_read_without_a_tempo_and_without_drums() -> None:
    data = midi(
        [pressed(34, 480), pressed(36, 0, channel=9), pressed(34, 240), pressed(34, 480, velocity=0), pressed(41, 0)]
    )
    # Begun again while held: the first ends there. Never let go: it is kept, as short as can be.
    assert read_notes(data) == [(1.0, 0.5, 34), (1.5, 1.0, 34), (2.5, 1 / 480, 41)]


WHOLE = midi([pressed(34, 0), pressed(34, 480, velocity=0)])


@pytest.mark.parametrize(
    ("data", "says"),
    [
        (b"", "not a MIDI file"),
        (b"RIFF....WAVE", "not a MIDI file"),
        (WHOLE[:20], "cut off"),
        (WHOLE[:-6], "cut off"),
        (midi([pressed(34, 0)], kind=2), "type 2"),
        (midi([pressed(34, 1, velocity=k % 2) for k in range(100_000)]), "more than 50000 events"),
    ],
    ids=["empty", "a sound", "head alone", "cut off", "type 2", "100,000 events"],
)
def test_what_is_no_notes_is_said(data: bytes, says: str) -> None:
    with pytest.raises(InvalidMidi, match=says):
        read_notes(data)


@pytest.mark.parametrize(
    ("notes", "wanted", "bars"),
    [
        # A chord: its lowest; a note that lasts into the next ends there.
        ([(0, 4, 46), (0.01, 4, 34), (2, 2, 41)], [(0, 2, 34), (2, 2, 41)], 1),
        # Written high: moved by whole octaves to where a bass is.
        ([(0, 1, 70), (1, 1, 65), (5, 4, 70)], [(0, 1, 34), (1, 1, 29), (5, 4, 34)], 3),
        ([(0, 1, 10), (1, 1, 17)], [(0, 1, 34), (1, 1, 41)], 1),
        # What lies beyond sixteen bars is left out; a length of nothing is as short as can be.
        ([(63, 0.0001, 34), (64, 1, 36)], [(63, 1 / 64, 34)], 16),
        ([], [], 1),
    ],
)
def test_the_lowest_notes_become_a_line(
    notes: list[tuple[float, float, int]], wanted: list[tuple[float, float, int]], bars: int
) -> None:
    line = lowest_line(notes)
    assert [(one.at_beats, one.length_beats, one.note) for one in line] == wanted
    assert bars_of(line) == bars


def test_a_line_of_any_length_is_one_a_track_can_have() -> None:
    rng = np.random.default_rng(3)
    notes = [(float(at), float(length), int(n)) for at, length, n in zip(
        np.sort(rng.uniform(0, 80, 3000)), rng.uniform(0, 3, 3000), rng.integers(0, 128, 3000), strict=True
    )]  # fmt: skip
    track = Track.model_validate({"bass_notes": [one.model_dump() for one in lowest_line(notes)]})
    assert len(track.bass_notes) == 512
    ends = [one.at_beats + one.length_beats for one in track.bass_notes]
    assert all(end < after.at_beats + 1e-6 for end, after in zip(ends, track.bass_notes[1:], strict=False))

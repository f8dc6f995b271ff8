"""Roots of the bars: read and heard in progressions of all keys as a library reads them, and a line put on them."""

from __future__ import annotations

import itertools
import json

import music21
import numpy as np
import pytest
from pydantic import ValidationError

from juglant.core.analysis.analyse import analyse
from juglant.core.commands.lines import LineOnRoots
from juglant.core.errors import InvalidTrack
from juglant.core.findings.registry import find_all
from juglant.core.loop.render import render_stem
from juglant.core.measure.landing import measure_landing
from juglant.core.model.stem import BASS, StemRef
from juglant.core.model.strokes import BassNote
from juglant.core.model.track import Track, track_from_json, track_to_json
from juglant.core.music.notes import note_hz
from juglant.core.tune.roots import BarRoots, bass_octave, off_roots, root_of, roots_of_notes, roots_of_sound
from juglant.core.tune.targets import chord_roots
from juglant.demo.kit import with_kit, with_targets
from juglant.services.roots import heard_roots, roots_of_part

RATE, BPM = 48000, 120.0
BAR = 2 * RATE
STEPS = {"major": (0, 2, 4, 5, 7, 9, 11), "natural minor": (0, 2, 3, 5, 7, 8, 10)}
PROGRESSIONS = {"major": (0, 4, 5, 3), "natural minor": (0, 5, 2, 6)}
EVERY = [(tonic, mode) for tonic in range(12) for mode in STEPS]


def chords(tonic: int, mode: str, degrees: tuple[int, ...], inversion: int = 0) -> list[list[int]]:
    """Triads of a key above their roots in the bass, in close position from C4 and turned over."""

    def note(degree: int, low: int) -> int:
        return low + tonic + STEPS[mode][degree % 7] + 12 * (degree // 7)

    out = []
    for degree in degrees:
        above = [note(degree + third, 60) + (12 if place < inversion else 0) for place, third in enumerate((0, 2, 4))]
        out.append([note(degree, 36), *above])
    return out


def written(progression: list[list[int]]) -> list[tuple[float, float, int]]:
    return [(4.0 * bar, 4.0, note) for bar, chord in enumerate(progression) for note in chord]


def sounding(progression: list[list[int]], a4_hz: float = 440.0) -> np.ndarray:
    time = np.arange(BAR) / RATE
    out = []
    for chord in progression:
        tone = sum(np.sin(2 * np.pi * note_hz(note, a4_hz) * k * time) / k**1.5 for note in chord for k in range(1, 5))
        out.append(0.1 * np.asarray(tone) * np.exp(-0.7 * time))
    return np.concatenate(out)


def theirs(chord: list[int]) -> int:
    return int(music21.chord.Chord(chord).root().pitchClass)


@pytest.mark.parametrize(("tonic", "mode"), EVERY)
@pytest.mark.parametrize("inversion", [0, 1, 2])
def test_roots_of_written_chords_are_a_librarys_roots(tonic: int, mode: str, inversion: int) -> None:
    """Library: music21."""
    progression = chords(tonic, mode, PROGRESSIONS[mode], inversion)
    found = roots_of_notes(written(progression), len(progression))
    assert [one.guesses[0].root for one in found] == [theirs(chord) for chord in progression]


@pytest.mark.parametrize(("tonic", "mode"), EVERY)
def test_roots_of_sounding_chords_are_a_librarys_roots(tonic: int, mode: str) -> None:
    """Library: music21. With and without the bass under them, and at another concert pitch."""
    progression = chords(tonic, mode, PROGRESSIONS[mode])
    expected = [theirs(chord) for chord in progression]
    for audio, a4_hz in ((sounding(progression), 440.0), (sounding(progression, 432.0), 432.0)):
        found = roots_of_sound(audio, len(progression), bpm=BPM, a4_hz=a4_hz, sample_rate=RATE)
        assert [one.guesses[0].root for one in found] == expected
    alone = sounding([chord[1:] for chord in progression])
    found = roots_of_sound(alone, len(progression), bpm=BPM, a4_hz=440.0, sample_rate=RATE)
    # Without a bass it is among the two likeliest, and mostly the first.
    assert all(root in [guess.root for guess in one.guesses[:2]] for one, root in zip(found, expected, strict=True))
    assert sum(one.guesses[0].root == root for one, root in zip(found, expected, strict=True)) >= 3


def test_how_sure_it_is_says_what_there_is_to_know() -> None:
    triad, none = np.zeros(12), np.zeros(12)
    triad[[0, 4, 7]] = 1
    bass = np.zeros(12)
    bass[0] = 1
    sure, unsure = root_of(triad, bass)[0], root_of(np.ones(12), none)[0]
    assert sure.root == 0
    assert sure.confidence > 0.8
    assert unsure.confidence < 0.15
    assert root_of(none, none) == ()
    with pytest.raises(ValueError, match="12"):
        root_of(np.zeros(11), none)
    silent = roots_of_sound(np.zeros(2 * BAR), 2, bpm=BPM, a4_hz=440, sample_rate=RATE)
    assert silent == (BarRoots(0, ()), BarRoots(1, ()))


def said(track: Track, *roots: int | None) -> Track:
    return track.model_copy(update={"sheet": track.sheet.model_copy(update={"roots": roots})})


def test_a_note_stands_on_its_bars_root_under_every_kick(untouched: Track) -> None:
    # B flat, G flat, none, F.
    track = said(untouched, 10, 6, None, 5)
    made = LineOnRoots().done(track).track
    notes = {note.at_beats: note for note in made.bass_notes}
    for at in track.kick_at_beats:
        root = (10, 6, None, 5)[int(at // 4)]
        if root is None:
            assert notes.get(at) == {note.at_beats: note for note in track.bass_notes}.get(at)
            continue
        number = notes[at].note
        assert number % 12 == root
        # The lowest that a small club plays (45 Hz), under an octave over it.
        assert 45 <= note_hz(number, track.sheet.a4_hz) < 90.1
        assert number == bass_octave(root, track.sheet.a4_hz)
    # Nothing else of the line goes, and one voice it stays.
    kept = [note.at_beats for note in track.bass_notes if note.at_beats not in track.kick_at_beats]
    assert set(kept) <= set(notes)
    order = sorted(notes)
    assert all(notes[a].at_beats + notes[a].length_beats <= b + 1e-9 for a, b in itertools.pairwise(order))
    # Heard: the note under the second kick of bar 2 is G flat.
    start = round(5 * 60 / track.sheet.bpm * RATE)
    length = round(notes[5.0].length_beats * 60 / track.sheet.bpm * RATE)
    alone = render_stem(made, BASS.of("before"))[start : start + length]
    landed = measure_landing(np.asarray(alone), sample_rate=RATE).landing_hz
    assert landed is not None
    assert 1200 * np.log2(landed / note_hz(notes[5.0].note, track.sheet.a4_hz)) == pytest.approx(0, abs=30)
    # Again it changes nothing.
    assert LineOnRoots().done(made).track == made


@pytest.mark.parametrize(
    ("change", "why"),
    [
        (lambda track: track, "no root is said"),
        (lambda track: said(track, None, None), "no root is said"),
        (lambda track: said(track, 1).having(kick_at_beats=(4.0,), kick_strokes=()), "no kick"),
        (
            lambda track: said(track, 1).having(bass=track.bass.model_copy(update={"source": "recorded line"})),
            "recorded line",
        ),
    ],
)
def test_what_cannot_be_written_is_said(change: object, why: str, untouched: Track) -> None:
    with pytest.raises(InvalidTrack, match=why):
        LineOnRoots().done(change(untouched))  # type: ignore[operator]


def test_notes_off_the_root_are_shown_and_a_fifth_is_not(untouched: Track) -> None:
    notes = tuple(BassNote(at_beats=float(at), length_beats=0.5, note=note) for at, note in enumerate((34, 41, 37, 36)))
    track = said(untouched.having(bass_notes=notes), 10)
    assert [note.note for note in off_roots(track)] == [37, 36]
    (found,) = [one for one in find_all(analyse(track)) if one.id == "line-off-roots"]
    assert found.value == 2
    assert found.place_beats == 2
    assert off_roots(untouched) == []


def test_what_is_said_counts_before_what_the_line_holds(untouched: Track) -> None:
    own = dict(chord_roots(untouched))
    roots = dict(chord_roots(said(untouched, 3)))
    assert roots[0] % 12 == 3
    assert {bar: root for bar, root in roots.items() if bar} == {bar: root for bar, root in own.items() if bar}


def test_a_part_proposes_roots_and_is_heard_against_them(solved: Track) -> None:
    demo = with_targets(with_kit(solved))
    found = roots_of_part(demo, "pad")
    assert len(found) == demo.sheet.bars
    assert all(one.guesses and 0 < one.guesses[0].confidence <= 1 for one in found)
    # What is held under it is there: with it the root's octave stands out of the loop.
    roots = [one.guesses[0].root for one in found]
    plain = render_stem(demo, StemRef("pad"))
    heard = heard_roots(demo, "pad", list(roots))
    assert len(heard) > 4 * plain.shape[-1]
    with pytest.raises(InvalidTrack, match="no root"):
        heard_roots(demo, "pad", [None, None])
    line = roots_of_part(demo, "bass")
    assert next(one.guesses[0].root for one in line) == dict(chord_roots(demo))[0] % 12


def test_roots_are_stored_and_refused_where_they_are_none(untouched: Track) -> None:
    track = said(untouched, 10, None, 0)
    assert track_from_json(track_to_json(track)) == track
    document = json.loads(track_to_json(track))
    document["sheet"]["roots"] = [12]
    with pytest.raises((InvalidTrack, ValidationError), match="roots"):
        track_from_json(json.dumps(document))

"""Tuning: targets and schools, the line's notes, the kick against them, equal loudness; beats counted in the sum."""

from __future__ import annotations

import music21
import numpy as np
import pytest
from scipy import signal as dsp
from support import sheet_with

from juglant.core.analysis.analyse import Analysis, analyse
from juglant.core.errors import InvalidTrack
from juglant.core.findings.line_findings import notes_overlap
from juglant.core.findings.tune_findings import kit_out_of_key
from juglant.core.measure.timing import low_band_envelope
from juglant.core.model.hit import Hit, Layer
from juglant.core.model.part import Part
from juglant.core.model.strokes import BassNote
from juglant.core.model.track import Intended, Track
from juglant.core.music.loudness import equal_loudness_db
from juglant.core.music.notes import cents_between, note_hz
from juglant.core.pictures.ladder import draw_ladder, nearest_moves
from juglant.core.pictures.line import draw_line
from juglant.core.synth.clap import Clap
from juglant.core.synth.sweep import Sweep
from juglant.core.synth.tail import Tail
from juglant.core.tune.cure import evened, without_beats
from juglant.core.tune.line import meetings, note_map
from juglant.core.tune.retune import tuned
from juglant.core.tune.systems import SYSTEMS, not_played_by, played_by
from juglant.core.tune.targets import advice, targets


def tom(landing_hz: float, **source: float) -> Hit:
    settings = {"start_semitones": 4, "sweep_ms": 30, "decay_ms": 300, **source}
    return Hit(layers=(Layer(id="a", name="A", source=Sweep(landing_hz=landing_hz, **settings)),))  # type: ignore[arg-type]


@pytest.fixture(scope="module")
def kit(untouched: Track) -> Track:
    hits = (
        Part(id="low", name="Low", role="tom", hit=tom(96)),
        Part(id="high", name="High", role="tom", hit=tom(151)),
        Part(id="clap", name="Clap", role="clap", hit=Hit(layers=(Layer(id="a", name="A", source=Clap()),))),
    )
    return untouched.having(kit=hits)


@pytest.mark.parametrize(("phon", "hz", "spl"), [(40, 1000, 40.0), (40, 100, 64.4), (40, 50, 77.8), (80, 100, 92.5)])
def test_equal_loudness_contours(phon: float, hz: float, spl: float) -> None:
    """ISO 226:2003 (values from memory, to a decibel)."""
    assert equal_loudness_db(hz, phon) == pytest.approx(spl, abs=1)


@pytest.mark.parametrize(("hz", "phon"), [(19, 40), (1200, 40), (100, 10), (100, 95)])
def test_contours_end_where_the_standard_does(hz: float, phon: float) -> None:
    with pytest.raises(ValueError, match="must be"):
        equal_loudness_db(hz, phon)


@pytest.mark.parametrize(
    ("tonic", "scale"), [("Bb", "natural minor"), ("E", "major"), ("F#", "dorian"), ("C", "minor pentatonic")]
)
def test_targets_are_notes_of_the_key_and_their_moves_add_up(untouched: Track, tonic: str, scale: str) -> None:
    """Degrees against music21's scales (library)."""
    track = sheet_with(untouched, tonic=tonic, scale=scale)
    made = {
        "natural minor": music21.scale.MinorScale, "major": music21.scale.MajorScale, "dorian": music21.scale.DorianScale,
    }.get(scale)  # fmt: skip
    names = {"Bb": "B-"}.get(tonic, tonic)
    if made is not None:
        classes = {pitch.pitchClass for pitch in made(names).getPitches()}
    else:
        classes = {0, 3, 5, 7, 10}
    for is_kick in (True, False):
        found = targets(track, 55.7, most=40, length_ms=400, is_kick=is_kick)
        assert found
        for one in found:
            assert one.note % 12 in classes
            assert 55.7 * 2 ** (one.shift_cents / 1200) == pytest.approx(one.frequency_hz, rel=1e-9)
            assert one.length_ms == pytest.approx(400 * 55.7 / one.frequency_hz)


def test_schools_ask_for_what_they_are_named_after(untouched: Track) -> None:
    found = {one.school: one for one in advice(untouched, 55.7, length_ms=300)}
    assert found["tonic"].target is not None
    assert found["tonic"].target.name == "Bb1"
    assert found["fifth"].target is not None
    assert found["fifth"].target.name.startswith("F")
    assert found["unpitched"].target is None
    assert "shorter than 72 ms" in found["unpitched"].reason
    lines = ((0, 34), (4, 39), (8, 41), (12, 34))
    moving = untouched.having(bass_notes=tuple(BassNote(at_beats=at, length_beats=1, note=note) for at, note in lines))
    chords = next(one for one in advice(moving, 55.7) if one.school == "chords")
    assert "3 roots" in chords.reason
    assert next(one for one in advice(Track(), 55.7) if one.school == "chords").target is None


def test_a_whole_kit_is_tuned_and_the_unpitched_stay(kit: Track) -> None:
    ladder = draw_ladder(kit)
    verdicts = {one.id: one.verdict for one in ladder.hits}
    assert verdicts["clap"] == "none"
    assert verdicts["low"] == verdicts["high"] == "firm"
    moves = nearest_moves(ladder.hits)
    assert set(moves) == {"kick", "low", "high"}
    track = kit
    for hit_id, hz in moves.items():
        track = tuned(track, hit_id, hz)
    for one in draw_ladder(track).hits:
        assert one.off_cents is None or abs(one.off_cents) < 0.6
    assert kit_out_of_key(analyse(track)) == []
    assert {one.id for one in kit_out_of_key(analyse(kit))} == {"out-of-key-low", "out-of-key-high"}
    with pytest.raises(InvalidTrack, match="no measured pitch"):
        tuned(kit, "clap", 100)


def test_marked_as_intended_it_stays(kit: Track) -> None:
    off = next(one.off_cents for one in draw_ladder(kit).hits if one.id == "low")
    assert off is not None
    quiet = kit.model_copy(update={"intended": (Intended(finding="out-of-key-low", value=abs(off)),)})
    assert "low" not in nearest_moves(draw_ladder(quiet).hits)
    # Until its value changes.
    other = kit.model_copy(update={"intended": (Intended(finding="out-of-key-low", value=abs(off) / 2),)})
    assert "low" in nearest_moves(draw_ladder(other).hits)


def test_the_note_map_evens_the_line(untouched: Track) -> None:
    rows = note_map(untouched)
    assert [row.note for row in rows] == sorted({note.note for note in untouched.notes()})
    assert rows[0].root_semitones == 0
    assert rows[1].root_semitones == pytest.approx(rows[1].note - rows[0].note)
    even = evened(untouched, "K-weighted")
    for row in rows:
        gain = next(note.gain_db for note in even.bass_notes if note.note == row.note)
        assert row.loudness_db + gain == pytest.approx(rows[0].loudness_db + even.bass_notes[0].gain_db, abs=0.02)
    by_ear = evened(untouched, "equal-loudness contour")
    lowest, highest = (next(n.gain_db for n in by_ear.bass_notes if n.note == rows[k].note) for k in (0, -1))
    assert lowest > highest


def test_every_system_has_its_limit_in_one_place() -> None:
    assert not_played_by(1000) == ()
    assert played_by(10) == ()
    assert {*played_by(60), *not_played_by(60)} == {system.name for system in SYSTEMS}


def beating_track(apart_hz: float) -> Track:
    """One long kick and one long bass note, `apart_hz` apart and equally loud."""
    note = 34
    hz = note_hz(note, 440) + apart_hz
    hit = Hit(layers=(Layer(id="a", name="A", source=Tail(landing_hz=hz, hold_ms=1200, decay_ms=2000, attack_ms=2)),))
    return Track.model_validate(
        {
            "kick": hit, "kick_at_beats": (0.0,), "bass_notes": ({"at_beats": 0, "length_beats": 4, "note": note},),
            "bass": {"harmonics_pct": 0, "blip_db": -60}, "mix": {"kick_gain_db": -8, "bass_gain_db": -8},
            "sheet": {"bpm": 100, "bars": 2},
        }
    )  # fmt: skip


@pytest.mark.parametrize("apart_hz", [1.5, 2.5, 4, 6.5])
def test_beats_are_counted_as_they_are_in_the_sum(apart_hz: float) -> None:
    """Textbook acoustics (Helmholtz): the rate is |f1 - f2|. Counted as dips of the rendered sum's envelope."""
    found = analyse(beating_track(apart_hz))
    (one,) = meetings(found)
    assert one.apart_hz == pytest.approx(apart_hz, abs=0.03)
    assert one.verdict == "beating"
    assert one.cents == pytest.approx(cents_between(note_hz(34, 440) + apart_hz, note_hz(34, 440)), abs=1)
    rate = found.track.sheet.sample_rate
    window = round(one.overlap_ms / 1000 * rate)
    envelope, slow = low_band_envelope((found.stems.kick + found.stems.bass)[:window], sample_rate=rate)
    dips, _ = dsp.find_peaks(-envelope, prominence=0.2 * float(envelope.max()))
    between = np.diff(dips) / slow
    assert np.median(1 / between) == pytest.approx(apart_hz, rel=0.05)
    assert dips.size == pytest.approx(one.beats_heard, abs=1)


def test_the_cut_that_is_named_cures_the_beating() -> None:
    track = beating_track(1.2)
    found = analyse(track)
    before = draw_line(found)
    assert before.longest_cut_ms is not None
    assert before.meetings[0].verdict == "beating"
    (after,) = meetings(analyse(without_beats(track)))
    assert after.verdict == "clean"
    assert after.beats_heard < 0.25
    with pytest.raises(InvalidTrack, match="short enough as it is"):
        without_beats(without_beats(track))


def test_nothing_to_compare_is_nothing(found: Analysis) -> None:
    bare = analyse(found.track.having(bass_notes=()))
    assert meetings(bare) == []
    assert draw_line(bare).notes == ()


def test_notes_written_over_each_other_are_said_and_ended(untouched: Track) -> None:
    """Also the same note twice at one place: nothing of it is heard, and it is kept until the fix is applied."""
    lines = ((0, 2, 34), (1, 1, 39), (1, 0.5, 39), (3, 0.5, 34))
    notes = tuple(BassNote(at_beats=at, length_beats=length, note=note) for at, length, note in lines)
    track = untouched.having(bass_notes=notes)
    (said,) = notes_overlap(analyse(track))
    assert (said.value, said.severity) == (2, "note")
    fixed = said.fixes[0].track
    assert fixed is not None
    assert [(note.at_beats, note.length_beats) for note in fixed.bass_notes] == [(0, 1), (1, 1), (3, 0.5)]
    assert notes_overlap(analyse(fixed)) == []
    assert notes_overlap(analyse(untouched)) == []

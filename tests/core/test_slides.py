"""Slides and bends of single notes: the pitch follows them, the length stays, and what has none is as it was."""

from __future__ import annotations

import numpy as np
import pytest
from pydantic import ValidationError
from support import same_sound

from juglant.core.errors import InvalidTrack
from juglant.core.loop.render import render_stem
from juglant.core.model.stem import BASS
from juglant.core.model.strokes import BassNote
from juglant.core.model.track import Track
from juglant.core.music.notes import note_hz
from juglant.core.synth.bass import Bass
from juglant.core.types import Samples

RATE = 48000
PLAIN = Bass(harmonics_pct=0, blip_db=-60, drive_db=0, attack_ms=1, release_ms=3)


def line(track: Track, *notes: BassNote, bass: Bass = PLAIN) -> Samples:
    made = track.having(bass=bass, bass_notes=notes)
    return render_stem(made, BASS.of("before"))


def hz_at(stem: Samples, at_s: float, around_s: float = 0.02) -> float:
    """The frequency of a plain sine around a moment, from where it crosses zero upwards, on straight lines."""
    first, last = round((at_s - around_s) * RATE), round((at_s + around_s) * RATE)
    piece = stem[first:last]
    ups = np.flatnonzero((piece[:-1] < 0) & (piece[1:] >= 0))
    places = ups + piece[ups] / (piece[ups] - piece[ups + 1])
    return RATE * (places.size - 1) / float(places[-1] - places[0])


def test_a_note_slides_from_the_one_before_and_arrives_in_its_time(untouched: Track) -> None:
    beat = 60 / untouched.sheet.bpm
    low, high = 45, 57
    stem = line(
        untouched,
        BassNote(at_beats=0, length_beats=2, note=low),
        BassNote(at_beats=2, length_beats=2, note=high, slide_ms=400),
    )
    start = 2 * beat
    for ms, share in ((60, 0.85), (200, 0.5), (340, 0.15)):
        expected = note_hz(high, 440) * 2 ** (-share)
        found = hz_at(stem, start + ms / 1000)
        assert 1200 * np.log2(found / expected) == pytest.approx(0, abs=15), ms
    assert hz_at(stem, start + 0.6) == pytest.approx(note_hz(high, 440), rel=1e-3)
    assert hz_at(stem, start - 0.3) == pytest.approx(note_hz(low, 440), rel=1e-3)


def test_a_note_bends_until_it_ends(untouched: Track) -> None:
    beat = 60 / untouched.sheet.bpm
    stem = line(untouched, BassNote(at_beats=0, length_beats=2, note=57, bend_cents=-1200))
    for share in (0.25, 0.5, 0.75):
        expected = note_hz(57, 440) * 2 ** (-share)
        assert 1200 * np.log2(hz_at(stem, share * 2 * beat) / expected) == pytest.approx(0, abs=15)
    # It is as long as it was, and ends in silence.
    end = round(2 * beat * RATE)
    assert not np.any(np.abs(stem[end + 10 : end + 2000]) > 1e-6)
    assert np.max(np.abs(stem[end - 2000 : end - 200])) > 0.01


@pytest.mark.parametrize("source", ["sub", "saw", "pulse", "fm pluck"])
def test_every_source_follows_and_nothing_folds_back(source: str, untouched: Track) -> None:
    bass = Bass(source=source)  # type: ignore[arg-type]
    note = BassNote(at_beats=2, length_beats=2, note=45, slide_ms=300)
    notes = (BassNote(at_beats=0, length_beats=1, note=33), note)
    slid, straight = (line(untouched, notes[0], one, bass=bass) for one in (note, note.model_copy(update={"slide_ms": 0})))
    assert not same_sound(slid, straight, within=1e-3)
    spectrum = np.abs(np.fft.rfft(slid)) ** 2
    hz = np.fft.rfftfreq(slid.size, 1 / RATE)
    assert 10 * np.log10(spectrum[hz > 22000].sum() / spectrum.sum()) < -70
    # After it has arrived it is at its pitch: what differs is its phase.
    beat = 60 / untouched.sheet.bpm
    late = slice(round((2 * beat + 0.5) * RATE), round((2 * beat + 0.8) * RATE))
    loud = [float(np.sqrt(np.mean(one[late] ** 2))) for one in (slid, straight)]
    assert 20 * np.log10(loud[0] / loud[1]) == pytest.approx(0, abs=1.5)


@pytest.mark.parametrize(
    "changes",
    [{"slide_ms": 0.0, "bend_cents": 0.0}, {"slide_ms": 200.0}],
    ids=["neither", "from the same pitch"],
)
def test_where_there_is_nowhere_to_slide_from_it_is_as_it_was(changes: dict[str, float], untouched: Track) -> None:
    notes = tuple(BassNote(at_beats=float(at), length_beats=0.5, note=34) for at in range(4))
    moved = tuple(note.model_copy(update=changes) for note in notes)
    assert same_sound(line(untouched, *moved), line(untouched, *notes))


def test_limits_are_kept() -> None:
    for change in ({"slide_ms": 501}, {"bend_cents": 1201}, {"slide_ms": -1}):
        with pytest.raises((InvalidTrack, ValidationError)):
            BassNote(at_beats=0, length_beats=1, note=40, **change)  # type: ignore[arg-type]

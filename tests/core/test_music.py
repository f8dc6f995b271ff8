"""Notes, keys and tempo."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from juglant.core.music.notes import cents_between, nearest_note, note_hz, note_name, note_number, pitch_class
from juglant.core.music.scales import nearest_scale_note, spelled
from juglant.core.music.tempo import beat_ms, frame_at, tempo_table

# Published: MIDI 1.0 note numbers at ISO 16 concert pitch (A4 = 440 Hz), as printed in handbook tables.
TABLE = [
    (23, "B0", 30.868),
    (25, "C#1", 34.648),
    (27, "Eb1", 38.891),
    (31, "G1", 48.999),
    (34, "Bb1", 58.270),
    (36, "C2", 65.406),
    (46, "Bb2", 116.541),
    (69, "A4", 440.0),
]


@pytest.mark.parametrize(("number", "name", "frequency_hz"), TABLE)
def test_notes_of_the_published_table(number: int, name: str, frequency_hz: float) -> None:
    assert note_hz(number, 440) == pytest.approx(frequency_hz, abs=0.0006)
    assert nearest_note(frequency_hz, 440)[0] == number
    assert note_name(number) == name


@given(st.floats(20, 5000), st.floats(415, 466))
def test_a_note_and_its_cents_lead_back_to_the_frequency(frequency_hz: float, a4_hz: float) -> None:
    number, cents = nearest_note(frequency_hz, a4_hz)
    assert -50 <= cents <= 50
    assert note_hz(number + cents / 100, a4_hz) == pytest.approx(frequency_hz, rel=1e-9)


@pytest.mark.parametrize("bad", [0.0, -5.0, float("nan"), float("inf")])
def test_no_note_for_what_is_no_frequency(bad: float) -> None:
    with pytest.raises(ValueError, match="frequency_hz must be above 0"):
        note_number(bad, 440)


@pytest.mark.parametrize(
    ("number", "tonic", "scale", "middle_c", "name"),
    [
        (34, "Bb", "natural minor", "C4", "Bb1"),
        (30, "Bb", "natural minor", "C4", "Gb1"),
        (30, "F#", "natural minor", "C4", "F#1"),
        (35, "Gb", "major", "C4", "Cb2"),  # Cb belongs to the octave of its letter
        (36, "C#", "major", "C4", "B#1"),
        (34, "Bb", "natural minor", "C3", "Bb0"),
        (33, "Bb", "harmonic minor", "C4", "A1"),
        (37, "C", "chromatic", "C4", "C#2"),
    ],
)
def test_spelling_in_a_key(number: int, tonic: str, scale: str, middle_c: str, name: str) -> None:
    assert spelled(number, tonic, scale, middle_c) == name  # type: ignore[arg-type]


def test_nearest_note_of_the_key_may_be_over_fifty_cents_away() -> None:
    # A1 (55 Hz) is not in B flat natural minor: its neighbours A flat and B flat are 100 cents away.
    number, cents = nearest_scale_note(55.1, "Bb", "natural minor", 440)
    assert number == 34
    assert cents == pytest.approx(cents_between(55.1, note_hz(34, 440)))
    assert abs(cents) > 90


@pytest.mark.parametrize(("name", "number"), [("C", 0), ("B", 11), ("Bb", 10), ("C#", 1), ("Cb", 11), ("Gb", 6), ("B#", 0)])
def test_pitch_classes(name: str, number: int) -> None:
    assert pitch_class(name) == number


@pytest.mark.parametrize(("bpm", "ms"), [(120, 500.0), (126, 476.190), (60, 1000.0), (174, 344.828)])
def test_a_beat_in_ms_is_60000_over_bpm(bpm: float, ms: float) -> None:
    # Common practice: the longest un-cut kick on every beat is 60,000 / BPM ms.
    assert beat_ms(bpm) == pytest.approx(ms, abs=0.0005)


def test_tempo_table_by_closed_form() -> None:
    rows = {(row.name, row.form): row for row in tempo_table(126, 48000)}
    assert len(rows) == 21
    sixteenth = rows["1/16", "straight"]
    assert sixteenth.ms == pytest.approx(60000 / 126 / 4)
    assert sixteenth.hz == pytest.approx(126 / 60 * 4)
    assert sixteenth.samples == pytest.approx(sixteenth.ms * 48)
    assert rows["1/8", "dotted"].ms == pytest.approx(1.5 * rows["1/8", "straight"].ms)
    assert 3 * rows["1/4", "triplet"].ms == pytest.approx(2 * rows["1/4", "straight"].ms)


@given(st.integers(0, 31), st.floats(40, 260), st.sampled_from([44100, 48000, 88200, 96000]))
def test_events_are_placed_from_zero(beat: int, bpm: float, rate: int) -> None:
    assert abs(frame_at(beat, bpm, rate) - beat * 60 / bpm * rate) <= 0.5

"""Tempo arithmetic: beats, milliseconds, samples and the table of note values."""

from __future__ import annotations

from dataclasses import dataclass

MINUTE_MS = 60_000.0
# A bar is four quarters; a loop is at most so many of them.
BEATS_PER_BAR, MOST_BARS = 4, 16
NOTE_VALUES_BEATS = {"1/1": 4.0, "1/2": 2.0, "1/4": 1.0, "1/8": 0.5, "1/16": 0.25, "1/32": 0.125, "1/64": 0.0625}
FORMS = {"straight": 1.0, "dotted": 1.5, "triplet": 2 / 3}


def beat_ms(bpm: float) -> float:
    """Length of one beat in milliseconds: 60,000 / BPM, also the longest kick on every beat that is not cut."""
    return MINUTE_MS / bpm


def frame_at(at_beats: float, bpm: float, sample_rate: int) -> int:
    """Sample at which a beat position sounds, computed from zero so that nothing accumulates."""
    return round(at_beats * 60 / bpm * sample_rate)


@dataclass(frozen=True)
class NoteValue:
    """One row of the tempo table."""

    name: str
    form: str
    beats: float
    ms: float
    hz: float
    samples: float


def tempo_table(bpm: float, sample_rate: int) -> list[NoteValue]:
    """Every note value, straight, dotted and triplet, in beats, ms, Hz and samples."""
    rows = []
    for name, beats in NOTE_VALUES_BEATS.items():
        for form, factor in FORMS.items():
            ms = beats * factor * beat_ms(bpm)
            rows.append(NoteValue(name, form, beats * factor, ms, 1000 / ms, ms * sample_rate / 1000))
    return rows


def told_in_bars(at_beats: float) -> str:
    """A place of the loop as bar and beat, both counted from 1, as 2.3 or 1.4.5."""
    return f"{int(at_beats // BEATS_PER_BAR) + 1}.{at_beats % BEATS_PER_BAR + 1:.4g}"

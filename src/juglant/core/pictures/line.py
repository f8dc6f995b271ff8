"""The bass line as the Tune step shows it: a map of its notes, and the kick against each of them."""

from __future__ import annotations

import numpy as np

from juglant.core.analysis.analyse import Analysis
from juglant.core.measure.timing import low_band_envelope
from juglant.core.music.notes import note_name
from juglant.core.music.scales import key_spelling, spelled
from juglant.core.music.tempo import frame_at
from juglant.core.pictures.strip import Picture, rounded
from juglant.core.tune.line import Meeting, Verdict, meetings, note_map
from juglant.core.types import Samples

ENVELOPE_POINTS = 120
BEFORE_BEATS, AFTER_BEATS = 0.05, 0.1


class NoteMapRow(Picture):
    """One note of the line: names in both octave conventions, transposition, who plays it, level and what evens it."""

    note: int
    name: str
    name_c3: str
    name_c4: str
    count: int
    frequency_hz: float
    measured_hz: float | None
    root_semitones: float
    speed_ms: float | None
    not_played_by: tuple[str, ...]
    loudness_db: float
    even_db: float
    contour_db: float
    advice: str | None


class MeetingView(Picture):
    """The kick against one note: interval, nearest partials, beats heard where it beats most, and the sum's envelope there.

    envelope: low band of kick and bass together from `from_beats` to `to_beats`, re its largest value.
    """

    note: int
    name: str
    cents: float
    apart_hz: float | None
    beats_heard: float
    overlap_ms: float
    at_beats: float
    from_beats: float
    to_beats: float
    verdict: Verdict
    cut_ms: float | None
    envelope: tuple[float, ...]


class Line(Picture):
    """Everything about the line; even_spread_db: loudest less quietest note."""

    notes: tuple[NoteMapRow, ...]
    meetings: tuple[MeetingView, ...]
    even_spread_db: float | None
    longest_cut_ms: float | None


def moment(found: Analysis, from_beats: float, to_beats: float) -> Samples:
    """Kick and bass as heard between two places of the loop, its wrap in, (frames,)."""
    sheet, loop = found.track.sheet, found.stems.kick + found.stems.bass
    first, last = (frame_at(at, sheet.bpm, sheet.sample_rate) for at in (from_beats, to_beats))
    return np.asarray(loop[np.arange(first, max(last, first + 1)) % loop.size])


def _view(found: Analysis, meeting: Meeting) -> MeetingView:
    sheet = found.track.sheet
    start, end = meeting.at_beats - BEFORE_BEATS, meeting.at_beats + meeting.length_beats + AFTER_BEATS
    envelope, _ = low_band_envelope(moment(found, start, end), sample_rate=sheet.sample_rate)
    at = np.linspace(0, envelope.size - 1, ENVELOPE_POINTS).astype(int)
    return MeetingView(
        note=meeting.note,
        name=spelled(meeting.note, sheet.tonic, sheet.scale, sheet.middle_c),
        cents=round(meeting.cents, 1),
        apart_hz=None if meeting.apart_hz is None else round(meeting.apart_hz, 2),
        beats_heard=round(meeting.beats_heard, 3),
        overlap_ms=round(meeting.overlap_ms, 1),
        at_beats=meeting.at_beats,
        from_beats=start,
        to_beats=end,
        verdict=meeting.verdict,
        cut_ms=None if meeting.cut_ms is None else round(meeting.cut_ms, 1),
        envelope=rounded(envelope[at] / max(float(envelope.max()), 1e-12), 3),
    )


def draw_line(found: Analysis) -> Line:
    """The note map of the line and the kick against it."""
    track = found.track
    sheet = track.sheet
    names = key_spelling(sheet.tonic, sheet.scale)
    rows = [
        NoteMapRow(
            note=row.note,
            name=spelled(row.note, sheet.tonic, sheet.scale, sheet.middle_c),
            name_c3=note_name(row.note, names=names, middle_c="C3"),
            name_c4=note_name(row.note, names=names, middle_c="C4"),
            count=row.count,
            frequency_hz=round(row.frequency_hz, 3),
            measured_hz=found.note_hz.get(row.note),
            root_semitones=round(row.root_semitones, 2),
            speed_ms=None if row.speed_ms is None else round(row.speed_ms, 1),
            not_played_by=row.not_played_by,
            loudness_db=round(row.loudness_db, 2),
            even_db=round(row.even_db, 2),
            contour_db=round(row.contour_db, 2),
            advice=row.advice,
        )
        for row in note_map(track)
    ]
    met = meetings(found)
    levels = [row.loudness_db for row in rows]
    return Line(
        notes=tuple(rows),
        meetings=tuple(_view(found, one) for one in met),
        even_spread_db=round(max(levels) - min(levels), 2) if levels else None,
        longest_cut_ms=max((one.cut_ms for one in met if one.cut_ms is not None), default=None),
    )

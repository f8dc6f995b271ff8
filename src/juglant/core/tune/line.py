"""The bass line note by note: what each note is and needs, and how the kick's landing meets it."""

from __future__ import annotations

import math
from dataclasses import dataclass
from statistics import median
from typing import Literal

from juglant.core.analysis.analyse import Analysis
from juglant.core.analysis.beats import FASTEST_HZ, Beating, landing_at
from juglant.core.analysis.beats import HIGHEST_HZ as HIGHEST_PARTIAL_HZ
from juglant.core.loop.bass_line import note_sound
from juglant.core.measure.level import energy_loudness_db
from juglant.core.model.track import Track
from juglant.core.music.loudness import HIGHEST_HZ, LOWEST_HZ, equal_loudness_db
from juglant.core.music.notes import cents_between, note_hz
from juglant.core.synth.takes import find_take
from juglant.core.tune.systems import not_played_by

Verdict = Literal["clean", "swell", "beating", "rough"]
# Levels of notes are compared on renderings of this length, as loud as a club's bass roughly is.
LEVEL_S, PHON = 0.5, 80.0
# Below this an octave up is advised, above this an octave down: this project's choice.
LOWEST_ADVISED_HZ, HIGHEST_ADVISED_HZ = 35.0, 130.0


@dataclass(frozen=True)
class NoteRow:
    """One note of the line, by its number.

    root_semitones: transposition from the recorded root, or from the line's lowest note without a recording; speed_ms: how
    long the recording lasts on this note; even_db: gain that brings the note to the middle of the line by K-weighting,
    contour_db: by the equal-loudness contour of its fundamental.
    """

    note: int
    count: int
    frequency_hz: float
    root_semitones: float
    speed_ms: float | None
    not_played_by: tuple[str, ...]
    loudness_db: float
    even_db: float
    contour_db: float
    advice: str | None


@dataclass(frozen=True)
class Meeting:
    """The kick's landing against one note of the line where it beats most.

    cents: interval from the note up to the landing; apart_hz: distance of the nearest partials, None beyond 15 Hz;
    cut_ms: how much shorter the kick must ring there for the beats to fall under a swell.
    """

    note: int
    cents: float
    apart_hz: float | None
    beats_heard: float
    overlap_ms: float
    at_beats: float
    length_beats: float
    verdict: Verdict
    cut_ms: float | None


def note_map(track: Track) -> list[NoteRow]:
    """Every note number of the line with what it needs, lowest first."""
    sheet, bass, notes = track.sheet, track.bass, track.notes()
    numbers = sorted({note.note for note in notes})
    if not numbers or bass.source == "recorded line":
        return []
    take = find_take(bass.take) if bass.source == "recorded note" and bass.take else None
    root_hz = bass.root_hz if take else note_hz(numbers[0], sheet.a4_hz)
    hz = {number: note_hz(number, sheet.a4_hz) for number in numbers}
    frames = round(LEVEL_S * sheet.sample_rate)
    level = {
        number: energy_loudness_db(note_sound(track, number, frames), sample_rate=sheet.sample_rate) for number in numbers
    }
    middle = median(level.values())
    heard = {n: equal_loudness_db(min(HIGHEST_HZ, max(LOWEST_HZ, f)), PHON) for n, f in hz.items()}
    middle_heard = median(heard.values())
    rows = []
    for number in numbers:
        ratio = hz[number] / root_hz
        rows.append(
            NoteRow(
                note=number,
                count=sum(note.note == number for note in notes),
                frequency_hz=hz[number],
                root_semitones=12 * math.log2(ratio),
                speed_ms=1000 * take.audio.shape[1] / take.sample_rate / ratio if take else None,
                not_played_by=not_played_by(hz[number]),
                loudness_db=level[number],
                even_db=middle - level[number],
                contour_db=heard[number] - middle_heard,
                advice=_octave_advice(hz[number]),
            )
        )
    return rows


def _octave_advice(frequency_hz: float) -> str | None:
    if frequency_hz < LOWEST_ADVISED_HZ:
        return f"{frequency_hz:.1f} Hz: an octave up is played by most systems"
    if frequency_hz > HIGHEST_ADVISED_HZ:
        return f"{frequency_hz:.0f} Hz: an octave down has the weight of a bass"
    return None


def _nearest_partials(landing_hz: float, tone_hz: float) -> float | None:
    """Distance of the nearest partials of both up to 200 Hz, None where all are 15 Hz apart or more."""
    kick = [landing_hz * k for k in range(1, 9) if landing_hz * k <= HIGHEST_PARTIAL_HZ]
    bass = [tone_hz * k for k in range(1, 9) if tone_hz * k <= HIGHEST_PARTIAL_HZ]
    apart = min((abs(one - other) for one in kick for other in bass), default=FASTEST_HZ)
    return apart if apart < FASTEST_HZ else None


def meetings(found: Analysis) -> list[Meeting]:
    """The kick's landing against every note number of the line, lowest first; empty where the kick has no pitch."""
    track = found.track
    landing_hz = found.kick.landing.landing_hz if found.kick else None
    if landing_hz is None or not found.beatings:
        return []
    most: dict[int, tuple[int, Beating | None]] = {}
    for index, (note, beating) in enumerate(zip(track.notes(), found.beatings, strict=True)):
        known = most.get(note.note)
        if known is None or (beating is not None and (known[1] is None or beating.beats > known[1].beats)):
            most[note.note] = index, beating
    return [
        _meeting(track, landing_hz, found.note_hz[number], index, beating)
        for number, (index, beating) in sorted(most.items())
        if number in found.note_hz
    ]


def _meeting(track: Track, landing_hz: float, tone_hz: float, index: int, beating: Beating | None) -> Meeting:
    note, limits = track.notes()[index], track.limits
    landing_hz = beating.landing_hz if beating else landing_at(track, landing_hz, note.at_beats)
    beats = beating.beats if beating else 0.0
    apart = abs(beating.kick_hz - beating.bass_hz) if beating else _nearest_partials(landing_hz, tone_hz)
    verdict: Verdict = "clean"
    cut_ms = None
    if beats >= limits.beats_swell:
        verdict = "beating" if beats > limits.beats_beating else "swell"
        assert beating is not None  # noqa: S101 - there are beats
        assert apart  # noqa: S101 - what beats is apart
        cut_ms = 1000 * (beating.overlap_s - limits.beats_swell / apart)
    elif apart is None and _is_rough(landing_hz, tone_hz):
        verdict = "rough"
    return Meeting(
        note=note.note,
        cents=cents_between(landing_hz, tone_hz),
        apart_hz=apart,
        beats_heard=beats,
        overlap_ms=1000 * beating.overlap_s if beating else 0.0,
        at_beats=note.at_beats,
        length_beats=note.length_beats,
        verdict=verdict,
        cut_ms=cut_ms,
    )


def _is_rough(landing_hz: float, tone_hz: float) -> bool:
    """Fundamentals from 15 Hz to one equivalent rectangular bandwidth apart (Glasberg & Moore 1990)."""
    apart = abs(landing_hz - tone_hz)
    return FASTEST_HZ <= apart < 24.7 * (4.37 * (landing_hz + tone_hz) / 2000 + 1)

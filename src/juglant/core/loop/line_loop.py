"""A bass line that comes as a recorded loop: played as it is, its notes written on the grid as they were read."""

from __future__ import annotations

from dataclasses import dataclass

from juglant.core.errors import InvalidTrack
from juglant.core.loop.recorded_line import recorded, repeats_every
from juglant.core.measure.line_notes import ReadNote, read_line
from juglant.core.model.ids import BASS_PART
from juglant.core.model.strokes import HIGHEST_BASS_NOTE, LOWEST_BASS_NOTE, BassNote
from juglant.core.model.track import Track
from juglant.core.music.tempo import BEATS_PER_BAR, beat_ms, told_in_bars

CELL_BEATS = 0.25
# A note this sure of itself is written; others are said.
LEAST_CONFIDENCE = 0.5


@dataclass(frozen=True)
class LineRead:
    """The track with its bass from a loop, how many notes were read, and where something sounds that was not, beats."""

    track: Track
    read: int
    unread_beats: tuple[float, ...]

    @property
    def said(self) -> str:
        """What was read and what was not, in a sentence."""
        notes = f"{self.read} notes of the bass loop are read to the grid"
        if not self.unread_beats:
            return notes
        places = ", ".join(told_in_bars(at) for at in self.unread_beats[:6])
        return f"{notes}; {len(self.unread_beats)} sounds could not be read, at {places}: write them by hand"


def with_line_loop(track: Track, take: str, begin_ms: float) -> LineRead:
    """The track with its bass from a recorded loop and the line that was read from it, in place of its own.

    Raises InvalidTrack where the sound is not there, or bar 1 lies behind it.
    """
    sheet = track.sheet
    audio = recorded(take, begin_ms, sheet.sample_rate)
    if not audio.size:
        raise InvalidTrack("there is no sound from where bar 1 is said to be; move it, or load the loop again")
    every = repeats_every(audio.size, sheet) * BEATS_PER_BAR
    found = read_line(audio, sample_rate=sheet.sample_rate, a4_hz=sheet.a4_hz)
    beat_s = beat_ms(sheet.bpm) / 1000
    sure = [one for one in found.notes if one.confidence >= LEAST_CONFIDENCE and _in_range(one)]
    missed = [one.at_s for one in found.notes if one not in sure] + [at for at, _ in found.unread]
    notes = _on_the_grid([one for one in sure if one.at_s / beat_s < every], beat_s, every)
    repeated = [
        note.model_copy(update={"at_beats": note.at_beats + turn})
        for turn in range(0, sheet.length_beats, every)
        for note in notes
        if note.at_beats + turn < sheet.length_beats
    ]
    bass = track.bass.model_copy(update={"source": "recorded line", "take": take, "begin_ms": begin_ms})
    unread = tuple(sorted(round(at / beat_s / CELL_BEATS) * CELL_BEATS for at in missed if at / beat_s < every))
    made = track.with_part(BASS_PART, instrument=bass, notes=tuple(repeated))
    return LineRead(made, len(notes), unread)


def _in_range(note: ReadNote) -> bool:
    return LOWEST_BASS_NOTE <= round(note.number) <= HIGHEST_BASS_NOTE


def _on_the_grid(notes: list[ReadNote], beat_s: float, every: float) -> list[BassNote]:
    """The notes on sixteenths, one voice: each ends where the next begins at the latest, the surest of two on one place."""
    placed: dict[float, ReadNote] = {}
    for one in notes:
        at = round(one.at_s / beat_s / CELL_BEATS) * CELL_BEATS
        if at < every and (at not in placed or placed[at].confidence < one.confidence):
            placed[at] = one
    places = sorted(placed)
    out = []
    for at, following in zip(places, [*places[1:], every], strict=True):
        length = max(CELL_BEATS, round(placed[at].length_s / beat_s / CELL_BEATS) * CELL_BEATS)
        note = round(placed[at].number)
        out.append(BassNote(at_beats=at, length_beats=min(length, following - at), note=note))
    return out

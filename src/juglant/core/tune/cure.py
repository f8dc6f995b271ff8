"""Changes that answer what the line's figures say: a kick short enough not to beat, a line that is even."""

from __future__ import annotations

from typing import Literal

from juglant.core.errors import InvalidTrack
from juglant.core.findings.hit_findings import shortened
from juglant.core.mix.analyse import analyse
from juglant.core.model.track import Track
from juglant.core.tune.line import meetings, note_map

Evening = Literal["K-weighted", "equal-loudness contour"]
ROUNDS, LEAST_RATIO = 8, 0.4
# Of a cut that is named a little more is made, so that the last round does not creep.
MARGIN = 1.1
LOUDEST_DB, QUIETEST_DB = 6.0, -24.0


def without_beats(track: Track) -> Track:
    """The track with its kick short enough that no note of the line swells against it; what is measured counts.

    Raises InvalidTrack where nothing swells, or no layer of the kick can be shortened that far.
    """
    for turn in range(ROUNDS):
        found = analyse(track)
        cut_ms = max((one.cut_ms for one in meetings(found) if one.cut_ms is not None), default=None)
        length_ms = found.kick.timing.length_ms if found.kick else None
        if cut_ms is None:
            if turn == 0:
                raise InvalidTrack("no note of the line swells against the kick: it is short enough as it is")
            return track
        ratio = max(LEAST_RATIO, 1 - MARGIN * cut_ms / length_ms) if length_ms else LEAST_RATIO
        kick = shortened(track.kick, ratio)
        if kick == track.kick:
            break
        track = track.model_copy(update={"kick": kick})
    raise InvalidTrack("the kick cannot be made short enough by its holds and decays; move its note, or the bass's start")


def evened(track: Track, way: Evening) -> Track:
    """The line with each note's own level set so that all are as loud: by K-weighting, or by the equal-loudness contour."""
    gains = {row.note: row.even_db if way == "K-weighted" else row.contour_db for row in note_map(track)}
    top = max((gains[note.note] for note in track.notes()), default=0.0)
    notes = tuple(
        note.model_copy(
            update={"gain_db": round(min(LOUDEST_DB, max(QUIETEST_DB, gains[note.note] - max(0.0, top - LOUDEST_DB))), 2)}
        )
        if note.note in gains
        else note
        for note in track.bass_notes
    )
    return track.model_copy(update={"bass_notes": notes})

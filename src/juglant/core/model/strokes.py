"""What a part plays: strokes of a hit, notes of a line, and the line of another part."""

from __future__ import annotations

from pydantic import Field

from juglant.core.model.ids import PART_PATTERN
from juglant.core.model.sheet import MOST_BEATS, Sheet
from juglant.core.model.velocity import HARDEST
from juglant.core.music.notes import octaves_within
from juglant.core.parameter.parameter import Description, parameter

MOST_STROKES = 512
# Notes a line may have, C0 to C8; those of the bass end where it is no bass any more.
LOWEST_NOTE, HIGHEST_NOTE = 12, 108
LOWEST_BASS_NOTE, HIGHEST_BASS_NOTE, MOST_BASS_NOTES = 12, 72, 512


class Gliding(Description):
    """How a note comes to its pitch, and leaves it."""

    slide_ms: float = parameter(
        0, 0, 500, "ms", "Time in which it comes from the note before; 0 begins where it is.", title="Slide", step=5
    )
    bend_cents: float = parameter(
        0, -1200, 1200, "cents", "How far it bends until it ends, after its slide.", title="Bend", step=100
    )


class Stroke(Gliding):
    """One stroke of a hit, or one note of its line; not on the loop's length is kept and unheard."""

    at_beats: float = Field(ge=0, lt=MOST_BEATS, json_schema_extra={"unit": "beats"})
    velocity: int = Field(default=100, ge=1, le=127, title="Velocity", description="Strength, 1 to 127.")
    shift_ms: float = parameter(0, -50, 50, "ms", "Earlier or later than the grid.", title="Timing", step=1)
    tune_cents: float = parameter(0, -1200, 1200, "cents", "This stroke's own pitch.", title="Pitch", step=100)
    note: int | None = Field(
        default=None,
        ge=LOWEST_NOTE,
        le=HIGHEST_NOTE,
        description="MIDI note number it is played at, from the hit's measured pitch, C4 = 60; none: at the hit's own.",
        json_schema_extra={"minimum": LOWEST_NOTE, "maximum": HIGHEST_NOTE},
    )
    length_beats: float | None = Field(
        default=None,
        gt=0,
        le=MOST_BEATS,
        description="Where it ends; none: it sounds as long as the hit does.",
        json_schema_extra={"unit": "beats"},
    )

    @property
    def plain(self) -> bool:
        """Whether it is at full strength on the grid, and nothing else."""
        return self == Stroke(at_beats=self.at_beats, velocity=HARDEST)


class BassNote(Gliding):
    """One note of the bass line."""

    at_beats: float = Field(ge=0, lt=MOST_BEATS, json_schema_extra={"unit": "beats"})
    length_beats: float = Field(gt=0, le=MOST_BEATS, json_schema_extra={"unit": "beats"})
    note: int = Field(ge=LOWEST_BASS_NOTE, le=HIGHEST_BASS_NOTE, description="MIDI note number, C4 = 60.")
    gain_db: float = parameter(0, -24, 6, "dB", "This note's own level.", title="Level", step=0.5)

    def swung(self, sheet: Sheet) -> BassNote:
        """The note where it sounds with a track's swing."""
        start, end = sheet.swung(self.at_beats), sheet.swung(self.at_beats + self.length_beats)
        return self.unchecked(at_beats=start, length_beats=end - start)


class Doubling(Description):
    """Another part's line, played as it is written there."""

    of: str = Field(min_length=1, max_length=40, pattern=PART_PATTERN)
    octaves: int = Field(default=0, ge=-3, le=3, title="Octaves", description="How far it is moved, in octaves.")


def struck(at_beats: float) -> Stroke:
    """A stroke at full strength on the grid."""
    return Stroke(at_beats=at_beats, velocity=HARDEST)


def as_stroke(note: BassNote) -> Stroke:
    """A note of the bass as a stroke at full strength."""
    own = note.model_dump(include={"at_beats", "length_beats", "note", "slide_ms", "bend_cents"})
    return Stroke(velocity=HARDEST, **own)


def octaves_away(stroke: Stroke, octaves: int) -> Stroke:
    """A stroke at its note, whole octaves away, as far as notes go; one without a note as it is."""
    if not octaves or stroke.note is None:
        return stroke
    note = octaves_within(stroke.note + 12 * octaves, LOWEST_NOTE, HIGHEST_NOTE)
    return stroke.model_copy(update={"note": note})

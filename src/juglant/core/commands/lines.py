"""Commands on lines: a note under every kick, another part's line doubled, two parts in turn."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from juglant.core.commands.command import Asked, Done, OfHit
from juglant.core.model.ids import PART_PATTERN
from juglant.core.model.track import Track
from juglant.core.music.tempo import MOST_BARS
from juglant.core.tune.part_lines import in_turn, line_of_part, part_named, with_doubling
from juglant.core.tune.roots import with_line_on_roots


class LineOnRoots(Asked):
    """A note on its bar's root under every kick."""

    kind: Literal["line-on-roots"] = "line-on-roots"

    def done(self, track: Track) -> Done:
        """The track with them; raises InvalidTrack where no root is said, or nothing can be written."""
        made = with_line_on_roots(track)
        before = {(note.at_beats, note.note) for note in track.bass_notes}
        moved = sum((note.at_beats, note.note) not in before for note in made.bass_notes)
        said = (f"{moved} {'note was' if moved == 1 else 'notes were'} put on the root of the bar",) if moved else ()
        return Done(made, "A note on the root under every kick", said)


class DoubleLine(OfHit):
    """Another part's line played by this one: as it is written there from now on, or a copy of its own."""

    kind: Literal["double-line"] = "double-line"
    of: str = Field(max_length=40, pattern=PART_PATTERN)
    octaves: int = Field(default=0, ge=-3, le=3)
    linked: bool = True

    def done(self, track: Track) -> Done:
        """The track with it; said: notes that its sound does not reach. Raises InvalidTrack, or NoSuchPart."""
        made = with_doubling(track, self.part, self.of, self.octaves, linked=self.linked)
        label = f"{made.hit_of(self.part).name} doubles {part_named(made, self.of)}"
        return Done(made, label, _off_said(made, self.part))


class LineInTurn(OfHit):
    """One part in some bars, counted from 1, and another in the rest: each its own notes, else the other's."""

    kind: Literal["line-in-turn"] = "line-in-turn"
    of: str = Field(max_length=40, pattern=PART_PATTERN)
    bars: tuple[int, ...] = Field(min_length=1, max_length=MOST_BARS)

    def done(self, track: Track) -> Done:
        """The track with it; said: what was taken out, and notes not reached. Raises InvalidTrack, or NoSuchPart."""
        turns = in_turn(track, self.part, self.of, self.bars)
        made, one = turns.track, turns.track.hit_of(self.part)
        count = len(one.strokes)
        said = f"{one.name} plays {count} {'note' if count == 1 else 'notes'} in turn with {part_named(made, self.of)}"
        label = f"{one.name} in turn with {part_named(made, self.of)}"
        return Done(made, label, (said, *turns.said, *_off_said(made, self.part)))


def _off_said(track: Track, part: str) -> tuple[str, ...]:
    """Notes of a line that are measured off what is written, in words."""
    off = [one for one in line_of_part(track, part).notes if one.off]
    if not off:
        return ()
    told = ", ".join(
        f"{one.name} {'without a pitch' if one.off_cents is None else f'{one.off_cents:+.0f} cents'}" for one in off[:4]
    )
    return (f"its sound does not reach every note: {told}",)

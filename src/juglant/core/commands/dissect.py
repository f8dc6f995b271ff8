"""The command that takes a recorded loop apart into parts."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from juglant.core.commands.command import Asked, Done
from juglant.core.commands.copies import free_id, free_name
from juglant.core.errors import InvalidTrack
from juglant.core.hit.start import usual_choke
from juglant.core.measure.pattern import ROWS, Row
from juglant.core.model.ids import MOST_PARTS, Role
from juglant.core.model.part import Part
from juglant.core.model.track import Track
from juglant.core.plans.dissect import dissected
from juglant.core.synth.takes import ID_PATTERN

# A loop's kick is a part beside the track's own kick.
ROLES: dict[Row, Role] = {"kick": "tom", "snare": "snare", "hat": "hat"}
LONGEST_OF_LOOP = 24


class Dissect(Asked):
    """A recorded loop as parts on rows of their own; the take stays as it is."""

    kind: Literal["dissect"] = "dissect"
    take: str = Field(pattern=ID_PATTERN)
    name: str = Field(min_length=1, max_length=40)
    rows: tuple[Row, ...] = Field(default=ROWS, min_length=1, max_length=len(ROWS))
    bpm: float | None = Field(default=None, ge=20, le=400)

    def done(self, track: Track) -> Done:
        """The track with those parts; said: what each is made of. Raises InvalidTrack where nothing separates."""
        found = dissected(self.take, track.sheet, rows=tuple(dict.fromkeys(self.rows)), said_bpm=self.bpm)
        if len(track.parts) + len(found) > MOST_PARTS:
            raise InvalidTrack(f"a track has at most {MOST_PARTS} parts, these would be {len(track.parts) + len(found)}")
        made, said = track, list[str]()
        for one in found:
            part = Part(
                id=free_id(made, f"loop-{one.row}"),
                name=free_name(made, f"{self.name[:LONGEST_OF_LOOP]} {one.row}"),
                role=ROLES[one.row],
                hit=one.hit,
                strokes=one.strokes,
                choke=usual_choke(ROLES[one.row]),
            )
            made = made.model_copy(update={"parts": (*made.parts, part)})
            said.append(one.said)
        absent = [row for row in self.rows if row not in {one.row for one in found}]
        if absent:
            said.append(f"not in it: {', '.join(absent)}")
        return Done(made, f"Take {self.name[:40]} apart", tuple(said))

"""Commands by which kick or bass come from a recorded loop."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from juglant.core.commands.command import Asked, Done
from juglant.core.loop.kick_loop import LoopRead, read_loop, with_kick_loop, with_loop_stroke
from juglant.core.loop.line_loop import with_line_loop
from juglant.core.model.track import Track
from juglant.core.music.tempo import MOST_BARS
from juglant.core.synth.take import LATEST_MS
from juglant.core.synth.takes import ID_PATTERN


class OfLoop(Asked):
    """A command that takes a recorded loop, and where its bar 1 is."""

    take: str = Field(pattern=ID_PATTERN)
    begin_ms: float = Field(default=0, ge=0, le=LATEST_MS)


class KickFromLoop(OfLoop):
    """The kick comes from a recorded loop: its strokes are read onto the grid, one of them is cut out as the hit.

    fit_bars: how many bars it is to fill; None: as its length asks.
    """

    kind: Literal["kick-loop"] = "kick-loop"
    fit_bars: int | None = Field(default=None, ge=0, le=MOST_BARS)

    def done(self, track: Track) -> Done:
        """The track with it, and how many kicks were read."""
        again = track.kick_loop.take == self.take
        made = with_kick_loop(track, self.take, self.begin_ms, self.fit_bars)
        read = read_loop(made)
        said = () if read is None else (_strokes_said(read),)
        return Done(made, "Read the kicks again" if again else "Kick from a loop", said)


def _strokes_said(read: LoopRead) -> str:
    """How many kicks were read in a loop, and how many places were not taken for one."""
    kicks, others = (sum(1 for one in read.strokes if one.on is on) for on in (True, False))
    said = f"{kicks} {'kick was' if kicks == 1 else 'kicks were'} read in the loop"
    if not others:
        return said
    return f"{said}, {others} other {'place' if others == 1 else 'places'} may be one: click it there to say so"


class SayStroke(Asked):
    """Whether a place in the kick's loop is a kick, in every turn of the loop."""

    kind: Literal["loop-stroke"] = "loop-stroke"
    at_s: float = Field(ge=0, le=1000)
    on: bool

    def done(self, track: Track) -> Done:
        """The track with a kick there, or none."""
        return Done(with_loop_stroke(track, self.at_s, self.on), "A kick there" if self.on else "No kick there")


class BassFromLoop(OfLoop):
    """The bass comes from a recorded loop: its notes are read onto the grid."""

    kind: Literal["bass-loop"] = "bass-loop"

    def done(self, track: Track) -> Done:
        """The track with it, and what could not be read."""
        read = with_line_loop(track, self.take, self.begin_ms)
        return Done(read.track, "Bass from a loop", (read.said,))

"""Commands on where a part stands among the others."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from juglant.core.analysis.standing import beside_kick_lu
from juglant.core.commands.command import Done, OfPart
from juglant.core.errors import InvalidTrack
from juglant.core.model.ids import KICK_ID
from juglant.core.model.part import Part
from juglant.core.model.track import Track
from juglant.core.parameter.fields import within

QUIETEST_LU, LOUDEST_LU = -60.0, 20.0
LEAST_SAID_LU = 0.05
# Once would do but for the gate: what rings out is counted or not by how loud it is.
ROUNDS = 3


class Balance(OfPart):
    """A part as loud beside the kick as asked, by its level in the loop."""

    kind: Literal["balance"] = "balance"
    beside_kick_lu: float = Field(ge=QUIETEST_LU, le=LOUDEST_LU, description="Loudness of its stem over the kick's.")

    def done(self, track: Track) -> Done:
        """The track with it; said: where its level ends. Raises InvalidTrack where one of them is silent, NoSuchPart."""
        name = track.part(self.part).name
        if self.part == KICK_ID:
            raise InvalidTrack("the kick is what the others are held against: move its level itself")
        now = beside_kick_lu(track, self.part)
        if now is None:
            raise InvalidTrack(f"{name} or the kick is silent in this loop: give both strokes, then set the balance")
        made, missed = track, now
        for _ in range(ROUNDS):
            wanted_db = round(made.part(self.part).gain_db + self.beside_kick_lu - missed, 2)
            made = track.with_part(self.part, gain_db=within(Part, "gain_db", wanted_db))
            found = beside_kick_lu(made, self.part)
            missed = missed if found is None else found
        said: tuple[str, ...] = ()
        if abs(missed - self.beside_kick_lu) > LEAST_SAID_LU:
            said = (f"{name} is at {missed:+.1f} LU beside the kick, not {self.beside_kick_lu:+.1f}: its level ends",)
        return Done(made, f"{name} {self.beside_kick_lu:+.1f} LU beside the kick", said)

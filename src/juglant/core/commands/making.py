"""The command that makes a recorded sound serve as a role."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from juglant.core.commands.command import Done, OfHit
from juglant.core.model.ids import Role
from juglant.core.model.track import Track
from juglant.core.plans.make_it import make_it
from juglant.core.plans.make_moves import MOVES, MoveId


class MakeIt(OfHit):
    """A recorded hit made to serve as a role, without the moves that are off; every move stays to be seen and switched."""

    kind: Literal["make-it"] = "make-it"
    role: Role
    off: tuple[MoveId, ...] = Field(default=(), max_length=len(MOVES))

    def done(self, track: Track) -> Done:
        """The track with it; said: what was done, and what is outside of recorded ones still."""
        name, a_role = track.hit_of(self.part).name, f"{'an' if self.role[0] in 'aeiou' else 'a'} {self.role}"
        made = make_it(track, self.part, self.role, frozenset(self.off))
        done = [f"{one.title.lower()}: {one.said}" for one in made.moves if one.on]
        if not done:
            return Done(track, f"Make {name} {a_role}", (f"{name} is as a recorded {self.role} already",))
        left = [f"outside of recorded ones still: {one}" for one in made.outside]
        return Done(made.track, f"Make {name} {a_role}", ("; ".join(done), *left))

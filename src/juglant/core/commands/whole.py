"""Commands on the track as a whole: another description, a fix of a finding, a way that was proposed, a swap."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from juglant.core.analysis.analyse import analysed
from juglant.core.commands.command import LONGEST_LABEL, Asked, Done, OfPart
from juglant.core.errors import NoSuchPart
from juglant.core.findings.registry import applied, find_all
from juglant.core.model.track import Track
from juglant.core.plans.computed_for import refit_parts
from juglant.core.plans.ducks import refitted
from juglant.core.plans.proposals import Kind, proposal
from juglant.core.reports.swap_check import REPLANNED, Replanned, Swap, replanned, swapped

# What a step is called that fitted ducks again.
REFITTED = ", ducks fitted again"


class Describe(Asked):
    """A changed description: what the hand has set."""

    kind: Literal["describe"] = "describe"
    track: Track
    label: str = Field(min_length=1, max_length=LONGEST_LABEL)

    def done(self, track: Track) -> Done:
        """The description that was sent."""
        return Done(self.track, self.label)


class FitDucks(Asked):
    """Every computed duck that is behind computed again; it belongs to the step that left them behind."""

    kind: Literal["fit-ducks"] = "fit-ducks"

    def done(self, track: Track) -> Done:
        """The track with its ducks fitted."""
        return Done(refitted(track) if refit_parts(track) else track, REFITTED)


class TakeFix(Asked):
    """One fix of one finding, by its place in the finding's list; it is solved only now."""

    kind: Literal["fix"] = "fix"
    finding: str = Field(max_length=80)
    fix: int = Field(ge=0, le=20)

    def done(self, track: Track) -> Done:
        """The track with the fix; raises NoSuchPart where the finding is gone."""
        for one in find_all(analysed(track)):
            if one.id == self.finding and self.fix < len(one.fixes):
                chosen = one.fixes[self.fix]
                return Done(applied(chosen, track), chosen.label)
        raise NoSuchPart("this finding is no longer there: the track has changed; nothing was done")


class TakeProposal(OfPart):
    """One of the ways that were made, rendered and measured."""

    kind: Literal["proposal"] = "proposal"
    of: Kind
    id: str = Field(min_length=1, max_length=60)

    def done(self, track: Track) -> Done:
        """The track as that way makes it; raises NoSuchPart where there is no such way."""
        one = proposal(track, self.of, self.id, self.part)
        return Done(one.track, one.label)


class MakeSwap(Asked):
    """Another kick, key or tempo, and what is planned anew for it."""

    kind: Literal["swap"] = "swap"
    swap: Swap
    parts: tuple[Replanned, ...] = Field(default=(), max_length=len(REPLANNED))

    def done(self, track: Track) -> Done:
        """The track with the swap; raises InvalidTrack for what cannot be."""
        swap = self.swap
        asked = {"kick": swap.kick, "key": swap.tonic or swap.scale, "tempo": swap.bpm}
        new = [name for name, value in asked.items() if value]
        return Done(replanned(swapped(track, swap), self.parts), f"Swap {', '.join(new) or 'nothing'}")

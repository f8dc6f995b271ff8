"""Commands that make room: carve, duck, both, their share and order; levels, phase, and high-passes of other parts."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from juglant.core.analysis.analyse import analysed
from juglant.core.analysis.duck_aims import PAIR_GOAL_DB, part_title
from juglant.core.analysis.headroom import measure_headroom
from juglant.core.analysis.kick_phase import in_phase
from juglant.core.analysis.low_group import aligned, separated
from juglant.core.analysis.other_parts import When, cleared
from juglant.core.analysis.pairs import cut_of, with_cut
from juglant.core.commands.command import Asked, Done, OfHit, OfPart
from juglant.core.duck.part_curves import unlinked
from juglant.core.errors import InvalidTrack
from juglant.core.model.carve import Order
from juglant.core.model.ids import BASS_PART, KICK_ID, PART_PATTERN
from juglant.core.model.low_group import LowZone
from juglant.core.model.part import Part
from juglant.core.model.track import Track
from juglant.core.parameter.fields import within
from juglant.core.plans.bare import kick_duck, without_room
from juglant.core.plans.ducks import newly_ducked, plan_part, plan_targets, with_compressor
from juglant.core.plans.featured import with_room_for
from juglant.core.plans.plan import carve_in_order, carve_said, nothing_to_plan, plan_duck, room_made
from juglant.core.plans.room_duck import with_share


class ComputeCarve(Asked):
    """Compute the carve, in the track's order."""

    kind: Literal["carve"] = "carve"

    def done(self, track: Track) -> Done:
        """The track with its carve; said: what limits it, or why there is none."""
        made, plan, why = carve_in_order(track)
        return Done(made, "Compute the carve", carve_said(plan, why))


class ComputeDuck(Asked):
    """Compute the duck of the part that yields."""

    kind: Literal["duck"] = "duck"

    def done(self, track: Track) -> Done:
        """The track with its duck."""
        return Done(plan_duck(track)[0], "Compute the duck")


class ComputePartDuck(OfPart):
    """Compute the first curve of one part."""

    kind: Literal["part-duck"] = "part-duck"

    def done(self, track: Track) -> Done:
        """The track with that curve."""
        return Done(plan_part(track, self.part)[0], "Compute a part's duck")


class ComputeDucks(Asked):
    """Compute every duck."""

    kind: Literal["ducks"] = "ducks"

    def done(self, track: Track) -> Done:
        """The track with all of them."""
        return Done(plan_targets(plan_duck(track)[0])[0], "Compute every duck")


class DuckAnother(OfPart):
    """A first curve for a part that has none."""

    kind: Literal["new-duck"] = "new-duck"

    def done(self, track: Track) -> Done:
        """The track with that curve, from the part's own clash with the kick."""
        return Done(newly_ducked(track, self.part), "Duck another part")


class StandIn(OfPart):
    """A keyed compressor in place of a part's curve, as close to it as it comes."""

    kind: Literal["compressor"] = "compressor"

    def done(self, track: Track) -> Done:
        """The track with it."""
        return Done(with_compressor(track, self.part), "Compressor in place of the curve")


class DuckOfItsOwn(OfPart):
    """A part that follows another's duck gets the same as its own."""

    kind: Literal["unlink"] = "unlink"

    def done(self, track: Track) -> Done:
        """The track with it."""
        return Done(unlinked(track, self.part), "A duck of its own")


class MakeRoom(Asked):
    """Carve and duck planned together."""

    kind: Literal["room"] = "room"

    def done(self, track: Track) -> Done:
        """The track with both, and what they reach."""
        made = room_made(track)
        return Done(made.track, "Carve and duck", made.said)


class RemoveRoom(Asked):
    """Carve and duck taken away."""

    kind: Literal["no-room"] = "no-room"

    def done(self, track: Track) -> Done:
        """The track without them."""
        return Done(without_room(track), "Remove carve and duck")


class SetShare(Asked):
    """How much of what the goal lacks the carve takes, %; carve and duck are planned for it."""

    kind: Literal["share"] = "share"
    share_pct: float = Field(ge=0, le=100)

    def done(self, track: Track) -> Done:
        """The track planned so; raises InvalidTrack where there is nothing to share."""
        asked = with_share(track, self.share_pct)
        why = nothing_to_plan(asked)
        if why:
            raise InvalidTrack(f"there is nothing to share: {why}")
        made = room_made(asked)
        return Done(made.track, f"Share of the carve {self.share_pct:.0f} %", made.said)


class SetOrder(Asked):
    """Carve first or duck first: what is planned already is planned anew in that order."""

    kind: Literal["order"] = "order"
    order: Order

    def done(self, track: Track) -> Done:
        """The track in that order."""
        asked = track.model_copy(update={"carve": track.carve.model_copy(update={"order": self.order})})
        label, under = self.order.capitalize(), kick_duck(track)
        planned = track.carve.on or track.duck.on or (under is not None and under.on)
        if not planned or nothing_to_plan(asked):
            return Done(asked, label)
        made = room_made(asked)
        return Done(made.track, label, made.said)


class AlignBass(Asked):
    """The bass moved or turned so that it adds best with the kick."""

    kind: Literal["phase"] = "phase"

    def done(self, track: Track) -> Done:
        """The track with it; raises InvalidTrack where nothing is won."""
        return Done(in_phase(track), "Bass to the kick's phase")


class AlignLow(Asked):
    """One of two low parts moved or turned so that both add best."""

    kind: Literal["align-low"] = "align-low"
    one: str = Field(max_length=40, pattern=PART_PATTERN)
    other: str = Field(max_length=40, pattern=PART_PATTERN)

    def done(self, track: Track) -> Done:
        """The track with it; said: what was moved and what it wins. Raises InvalidTrack, or NoSuchPart."""
        if self.one == self.other:
            raise InvalidTrack("a part is lined up with another, not with itself")
        made = aligned(track, self.one, self.other)
        return Done(made.track, f"Line up {part_title(track, self.one)} and {part_title(track, self.other)}", made.said)


class ClearPart(OfHit):
    """A hit high-passed as far as it takes from the low end's owner, always or only under the kick."""

    kind: Literal["clear"] = "clear"
    when: When = "always"

    def done(self, track: Track) -> Done:
        """The track with that high-pass; raises InvalidTrack where none helps."""
        label = f"High-pass {track.hit_of(self.part).name}{'' if self.when == 'always' else ' under the kick'}"
        return Done(cleared(analysed(track), self.part, self.when), label)


class CutForPair(Asked):
    """The least cut on one part by which another is clear of it in one zone."""

    kind: Literal["pair-cut"] = "pair-cut"
    owner: str = Field(max_length=40, pattern=PART_PATTERN)
    yielder: str = Field(max_length=40, pattern=PART_PATTERN)
    zone: str = Field(min_length=1, max_length=20)

    def done(self, track: Track) -> Done:
        """The track with that bell on the part that gives way; raises InvalidTrack where there is none to make."""
        move = cut_of(track, self.owner, self.yielder, self.zone)
        names = (part_title(track, self.yielder), part_title(track, self.owner))
        said = f"{names[0]}: {move.gain_db:.1f} dB at {move.frequency_hz:.0f} Hz"
        return Done(with_cut(track, self.yielder, move), f"{names[0]} clear of {names[1]} in {self.zone}", (said,))


class SeparateLowGroup(Asked):
    """The least cuts by which the low parts are clear of each other, pair by pair."""

    kind: Literal["low-group"] = "low-group"

    def done(self, track: Track) -> Done:
        """The track with them; said: what they cost and what is still short. Raises InvalidTrack without a group."""
        found = separated(track)
        return Done(found.track, "Separate the low group", found.said)


class GiveZone(Asked):
    """A zone of the low end to one of two parts of the group."""

    kind: Literal["give-zone"] = "give-zone"
    owner: str = Field(max_length=40, pattern=PART_PATTERN)
    yielder: str = Field(max_length=40, pattern=PART_PATTERN)
    zone: LowZone

    def done(self, track: Track) -> Done:
        """The track with it; raises InvalidTrack where parts would give way to each other in a circle."""
        names = part_title(track, self.owner), part_title(track, self.yielder)
        group = track.low_group.given(self.owner, self.yielder, self.zone)
        return Done(track.model_copy(update={"low_group": group}), f"{names[0]} over {names[1]} in {self.zone}")


class Feature(OfPart):
    """Room for one part: every other goes down while it sounds, by as much as they are in each other's way."""

    kind: Literal["feature"] = "feature"
    cap_db: float = Field(default=6.0, ge=1, le=24)

    def done(self, track: Track) -> Done:
        """The track with it; said: what each part gives, and what it wins. Raises InvalidTrack, or NoSuchPart."""
        name, found = part_title(track, self.part), with_room_for(track, self.part, self.cap_db)
        words = {"duck": "is ducked by", "cut": "is cut by"}
        said = [
            f"{one.name} {words[one.how]} {one.depth_db:.1f} dB{' ' + one.why if one.how == 'cut' else ''}: {name} over it "
            f"{one.before_db:+.1f} to {one.after_db:+.1f} dB"
            for one in found.given
            if one.how != "none"
        ]
        left = [f"{one.name}: {one.why}" for one in found.given if one.how == "none" and one.before_db < PAIR_GOAL_DB]
        if not said:
            said = [f"{name} is clear of every other part while it sounds: nothing was done"]
        return Done(found.track, f"Room for {name}", (*said, *left))


class LeaveHeadroom(Asked):
    """Levels of kick and bass that leave room for what comes later."""

    kind: Literal["levels"] = "levels"

    def done(self, track: Track) -> Done:
        """The track with those levels; raises InvalidTrack where the loop is silent."""
        wanted = measure_headroom(analysed(track))
        if wanted.kick_gain_db is None or wanted.bass_gain_db is None:
            raise InvalidTrack("the loop is silent: there is no level to set")
        for part, gain_db in ((KICK_ID, wanted.kick_gain_db), (BASS_PART, wanted.bass_gain_db)):
            track = track.with_part(part, gain_db=within(Part, "gain_db", gain_db))
        return Done(track, "Levels with headroom")

"""The command that puts another hit under one, or in its place."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from juglant.core.commands.command import Done, OfHit
from juglant.core.errors import InvalidTrack
from juglant.core.hit.reinforced import LOWS_HZ, Reinforced, reinforced
from juglant.core.model.ids import BASS_PART, KICK_ID, PART_PATTERN
from juglant.core.model.part import Part
from juglant.core.model.track import Track
from juglant.core.parameter.fields import within


class Reinforce(OfHit):
    """Another hit's layers under a hit, by a share, as loud as it was; rests: the other no longer plays by itself."""

    kind: Literal["reinforce"] = "reinforce"
    by: str = Field(max_length=40, pattern=PART_PATTERN)
    share_pct: float = Field(ge=0, le=100)
    aligned: bool = True
    rests: bool = True

    def done(self, track: Track) -> Done:
        """The track with it; said: how it was fitted and what else changed. Raises InvalidTrack and NoSuchPart."""
        made = reinforced_by(track, self.part, self.by, self.share_pct, aligned=self.aligned)
        one, other = track.hit_of(self.part), track.hit_of(self.by)
        level_db = within(Part, "gain_db", one.gain_db + made.level_db)
        result = track.with_hit(self.part, made.hit).with_part(self.part, gain_db=level_db)
        said = said_of(made)
        if self.rests and self.by != KICK_ID and not other.muted:
            result = result.with_part(self.by, muted=True)
            said = (*said, f"{other.name} no longer plays by itself; it is kept, muted")
        return Done(result, f"{other.name} under {one.name}, {self.share_pct:g} %", said)


def reinforced_by(track: Track, part: str, by: str, share_pct: float, *, aligned: bool) -> Reinforced:
    """A hit of a track joined by another; raises InvalidTrack and NoSuchPart."""
    if part == by:
        raise InvalidTrack("a hit cannot be put under itself: choose another one")
    if BASS_PART in (part, by):
        raise InvalidTrack("the bass is an instrument and its line, not a hit that is struck: choose another part")
    sheet = track.sheet
    return reinforced(
        track.hit_of(part).hit, track.hit_of(by).hit, share_pct=share_pct, aligned=aligned,
        sample_rate=sheet.sample_rate, bpm=sheet.bpm,
    )  # fmt: skip


def said_of(made: Reinforced) -> tuple[str, ...]:
    """How it was fitted, and what else it changed."""
    fitted = [f"moved by {made.offset_ms:+.2f} ms" if made.offset_ms else "", "turned upside down" if made.turned else ""]
    how = " and ".join(one for one in fitted if one) or "as it begins"
    changed = [f"peak {made.peak_db:+.1f} dB", f"below {LOWS_HZ:g} Hz {made.lows_db:+.1f} dB"]
    if made.landing_before_hz and made.landing_after_hz:
        changed.append(f"lands at {made.landing_after_hz:.1f} Hz, before {made.landing_before_hz:.1f} Hz")
    elif made.landing_before_hz:
        changed.append(f"has no landing any more, before {made.landing_before_hz:.1f} Hz")
    loud = "as loud as before"
    if made.level_db:
        loud = f"as loud as before with {made.level_db:+.1f} dB on its level in the loop: its layers' own levels end there"
    return (f"joined {how}", f"{loud}; {', '.join(changed)}")

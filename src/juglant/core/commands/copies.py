"""A hit's sound as a part more, in another role."""

from __future__ import annotations

import re
from typing import Literal

from juglant.core.commands.command import Done, OfHit
from juglant.core.errors import InvalidTrack
from juglant.core.hit.start import usual_choke, usual_strokes
from juglant.core.hit.transpose import retuned
from juglant.core.model.hit import Hit
from juglant.core.model.ids import BASS_PART, MOST_PARTS
from juglant.core.model.part import Part
from juglant.core.model.track import Track
from juglant.core.music.notes import cents_between, note_hz
from juglant.core.music.scales import nearest_scale_note, spelled
from juglant.core.tune.hit_pitch import hit_pitch

CopiedAs = Literal["snare", "clap", "hat", "open hat", "tom", "percussion", "sub", "chord"]
# A note that is nearer to the key than this is left where it is.
IN_KEY_CENTS = 3.0
# Of the first's name: with the longest role and a number behind it a name stays within its 40 letters.
MOST_OF_NAME = 23


class CopyHit(OfHit):
    """A hit's sound as a part more, in another role: its own stays as it is, whatever becomes of the copy."""

    kind: Literal["copy-hit"] = "copy-hit"
    role: CopiedAs

    def done(self, track: Track) -> Done:
        """The track with that part; said: what of it is another than the first's. Raises InvalidTrack, NoSuchPart."""
        if self.part == BASS_PART:
            raise InvalidTrack("the bass is an instrument and its line, not a hit: add a sub, and double the bass's line")
        if len(track.parts) >= MOST_PARTS:
            raise InvalidTrack(f"a track has at most {MOST_PARTS} parts: take one out first")
        one = track.hit_of(self.part)
        name = free_name(track, f"{one.name[:MOST_OF_NAME]} as {self.role}")
        hit, tuned = _in_key(track, one)
        made = Part(
            id=free_id(track, self.role),
            name=name,
            role=self.role,
            hit=hit.model_copy(update={"kick": None}),
            strokes=usual_strokes(self.role, track.sheet.length_beats),
            gain_db=one.gain_db,
            choke=usual_choke(self.role),
        )
        said = [f"{name}: {len(made.strokes)} strokes at the usual places of its role", tuned]
        said.append("it cuts and is cut by the hats" if made.choke else "")
        said.append(f"level in the loop {one.gain_db:g} dB as {one.name}, in the middle, no ducks, no level line")
        return Done(
            track.model_copy(update={"parts": (*track.parts, made)}),
            f"Copy {one.name} as {self.role}",
            tuple(each for each in said if each),
        )


def _in_key(track: Track, one: Part) -> tuple[Hit, str]:
    """Its sound on the nearest note of the key where it is heard on one, and what was done for that."""
    sheet, hz = track.sheet, hit_pitch(track, one).used_hz
    if hz is None:
        return one.hit, ""
    number, _ = nearest_scale_note(hz, sheet.tonic, sheet.scale, sheet.a4_hz)
    wanted = note_hz(number, sheet.a4_hz)
    off, note = cents_between(wanted, hz), spelled(number, sheet.tonic, sheet.scale, sheet.middle_c)
    if abs(off) < IN_KEY_CENTS:
        return one.hit, f"on {note} as it was"
    return retuned(one.hit, hz, wanted), f"moved by {off:+.0f} cents to {note}, the nearest note of the key"


def free_id(track: Track, role: str) -> str:
    """An id after a role that no part of a track has."""
    base, taken = re.sub(r"[^a-z0-9]+", "-", role), {one.id for one in track.parts}
    return next(name for n in range(1, MOST_PARTS + 2) if (name := base if n == 1 else f"{base}-{n}") not in taken)


def free_name(track: Track, name: str) -> str:
    """A name that no part of a track has, as near to one as may be."""
    taken = {one.name for one in track.parts}
    return next(free for n in range(1, MOST_PARTS + 2) if (free := name if n == 1 else f"{name} {n}") not in taken)

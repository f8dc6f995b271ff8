"""The command that makes a swell of a hit: reversed or rising, placed by its end on a beat."""

from __future__ import annotations

from typing import Literal

import numpy as np
from pydantic import Field

from juglant.core.chain.drawn import SILENT_DB, Drawn, Point
from juglant.core.chain.registry import MOST_PROCESSORS, AnyProcessor
from juglant.core.chain.reverb import Reverb
from juglant.core.chain.reverse import Reverse
from juglant.core.commands.command import Done, OfHit
from juglant.core.commands.copies import MOST_OF_NAME, free_id, free_name
from juglant.core.errors import InvalidTrack
from juglant.core.hit.render import render_hit
from juglant.core.model.ids import BASS_PART, MOST_PARTS
from juglant.core.model.part import Part
from juglant.core.model.sheet import MOST_BEATS
from juglant.core.model.strokes import struck
from juglant.core.model.track import Track
from juglant.core.music.tempo import beat_ms
from juglant.core.parameter.fields import within

# It rises from here, by more than it may fall meanwhile; its room is as loud as it is (this project's choice).
FROM_DB, ROOM_DB, LOW_CUT_HZ, RINGS_ON, OVER_DB = -48.0, 0.0, 150.0, 3.0, -36.0
# The steps of a rise end this long before its end, so that the end is the loudest.
CLOSE_MS = 4.0


class Swell(OfHit):
    """A hit as a swell into a beat: its sound and its room turned round, or itself risen; a part of its own."""

    kind: Literal["swell"] = "swell"
    at_beats: float = Field(ge=0, lt=MOST_BEATS)
    length_beats: float = Field(gt=0, le=16)
    way: Literal["reversed", "rising"] = "reversed"

    def done(self, track: Track) -> Done:
        """The track with that part; said: where it ends and how long it is. Raises InvalidTrack and NoSuchPart."""
        if self.part == BASS_PART:
            raise InvalidTrack("the bass is an instrument and its line, not a hit: choose a part that is struck")
        if len(track.parts) >= MOST_PARTS:
            raise InvalidTrack(f"a track has at most {MOST_PARTS} parts: take one out first")
        one, length_ms = track.hit_of(self.part), self.length_beats * beat_ms(track.sheet.bpm)
        if one.hit.has_rumble:
            raise InvalidTrack("a rumble is made of the kick at every kick: it swells into nothing")
        if self.at_beats >= track.sheet.length_beats:
            raise InvalidTrack(
                f"beat {self.at_beats + 1:g} is beyond the loop's {track.sheet.length_beats}: choose one of its own"
            )
        if self.way == "rising":
            _lasts(track, one, length_ms)
        bus = (*(one.hit.bus if one.hit.bind else ()), *_stages(self.way, length_ms))
        if len(bus) > MOST_PROCESSORS:
            raise InvalidTrack(f"{one.name} goes through {len(one.hit.bus)} processors already: take some out first")
        name = free_name(track, f"{one.name[:MOST_OF_NAME]} swell")
        velocity = one.hit.velocity.model_copy(update={"rings": True, "robins": 1})
        made = Part(
            id=free_id(track, "swell"),
            name=name,
            role="percussion",
            hit=one.hit.model_copy(update={"bind": True, "bus": bus, "velocity": velocity, "front": (), "locked": ()}),
            strokes=(struck(self.at_beats),),
            gain_db=one.gain_db,
            by_end=True,
        )
        bar, beat = divmod(self.at_beats, 4)
        said = f"{name} ends on {int(bar) + 1}.{beat + 1:g}, {self.length_beats:g} beats long, {self.way}"
        return Done(track.model_copy(update={"parts": (*track.parts, made)}), f"{one.name} as a swell", (said,))


def _lasts(track: Track, one: Part, length_ms: float) -> None:
    """Raise InvalidTrack where a hit is over before a rise is."""
    rate = track.sheet.sample_rate
    power = render_hit(one.hit, sample_rate=rate, bpm=track.sheet.bpm).mono ** 2
    heard = np.flatnonzero(power > power.max(initial=0.0) * 10 ** (OVER_DB / 10))
    lasts_ms = 1000 * (int(heard[-1]) + 1) / rate if heard.size else 0.0
    if lasts_ms < length_ms:
        raise InvalidTrack(
            f"{one.name} is over after {lasts_ms:.0f} ms, and {length_ms:.0f} ms are to rise: take a shorter rise, or "
            "let it be reversed"
        )


def _stages(way: Literal["reversed", "rising"], length_ms: float) -> tuple[AnyProcessor, ...]:
    if way == "rising":
        top = max(1.0, length_ms - CLOSE_MS)
        return (
            Drawn(
                points=(
                    Point(at_ms=0, level_db=FROM_DB),
                    Point(at_ms=top, level_db=0),
                    Point(at_ms=length_ms, level_db=SILENT_DB),
                )
            ),
        )
    room = Reverb(
        ring_ms=within(Reverb, "ring_ms", RINGS_ON * length_ms),
        before_ms=0,
        level_db=ROOM_DB,
        low_cut_hz=LOW_CUT_HZ,
        wide=True,
    )
    # It falls to nothing over just so long, and is turned round then.
    falls = Drawn(points=(Point(at_ms=0, level_db=0), Point(at_ms=length_ms, level_db=SILENT_DB)))
    return room, falls, Reverse()

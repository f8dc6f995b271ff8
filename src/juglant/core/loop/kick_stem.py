"""The kick's own stem, before anything is ducked: its pattern or loop, carved where it yields."""

from __future__ import annotations

import numpy as np

from juglant.core.hit.render import RenderedHit
from juglant.core.hit.strokes import cached_mono, stroke_tempo
from juglant.core.loop.choke import choking_parts, recipe
from juglant.core.loop.kick_loop import loop_stem
from juglant.core.loop.kick_strokes import struck
from juglant.core.loop.level import at_level, without_level
from juglant.core.loop.loop_kick import processed_loop
from juglant.core.loop.place import loop_frames
from juglant.core.memory import remembered
from juglant.core.model.hit import Hit
from juglant.core.model.ids import KICK_ID
from juglant.core.model.part import KICK
from juglant.core.model.sheet import Sheet
from juglant.core.model.track import Track
from juglant.core.model.velocity import HARDEST
from juglant.core.separate.filters import carve_sections, floor_sections
from juglant.core.signal.filters import filter_loop, level_loop
from juglant.core.synth.recorded_loop import KickLoop
from juglant.core.types import Samples


def cached_hit(hit: Hit, sample_rate: int, bpm: float) -> RenderedHit:
    """The kick as set, folded down to one channel: the middle of a club's low end."""
    return cached_mono(hit, HARDEST, 0, sample_rate, stroke_tempo(hit, bpm))


def kick_stem(track: Track) -> Samples:
    """The kick pattern, or its loop, at its level, (loop_frames,)."""
    own, loop = track.kick_part, track.kick_loop
    if own.muted:
        return np.zeros(loop_frames(track))
    sign = -1.0 if own.inverted else 1.0
    if not loop.plays:
        return sign * struck(track, track.kick, own.gain_db)
    return (processed_loop(track) if loop.processed else loop_stem(track)) * (sign * 10 ** (own.gain_db / 20))


def kick_description(track: Track) -> Track:
    """The part of a track that its kick stem before carve and duck is made from."""
    own = track.sheet
    sheet = Sheet(bpm=own.bpm, bars=own.bars, sample_rate=own.sample_rate, swing_pct=own.swing_pct)
    kick = track.kick_part.model_copy(update={"name": KICK.name})
    if kick.loop.plays and not kick.loop.processed:
        # Where the loop does not go through the hit's layers, the hit is one stroke of it, and not heard itself.
        kick = kick.model_copy(update={"hit": Hit()})
    elif not kick.loop.plays:
        kick = kick.model_copy(update={"loop": KickLoop()})
    return recipe(sheet, kick, *choking_parts(track, KICK_ID))


def kick_before(description: Track) -> Samples:
    """The kick before carve and duck, by its description (pure, remembered but for its level)."""
    return at_level(_before(without_level(description, KICK_ID)), description.kick_part.gain_db)


@remembered()
def _before(description: Track) -> Samples:
    return kept(kick_stem(description))


def kept(audio: Samples) -> Samples:
    """Audio that is remembered: nobody writes to it."""
    audio.setflags(write=False)
    return audio


def through_carve(description: Track, before: Samples, part: str) -> Samples:
    """A stem through the floor filter and the moves that are made on its part; itself where there are none."""
    rate, moves = description.sheet.sample_rate, carve_sections(description, part)
    out = filter_loop(before, floor_sections(description), sample_rate=rate)
    if description.carve.phase == "linear":
        out = level_loop(out, moves, sample_rate=rate)
    else:
        out = filter_loop(out, moves, sample_rate=rate)
    return before if out is before else kept(out)


def carved_kick_description(track: Track) -> Track:
    """The part of a track that its carved kick, un-ducked, is made from."""
    return with_carve(track, kick_description(track))


def with_carve(track: Track, alone: Track) -> Track:
    """A part's description with the carve that is made on it."""
    sheet = alone.sheet.model_copy(update={"owner": track.sheet.owner})
    return alone.model_copy(update={"sheet": sheet, "carve": track.carve})


def carved_kick(description: Track) -> Samples:
    """The kick as carved, un-ducked, by its description (pure, remembered but for its level)."""
    return at_level(_carved(without_level(description, KICK_ID)), description.kick_part.gain_db)


@remembered()
def _carved(description: Track) -> Samples:
    return through_carve(description, kick_before(kick_description(description)), KICK_ID)

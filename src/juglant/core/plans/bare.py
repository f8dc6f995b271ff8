"""A track without what was planned on it, and what planning starts from."""

from __future__ import annotations

from juglant.core.analysis.analyse import BandTable, contest_of
from juglant.core.loop.bass_line import note_spans
from juglant.core.loop.render import Stems, render_stems
from juglant.core.model.carve import NO_AIM, Carve
from juglant.core.model.duck import MOST_CURVES, Duck
from juglant.core.model.ids import KICK_ID
from juglant.core.model.track import Track
from juglant.core.separate.clearance import Contest

# What of the carve is a way of working, and stays when it is taken off.
KEPT = (
    "floor_hz", "phase", "mirror_pct", "share_pct", "kick_share_pct", "order", "depth_limit_db", "lift_limit_db",
)  # fmt: skip


def without_room(track: Track) -> Track:
    """The track before any carve or duck; the floor filter goes too."""
    carve = Carve(**{name: getattr(track.carve, name) for name in KEPT})
    return with_kick_duck(track, None).with_duck(Duck()).model_copy(update={"carve": carve})


def unplanned(track: Track) -> Track:
    """The track to plan room on: without carve and duck, behind its floor filter and the kick's pass, keyed as it is."""
    carve = track.carve.model_copy(update={"on": False, "moves": (), "kick_moves": (), "aim": NO_AIM})
    duck = track.duck.model_copy(update={"on": False, "drawn": (), "drive": "curve", "fitted": None})
    return _unducked(track).with_duck(duck).model_copy(update={"carve": carve})


def measured(track: Track) -> tuple[Stems, Contest, BandTable]:
    """The stems of a track, what kick and bass fight over, and their low bands."""
    contest, table = contest_of(track)
    return render_stems(track), contest, table


def uncarved(track: Track, *, ducked: bool = False) -> Track:
    """The track without its carve, floor filter and the kick's own pass as they are; ducked: with its duck."""
    bare = track if ducked else _unducked(track)
    return bare.model_copy(update={"carve": bare.carve.model_copy(update={"on": False})})


def kick_duck(track: Track) -> Duck | None:
    """The curve by which the kick gives way under the notes of the bass; None without one."""
    target = track.kick_part.ducked
    return None if target.follows else next((one for one in target.curves if one.key.kind == "notes"), None)


def with_kick_duck(track: Track, curve: Duck | None) -> Track:
    """The track with that curve, the kick's first, in place of the one it had, or without; unchanged where it is full."""
    target = track.kick_part.ducked
    others = tuple(one for one in target.curves if one.key.kind != "notes")
    if curve is None:
        same = others == target.curves
        return track if same else track.with_part(KICK_ID, ducked=target.model_copy(update={"curves": others}))
    if len(others) == MOST_CURVES:
        return track
    curves = (curve, *others)
    return track.with_part(KICK_ID, ducked=target.model_copy(update={"curves": curves, "follows": None}))


def _unducked(track: Track) -> Track:
    """The track with the ducks off that its carve and they share out."""
    own = kick_duck(track)
    if own is not None:
        track = with_kick_duck(track, own.model_copy(update={"on": False}))
    return track.with_duck(track.duck.model_copy(update={"on": False}))


def line_spans(track: Track) -> list[tuple[int, int, int]]:
    """Number, first frame and frames of every note of the line that sounds, where it sounds."""
    shift = round(track.bass_part.shift_ms * track.sheet.sample_rate / 1000)
    return [(note.note, start + shift, frames) for note, start, frames in note_spans(track)]

"""Which curves a part is ducked by: its own, or those it follows; and what else of it that takes."""

from __future__ import annotations

from juglant.core.duck.curve import lowest_db
from juglant.core.model.duck import DEPTH_LIMIT_DB, MOST_CURVES, Duck
from juglant.core.model.ids import BASS_PART
from juglant.core.model.sheet import LOWEST_ZONE_HZ
from juglant.core.model.track import Track

# At the corner of a crossover half of a sound is left alone: a third of an octave further what lies below it is ducked.
INTO_ZONE = 2 ** (1 / 3)


def followed(track: Track, part: str) -> tuple[str, float]:
    """The part whose own curves make this part's gain, and how much of that gain in dB; a circle ends where it began."""
    share, seen = 1.0, {part}
    at = part
    while (target := track.part(at).ducked).follows is not None and target.follows not in seen:
        share *= target.scale_pct / 100
        at = target.follows
        seen.add(at)
    return (at, share) if at != part else (part, 1.0)


def _acts(one: Duck) -> bool:
    return one.on and (one.drive == "compressor" or lowest_db(one) < 0)


def curves_of(track: Track, part: str) -> tuple[Duck, ...]:
    """Every curve that acts on a part, its own or those it follows, as deep as they are there."""
    source, share = followed(track, part)
    curves = tuple(one for one in track.part(source).ducked.curves if _acts(one))
    return tuple(scaled(one, share) for one in curves)


def scaled(one: Duck, share: float) -> Duck:
    """A curve so much deeper in dB, within what a curve may reach."""
    if share == 1.0:
        return one
    drawn = tuple(point.model_copy(update={"gain_db": max(-DEPTH_LIMIT_DB, point.gain_db * share)}) for point in one.drawn)
    return one.model_copy(update={"depth_db": min(DEPTH_LIMIT_DB, one.depth_db * share), "drawn": drawn})


def first_curve(track: Track, part: str) -> Duck:
    """The curve of a part that is solved: the bass's own, of another its first; a new one that is off where it has none.

    Of a part that follows another the curve it follows, as deep as it is there.
    """
    source, share = followed(track, part)
    curves = track.part(source).ducked.curves
    return scaled(curves[0], share) if curves else Duck()


def with_curve(track: Track, part: str, curve: Duck) -> Track:
    """The track with a part's first curve in place, which is its own then."""
    own = track.part(part).ducked
    made = own.model_copy(update={"curves": (curve, *own.curves[1:]), "follows": None})
    return track.with_part(part, ducked=made)


def unlinked(track: Track, part: str) -> Track:
    """The track with what a part follows as curves of its own, as deep as they are there; they go together as they did."""
    source, share = followed(track, part)
    own, model = track.part(part).ducked, track.part(source).ducked
    curves = tuple(scaled(one, share).model_copy(update={"fitted": None}) for one in model.curves)
    changes = {"curves": curves[:MOST_CURVES], "together": model.together, "limit_db": model.limit_db, "follows": None}
    return track.with_part(part, ducked=own.model_copy(update=changes))


def starts_beats(track: Track, part: str) -> list[float]:
    """Where a part's own notes or strokes start inside the loop, in beats, in order."""
    if part == BASS_PART:
        return [note.at_beats for note in track.notes()]
    return sorted({stroke.at_beats for one in track.hits() if one.id == part for stroke in track.played(one)})


def ducked_parts(track: Track) -> list[str]:
    """Every part that a curve acts on, in order."""
    return [one.id for one in track.parts if curves_of(track, one.id)]


def split_of(track: Track, part: str) -> float | None:
    """Below which alone a part is ducked, Hz; None: all of it is.

    By zones the bass is ducked at most up to its own lowest zone, and as far into that as the crossover is wide.
    """
    target = track.part(part).ducked
    ends = [target.split_hz] if target.split else []
    own = track.sheet.bass_from_hz if part == BASS_PART else None
    if own is not None and own > LOWEST_ZONE_HZ:
        ends.append(own * INTO_ZONE)
    return min(ends, default=None)

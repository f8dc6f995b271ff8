"""Each school of tuning, applied: on the tonic, on the fifth, following the chords, short and unpitched."""

from __future__ import annotations

from juglant.core.errors import InvalidTrack
from juglant.core.hit.shorten import shortened
from juglant.core.hit.transpose import Way
from juglant.core.measure.landing import FIRM_CYCLES
from juglant.core.model.strokes import Stroke
from juglant.core.model.track import Track
from juglant.core.music.notes import cents_between
from juglant.core.music.tempo import BEATS_PER_BAR
from juglant.core.tune.hit_pitch import hit_pitch
from juglant.core.tune.retune import tuned
from juglant.core.tune.targets import School, advice, chord_roots, nearest_of_class

# Less than this nobody hears: the stroke is the hit as it is.
LEAST_CENTS, FARTHEST_CENTS = 0.5, 1200.0
ROUNDS, LEAST_RATIO = 8, 0.4


def _pitch_hz(track: Track, hit_id: str) -> float:
    one = track.hit_of(hit_id)
    used_hz = hit_pitch(track, one).used_hz
    if used_hz is None:
        raise InvalidTrack(f"{one.name} has no measured pitch: give it a longer body, or say by hand where it lands")
    return used_hz


def one_pitch(track: Track, hit_id: str) -> Track:
    """The track with every stroke of a hit at the hit's own pitch."""
    strokes = track.hit_of(hit_id).strokes
    return track.with_strokes(hit_id, tuple(stroke.model_copy(update={"tune_cents": 0.0}) for stroke in strokes))


def following_chords(track: Track, hit_id: str) -> Track:
    """The track with each stroke of a hit on the nearest note of its bar's root; a bar without one keeps the last.

    Raises InvalidTrack where the hit has no pitch or the line no notes.
    """
    one = track.hit_of(hit_id)
    if one.strokes and all(stroke.note is not None for stroke in one.strokes):
        raise InvalidTrack(f"{one.name} plays a line: it is heard at its notes, which are on Track")
    here, roots = _pitch_hz(track, hit_id), dict(chord_roots(track))
    if not roots:
        raise InvalidTrack("the line has no notes, and so no roots to follow; write the bass first")
    strokes = [_on(track, stroke, here, roots) for stroke in track.hit_of(hit_id).strokes]
    return track.with_strokes(hit_id, tuple(strokes))


def _on(track: Track, stroke: Stroke, here_hz: float, roots: dict[int, int]) -> Stroke:
    if stroke.note is not None:
        return stroke
    bar = int(stroke.at_beats // BEATS_PER_BAR)
    before = [known for known in roots if known <= bar] or [max(roots)]
    target = nearest_of_class(track, roots[max(before)] % 12, here_hz)
    cents = cents_between(target.frequency_hz, here_hz)
    return stroke.model_copy(update={"tune_cents": round(cents, 2) if abs(cents) > LEAST_CENTS else 0.0})


def unpitched(track: Track, hit_id: str) -> Track:
    """The track with a hit so short that under four cycles of it are heard; what is measured counts.

    Raises InvalidTrack where it is that short already, or nothing of it can be shortened that far.
    """
    for turn in range(ROUNDS):
        one = track.hit_of(hit_id)
        landing = hit_pitch(track, one).landing
        if landing.verdict == "none" or landing.cycles < FIRM_CYCLES:
            if turn == 0:
                raise InvalidTrack(f"under {FIRM_CYCLES:.0f} cycles of {one.name} are heard: it is no note as it is")
            return track
        hit = shortened(one.hit, max(LEAST_RATIO, 0.95 * FIRM_CYCLES / landing.cycles))
        if hit == one.hit:
            break
        track = track.with_hit(hit_id, hit)
    raise InvalidTrack(f"{track.hit_of(hit_id).name} cannot be made that short by its holds and decays")


def by_school(track: Track, hit_id: str, school: School, way: Way = "as set") -> Track:
    """The track with a hit as one school asks; raises InvalidTrack where it asks for what cannot be."""
    if school == "chords":
        return following_chords(track, hit_id)
    if school == "unpitched":
        return unpitched(one_pitch(track, hit_id), hit_id)
    is_kick = track.hit_of(hit_id).role == "kick"
    asked = next(one for one in advice(track, _pitch_hz(track, hit_id), is_kick=is_kick) if one.school == school)
    if asked.target is None:
        raise InvalidTrack(f"{asked.reason}: choose another key, scale or school")
    return tuned(one_pitch(track, hit_id), hit_id, asked.target.frequency_hz, way)

"""Every part that is ducked: its curve over the loop, what it clears for the kick, and its guards."""

from __future__ import annotations

from juglant.core.analysis.duck_aims import (
    NO_CLASH_DB,
    PAIR_GOAL_DB,
    Sides,
    keys_apart,
    kick_active,
    part_aims,
    part_strokes,
)
from juglant.core.analysis.part_duck import lowest_hz, why_none
from juglant.core.duck.compressor import match_compressor
from juglant.core.duck.part_curves import first_curve, with_curve
from juglant.core.duck.shaped import shaped
from juglant.core.duck.strokes import activities
from juglant.core.hit.render import folded
from juglant.core.loop.gain import part_rows
from juglant.core.loop.key_sound import level_of_key
from juglant.core.loop.place import loop_frames
from juglant.core.loop.render import render_stem
from juglant.core.loop.used_takes import missing_takes, with_every_take
from juglant.core.measure.bands import all_band_frames
from juglant.core.model.duck import DEPTH_LIMIT_DB, Duck
from juglant.core.model.ids import BASS_PART, KICK_ID
from juglant.core.model.stem import StemRef
from juglant.core.model.track import Track
from juglant.core.plans.computed_for import changed_since, refit_parts, with_fit
from juglant.core.plans.duck_return import shortest_return_ms
from juglant.core.plans.duck_solver import DuckPlan, solve_duck
from juglant.core.plans.room_duck import plan_rest
from juglant.core.separate.aims import together
from juglant.core.separate.clearance import find_pair, kick_clearance


def plan_part(track: Track, part: str, because: tuple[str, ...] = ()) -> tuple[Track, DuckPlan]:
    """The track with a part's first curve computed: as deep as the kick needs; a compressor in its place is matched anew.

    Another part than the bass that shares nothing with the kick keeps its depth: its curve follows the kick's own length.
    because: what changed since it was computed before.
    """
    planned, plan = _planned(track, part)
    curve = first_curve(planned, part)
    if curve.on and first_curve(track, part).drive == "compressor":
        planned = with_compressor(planned, part)
    return with_fit(planned, part, because), plan


def with_compressor(track: Track, part: str) -> Track:
    """The track with a compressor in place of a part's first curve, set as close to it as it comes; make-up as it is."""
    curve = first_curve(track, part)
    alone = with_curve(track, part, curve.model_copy(update={"drive": "curve"}))
    rows = part_rows(alone, part, loop_frames(track))
    level = level_of_key(track, curve.key)
    found = match_compressor(rows, level, early_ms=curve.compressor.early_ms).settings
    kept = curve.compressor.model_dump(include={"early_ms", "make_up", "make_up_db"})
    settings = found.model_copy(update=kept)
    return with_curve(track, part, curve.model_copy(update={"drive": "compressor", "compressor": settings}))


def refitted(track: Track) -> Track:
    """The track with every computed curve that is behind computed again; of what is not there none is."""
    silent = {one.part for one in missing_takes(track)}
    for part in refit_parts(track) if KICK_ID not in silent else ():
        if part in silent:
            continue
        track, _ = plan_part(track, part, changed_since(track, part))
    return track


def _planned(track: Track, part: str) -> tuple[Track, DuckPlan]:
    curve = first_curve(with_every_take(track, {KICK_ID, part}), part)
    bare = with_curve(track, part, curve.model_copy(update={"on": False}))
    if (part == KICK_ID and curve.key.kind == "notes") or (part == BASS_PART and not keys_apart(track, part)):
        return plan_rest(track, bare, part, lowest_hz(track, part))
    aims = part_aims(bare, part)
    if part != BASS_PART and (not aims or together(aims).reason is not None):
        return _as_deep_as_it_is(track, part, why_none(aims) or "")
    stem = folded(render_stem(bare, StemRef(part, "unducked")))
    both = Sides(bare, keys_apart(bare, part))
    plan = solve_duck(
        track,
        aims,
        owner_energy=both.owner(),
        stem=stem,
        energy=both.of(StemRef(part)),
        frames_of=both.frames,
        part=part,
        lowest_hz=lowest_hz(track, part),
    )
    if not plan.duck.on and curve.on and part != BASS_PART:
        return _as_deep_as_it_is(track, part, plan.reason)
    return with_curve(track, part, plan.duck), plan


def _as_deep_as_it_is(track: Track, part: str, why: str) -> tuple[Track, DuckPlan]:
    """The curve with its times from the kick's own length, and the depth it has."""
    curve = first_curve(track, part)
    strokes = part_strokes(track, part, curve)
    if not keys_apart(track, part) and curve.key.kind != "notes":
        strokes = activities(track, kick_active(track), part, curve)
    if not strokes:
        off = curve.model_copy(update={"on": False})
        return with_curve(track, part, off), DuckPlan(off, 0.0, None, False, 0.0, None, "nothing keys this curve")
    duck, uncovered = shaped(curve, strokes, curve.depth_db, shortest_ms=shortest_return_ms(lowest_hz(track, part)))
    recovery = min(one.recovery_s for one in strokes) * track.sheet.bpm / 60
    reason = f"{why}: its times are the kick's, its depth is yours"
    return with_curve(track, part, duck), DuckPlan(duck, 0.0, None, False, uncovered, recovery, reason)


def newly_ducked(track: Track, part: str) -> Track:
    """The track with a first curve of a part that has none, keyed by the kick: from its own clash over all third octaves.

    As deep as its clash lacks of +6 dB; without one 2 dB at most. Its times are those of the kick where the two meet.
    """
    rate, curve = track.sheet.sample_rate, Duck(on=True)
    stems = [folded(render_stem(track, StemRef(one, "before"))) for one in (KICK_ID, part)]
    kick, own = (all_band_frames(stem, sample_rate=rate) for stem in stems)
    contest = find_pair(kick, own)
    clear = kick_clearance(kick, own, contest)
    lacks = 0.0 if clear is None else PAIR_GOAL_DB - clear
    active = contest.active_any() if clear is not None else kick_active(track)
    strokes = activities(track, active, part, curve)
    depth = min(lacks, DEPTH_LIMIT_DB) if lacks > NO_CLASH_DB else NO_CLASH_DB
    if strokes:
        curve, _ = shaped(curve, strokes, depth, shortest_ms=shortest_return_ms(lowest_hz(track, part)))
    return with_curve(track, part, curve.model_copy(update={"depth_db": round(depth, 2)}))


def plan_targets(track: Track) -> tuple[Track, dict[str, DuckPlan]]:
    """The track with the first curve computed of every target beside the bass that has one and is there, and the plans."""
    plans: dict[str, DuckPlan] = {}
    silent = {one.part for one in missing_takes(track)}
    for one in track.parts:
        if one.id != BASS_PART and one.ducked.curves and one.ducked.follows is None and one.id not in silent:
            track, plans[one.id] = plan_part(track, one.id)
    return track, plans

"""Every part that is ducked: its curve over the loop, what it clears for the kick, and its guards."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

from juglant.core.duck.back import shortest_return_ms
from juglant.core.duck.compressor import match_compressor
from juglant.core.duck.curve import GainRows, rows_to_gain
from juglant.core.duck.guards import Guards, bar_losses_lu, level_jump_lu, measure_guards
from juglant.core.duck.key_sound import level_of_key
from juglant.core.duck.keys import key_beats, keyed_by_itself
from juglant.core.duck.shaped import shaped
from juglant.core.duck.solve import DuckPlan, needed_db, solve_duck, standing_of
from juglant.core.duck.strokes import Activity, activities
from juglant.core.duck.targets import curves_of, first_curve, part_gain, part_rows, starts_beats, with_curve
from juglant.core.hit.render import folded
from juglant.core.measure.bands import all_band_frames
from juglant.core.measure.landing import measure_landing
from juglant.core.memory import remembered
from juglant.core.mix.duck_aims import (
    NO_CLASH_DB,
    PAIR_GOAL_DB,
    Sides,
    key_name,
    keys_apart,
    kick_active,
    part_aims,
    part_strokes,
    part_title,
)
from juglant.core.mix.fitted import changed_since, refit_parts, with_fit
from juglant.core.mix.kick_stem import cached_hit, loop_frames
from juglant.core.mix.kit import stroke_tempo
from juglant.core.mix.render import render_stem, stem_made_of
from juglant.core.mix.room_duck import plan_rest
from juglant.core.mix.stem_bands import Whatever, bands_of
from juglant.core.mix.used_takes import missing_takes, with_every_take
from juglant.core.model.duck import BASS_PART, DEPTH_LIMIT_DB, Duck, Key
from juglant.core.model.hit import Hit
from juglant.core.model.kit import KICK_ID
from juglant.core.model.stem import BASS, KICK, StemRef
from juglant.core.model.track import Track, lowest_note_hz
from juglant.core.separate.aims import Aim, together
from juglant.core.separate.clearance import Goal, find_pair, kick_clearance

NOT_YIELDING = "the kick itself: there is nothing to clear"


@dataclass(frozen=True)
class PartDuck:
    """One ducked part.

    owner: what it makes room for, by name; before_db, after_db: that over this part in the bands they share, without and
    with its curves, None where they share none, and reason says why; needed_db: how far it has to go down for its goal;
    strokes: when each key needs room.
    """

    part: str
    name: str
    owner: str
    rows: GainRows
    strokes: list[Activity]
    guards: Guards
    before_db: float | None
    after_db: float | None
    goal: Goal | None
    needed_db: float | None
    reason: str | None
    keyed_by_itself: bool


@lru_cache(maxsize=64)
def _landing_hz(hit: Hit, sample_rate: int, tempo: float) -> float | None:
    audio = cached_hit(hit, sample_rate, tempo).audio
    return measure_landing(audio, sample_rate=sample_rate).landing_hz if audio.size else None


def lowest_hz(track: Track, part: str) -> float | None:
    """The lowest note of a part, Hz: of the line by its numbers, of a hit where it lands; None where it has no pitch."""
    if part == BASS_PART:
        return lowest_note_hz(track)
    hit = track.hit_of(part).hit
    return _landing_hz(hit, track.sheet.sample_rate, stroke_tempo(hit, track.sheet.bpm))


def measure_part(track: Track, part: str) -> PartDuck:
    """A part's curve and everything measured of it (pure, remembered by what it is made from)."""
    own = StemRef(part)
    apart = [StemRef(one, state) for one in keys_apart(track, part) for state in ("heard", "before")]
    low = (KICK, KICK.of("before"), *((BASS, BASS.of("before")) if part == KICK_ID else ()))
    stems = [stem_made_of(track, one) for one in (*low, own.of("before"), own, *apart)]
    keys = [
        (one.model_dump_json(), key_beats(track, one.key)) for one in (first_curve(track, part), *curves_of(track, part))
    ]
    names = part_title(track, part), key_name(track, part)
    told = (names, track.limits.not_back_db, track.ducking.of(part).goal_db, starts_beats(track, part))
    whose = (track.sheet.owner, track.sheet.zones, track.sheet.a4_hz)
    return _measured(f"{stems} {keys} {told} {whose}", part, Whatever(track))


@remembered()
def _measured(made_of: str, part: str, given: Whatever) -> PartDuck:
    track = given.track
    own, rate = StemRef(part), track.sheet.sample_rate
    plain = folded(render_stem(track, own.of("unducked")))
    rows = part_rows(track, part, plain.size)
    gain = rows_to_gain(rows, plain.size, sample_rate=rate)
    aims, strokes = part_aims(track, part), part_strokes(track, part)
    both = Sides(track, keys_apart(track, part))
    owner = bands_of(track, BASS) if part == KICK_ID else both.owner()
    now = standing_of(part, aims, owner, both.of(own.of("unducked")))
    heard = both.of(own)
    after = None if now is None else now.aim.clearance_db(*((heard, owner) if part == KICK_ID else (owner, heard)))
    return PartDuck(
        part=part,
        name=part_title(track, part),
        owner=key_name(track, part),
        rows=rows,
        strokes=strokes,
        guards=measure_guards(track, plain, gain, rows, strokes, part=part, lowest_hz=lowest_hz(track, part)),
        before_db=None if now is None else now.clearance_db,
        after_db=after,
        goal=aims[0].goal if aims and now is None else None if now is None else now.aim.goal,
        needed_db=None if now is None else needed_db(now, part),
        reason=_said(aims),
        keyed_by_itself=any(keyed_by_itself(part, one.key) for one in curves_of(track, part)),
    )


def _said(aims: Sequence[Aim]) -> str | None:
    if not aims:
        return NOT_YIELDING
    return None if together(aims).reason is None else "it shares no low band with the kick"


@dataclass(frozen=True)
class BarLevels:
    """What the gain takes of a part in each bar, LU, not over 0 (None: silent), and the most less the least of it."""

    losses_lu: tuple[float | None, ...]
    jump_lu: float | None


def bar_levels(track: Track, part: str, key: Key) -> BarLevels:
    """The same by bar for a part whose first curve had this key."""
    keyed = with_curve(track, part, first_curve(track, part).model_copy(update={"key": key}))
    plain = folded(render_stem(keyed, StemRef(part, "unducked")))
    losses = bar_losses_lu(keyed, plain, part_gain(keyed, part, plain.size))
    return BarLevels(losses, level_jump_lu(losses))


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
        return _as_deep_as_it_is(track, part, _said(aims) or "")
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
    for target in track.ducking.targets:
        known = target.part == KICK_ID or any(one.id == target.part for one in track.kit)
        if target.part != BASS_PART and target.curves and target.follows is None and known and target.part not in silent:
            track, plans[target.part] = plan_part(track, target.part)
    return track, plans

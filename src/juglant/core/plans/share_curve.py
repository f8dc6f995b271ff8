"""What every share of the carve would do, predicted on exact responses: nothing of it is rendered but one duck."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from juglant.core.analysis.carve_share import cheapest, share_active
from juglant.core.analysis.evenness import note_loudness
from juglant.core.analysis.stem_bands import bands_of
from juglant.core.duck.curve import rows_to_gain
from juglant.core.duck.part_curves import with_curve
from juglant.core.duck.strokes import held_activities
from juglant.core.hit.render import folded
from juglant.core.loop.gain import part_rows
from juglant.core.loop.render import render_stem
from juglant.core.measure.bands import low_band_frames
from juglant.core.model.duck import DEPTH_LIMIT_DB
from juglant.core.model.ids import BASS_PART, KICK_ID
from juglant.core.model.stem import BASS, KICK, StemRef
from juglant.core.model.track import Track
from juglant.core.plans.bare import kick_duck, line_spans, with_kick_duck
from juglant.core.plans.duck_solver import DuckPlan
from juglant.core.plans.ducks import plan_part
from juglant.core.plans.plan import CarveCase, carve_case, wanted_db
from juglant.core.plans.room_duck import NEW_KICK_DUCK
from juglant.core.progress import steps
from juglant.core.separate.carve import CarvePlan, CarveSolver
from juglant.core.separate.carve_problem import NOTE_S, CarveProblem
from juglant.core.separate.clearance import GOALS, Goal, kick_clearance
from juglant.core.separate.filters import move_sections, yielder
from juglant.core.separate.kick_pass import solve_pass
from juglant.core.signal.filters import response
from juglant.core.types import Samples

STEPS_PCT = (0, 10, 20, 30, 40, 50, 60, 70, 80, 90, 100)


@dataclass(frozen=True)
class SharePoint:
    """What one share would do: clearance of the carve alone and with the duck, and what both cost.

    low_middle_db, spread_lu, lost_lu: of the carve, as `RoomCost` says them, but against the part that yields behind its
    floor filter; spread_lu: None of a kick;
    limited: the carve does not come as far as its share; short_db: of the goal, after the duck.
    """

    share_pct: float
    carved_db: float
    low_middle_db: float
    spread_lu: float | None
    lost_lu: float
    duck_db: float
    short_db: float
    limited: bool
    moves: int


@dataclass(frozen=True)
class ShareCurve:
    """Every share from duck alone to carve alone; cheapest_pct: the one that costs least; active_pct: of the time."""

    points: tuple[SharePoint, ...]
    cheapest_pct: float
    active_pct: float
    goal_db: float
    before_db: float


@dataclass(frozen=True)
class _Notes:
    """The loudest and the quietest of each kind of note, LUFS, both (notes,)."""

    loudest: Samples
    quietest: Samples


def share_curve(track: Track) -> ShareCurve | None:
    """The whole curve of a track; None where kick and bass do not meet, the bass does not yield, or none is needed."""
    owner = track.sheet.owner
    if owner == "zones":
        return None
    goal = GOALS[owner]
    case, _ = carve_case(track, share=0.0)
    if case is None or goal.short_db(case.before_db) <= 0:
        return None
    if yielder(owner) == KICK_ID:
        return _kick_curve(track, case, goal)
    notes, leak = _levels(track, case), _leak(track, case)
    points: list[SharePoint] = []
    solver = CarveSolver(case.problem)
    for pct in steps(STEPS_PCT):
        plan = solver.plan(wanted_db(goal, case.before_db, pct / 100))
        points.append(_point(track, case, goal, plan, float(pct), notes, leak))
    p = share_active(case.contest)
    return ShareCurve(tuple(points), 100 * cheapest(p), 100 * p, goal.db, case.before_db)


def _kick_curve(track: Track, case: CarveCase, goal: Goal) -> ShareCurve:
    """The same where the kick gives way: a pass for each share, and a duck under the notes for the rest."""
    asked = case.bare.carve.model_copy(update={"order": "carve first", "kick_share_pct": 0.0})
    curve = kick_duck(track) or NEW_KICK_DUCK
    bare = with_kick_duck(case.bare.model_copy(update={"carve": asked}), curve)
    made, under = plan_part(bare, KICK_ID)
    leak = _leaking(bare, made, under, KICK_ID, case)
    first, points = track.carve.order == "duck first", []
    lacks, flat = case.before_db - goal.db, np.ones_like(case.problem.low_middle[0])
    for pct in steps(STEPS_PCT):
        depth = (1 - pct / 100) * lacks if under.duck.on else 0.0
        # Ducked first, the pass does all that is left over.
        wanted = goal.db + _cleared(depth, leak) if first else wanted_db(goal, case.before_db, pct / 100)
        plan = solve_pass(replace(case.problem, wanted_db=wanted))
        if not first:
            depth = max(plan.clearance_db - goal.db, 0.0) if under.duck.on and pct < 100 else 0.0
        depth = min(depth, DEPTH_LIMIT_DB)
        reached, gain = plan.clearance_db - _cleared(depth, leak), _gain(case.problem, plan)
        points.append(
            SharePoint(
                share_pct=float(pct),
                carved_db=plan.clearance_db,
                low_middle_db=_low_middle(case.problem, gain) - _low_middle(case.problem, flat),
                spread_lu=None,
                lost_lu=plan.loudness_lost_lu,
                duck_db=depth,
                short_db=goal.short_db(reached - 0.1),
                limited=plan.limited,
                moves=len(plan.moves),
            )
        )
    held = held_activities(bare, KICK_ID, curve, curve.hold_ms / 1000)
    p = sum(one.end_s for one in held) / (track.sheet.length_beats * 60 / track.sheet.bpm)
    return ShareCurve(tuple(points), 100 * cheapest(p), 100 * p, goal.db, case.before_db)


def _point(
    track: Track, case: CarveCase, goal: Goal, plan: CarvePlan, pct: float, notes: _Notes | None, leak: float
) -> SharePoint:
    problem = case.problem
    gain = _gain(problem, plan)
    first = track.carve.order == "duck first"
    # Ducked first, the duck is made for its own share, or for what the carve may not do.
    lacks = goal.db - case.before_db
    own = max((1 - pct / 100) * lacks, goal.db - plan.clearance_db) if first else goal.db - plan.clearance_db
    depth = _depth(min(max(own, 0.0), lacks, DEPTH_LIMIT_DB), leak)
    reached = plan.clearance_db + _cleared(depth, leak)
    return SharePoint(
        share_pct=pct,
        carved_db=plan.clearance_db,
        low_middle_db=_low_middle(problem, gain) - _low_middle(problem, np.ones_like(gain)),
        spread_lu=_spread(problem, gain, notes),
        lost_lu=plan.loudness_lost_lu,
        duck_db=depth,
        short_db=goal.short_db(reached + 0.1),
        limited=plan.limited,
        moves=len(plan.moves),
    )


def _gain(problem: CarveProblem, plan: CarvePlan) -> Samples:
    """Power gain of the moves in every bin, (bins,)."""
    rate = problem.sample_rate
    return np.asarray(np.abs(response(move_sections(plan.moves, sample_rate=rate), problem.loud_hz, sample_rate=rate)) ** 2)


def _low_middle(problem: CarveProblem, gain: Samples) -> float:
    low, middle = (max(float(one @ gain), 1e-30) for one in problem.low_middle)
    return float(10 * np.log10(low / middle))


def _levels(track: Track, case: CarveCase) -> _Notes | None:
    """How loud each kind of note is behind the floor filter; None where there is no note."""
    rate = track.sheet.sample_rate
    levels = note_loudness(track, folded(render_stem(case.bare, BASS.of("unducked"))), sample_rate=rate)
    kinds = {key: index for index, key in enumerate(case.problem.note_kinds)}
    spans = line_spans(track)
    if not kinds or len(spans) != len(levels):
        return None
    loudest, quietest = np.full(len(kinds), -np.inf), np.full(len(kinds), np.inf)
    for (number, _, frames), level in zip(spans, levels, strict=True):
        index = kinds.get((number, min(frames, round(NOTE_S * rate))))
        if index is not None and level is not None:
            loudest[index], quietest[index] = max(loudest[index], level), min(quietest[index], level)
    return _Notes(loudest, quietest) if np.isfinite(loudest).all() else None


def _spread(problem: CarveProblem, gain: Samples, notes: _Notes | None) -> float:
    """By how much the notes come apart, LU."""
    if notes is None:
        return 0.0
    change = 10 * np.log10(np.maximum(problem.note_power @ gain, 1e-30) / problem.note_power.sum(axis=1))
    before = notes.loudest.max() - notes.quietest.min()
    return float((notes.loudest + change).max() - (notes.quietest + change).min() - before)


def _leak(track: Track, case: CarveCase) -> float:
    """Share of the bass's energy in the judged cells that no duck takes: fall, return, and what the filters smear there.

    From the curve that the whole of the goal would ask of ducking, rendered once.
    """
    whole = case.bare.carve.model_copy(update={"order": "carve first"})
    bare = case.bare.model_copy(update={"carve": whole})
    made, plan = plan_part(bare, BASS_PART)
    return _leaking(bare, made, plan, BASS_PART, case)


def _leaking(bare: Track, made: Track, plan: DuckPlan, part: str, case: CarveCase) -> float:
    """What of a part's energy in the judged cells its planned duck does not take, 0 to 1; 0 where there is none."""
    if not plan.duck.on or plan.duck.depth_db <= 0:
        return 0.0
    stem, rate = folded(render_stem(bare, StemRef(part, "unducked"))), bare.sheet.sample_rate
    rows = part_rows(with_curve(made, part, plan.duck), part, stem.size)
    ducked = low_band_frames(stem * rows_to_gain(rows, stem.size, sample_rate=rate), sample_rate=rate)
    other = bands_of(bare, BASS if part == KICK_ID else KICK)
    reached = kick_clearance(*((ducked, other) if part == KICK_ID else (other, ducked)), case.contest)
    if reached is None:
        return 0.0
    left, asked = 10 ** (-abs(reached - case.before_db) / 10), 10 ** (-plan.duck.depth_db / 10)
    return float(np.clip((left - asked) / (1 - asked), 0.0, 1.0))


def _cleared(depth_db: float, leak: float) -> float:
    """What a duck of a depth clears, dB."""
    return float(-10 * np.log10(leak + (1 - leak) * 10 ** (-depth_db / 10)))


def _depth(wanted: float, leak: float) -> float:
    """The depth that clears so much, dB, within the limit of depth."""
    rest = (10 ** (-wanted / 10) - leak) / (1 - leak) if leak < 1 else 0.0
    return DEPTH_LIMIT_DB if rest <= 10 ** (-DEPTH_LIMIT_DB / 10) else float(-10 * np.log10(min(rest, 1.0)))

"""The steps that change a track: carve it, duck it, both, or undo them; each returns a new track."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from juglant.core.hit.fit import fit_layers, fitted
from juglant.core.hit.strokes import stroke_tempo
from juglant.core.loop.render import render_stem
from juglant.core.loop.used_takes import missing_takes, said_missing, with_every_take
from juglant.core.measure.bands import low_band_frames
from juglant.core.model.carve import SHARE_AIM, Carve, Move
from juglant.core.model.duck import MOST_CURVES
from juglant.core.model.ids import BASS_PART, KICK_ID
from juglant.core.model.sheet import Owner
from juglant.core.model.stem import BASS, KICK
from juglant.core.model.track import Track, lowest_note_hz
from juglant.core.plans.bare import kick_duck, line_spans, measured, uncarved, with_kick_duck
from juglant.core.plans.duck_solver import DuckPlan
from juglant.core.plans.ducks import plan_part, plan_targets
from juglant.core.plans.room_duck import NEW_KICK_DUCK, ducks_first, share_of
from juglant.core.plans.zone_plan import plan_zones, room_by_zones
from juglant.core.separate.aims import Clearance, ZoneFigure, aims_of, measure_clearance
from juglant.core.separate.carve import CarvePlan, solve_carve
from juglant.core.separate.carve_problem import LOWEST_LIMIT_HZ, CarveLimits, CarveProblem, carve_problem
from juglant.core.separate.clearance import Contest, Goal, kick_clearance
from juglant.core.separate.filters import yielder
from juglant.core.separate.kick_pass import solve_pass
from juglant.core.types import Mask

# The mirror follows the cuts, and they it: this often again.
OWNER_ROUNDS = 2
NO_CURVE_LEFT = f"the kick has {MOST_CURVES} curves of its own: without one of them it can be ducked under the bass's notes"
# A kick that gives way to the bass by bells and shelves is cut no deeper than this (a pass is not held to it).
KICK_LIMITS = CarveLimits(12.0, passes=False)


def nothing_to_plan(track: Track) -> str:
    """Why there is no room to plan; empty where there is."""
    sheet = with_every_take(track, {KICK_ID, BASS_PART}).sheet
    _, contest, _ = measured(uncarved(track))
    found = [aim.contest.reason for aim in aims_of(sheet, contest)]
    return "" if None in found else contest.reason or found[0] or ""


def wanted_db(goal: Goal, before_db: float, share: float) -> float:
    """The clearance to carve for: so much of the way from what is to the goal."""
    return before_db + share * (goal.db - before_db) if goal.short_db(before_db) > 0 else goal.db


@dataclass(frozen=True)
class CarveCase:
    """All that a carve is planned from: the problem, the contest, and the cells that are judged."""

    problem: CarveProblem
    contest: Contest
    cells: Mask
    bare: Track
    before_db: float


def carve_case(track: Track, *, ducked: bool = False, share: float | None = None) -> tuple[CarveCase | None, str]:
    """What a carve of a track is planned from, and why there is nothing where there is not.

    ducked: behind its duck, for all that is left; share: of the way to the goal, by default the track's own.
    """
    sheet, carve = with_every_take(track, {KICK_ID, BASS_PART}).sheet, track.carve
    # The floor filter is a stage of its own: the carve is judged through it.
    bare = uncarved(track, ducked=ducked)
    stems, contest, table = measured(bare)
    before = kick_clearance(table.kick, table.bass if ducked else table.bass_unducked, contest)
    if contest.reason is not None or before is None:
        return None, contest.reason or "kick and bass do not meet"
    (aim,) = aims_of(sheet, contest)
    goal, kick_yields = aim.goal, aim.kick_yields
    cells = contest.active & np.array(contest.judged)[:, None]
    own = (table.kick if ducked else table.kick_unducked) if kick_yields else table.bass if ducked else table.bass_unducked
    limits = CarveLimits(carve.depth_limit_db, carve.lift_limit_db, from_hz=lowest_note_hz(track) or LOWEST_LIMIT_HZ)
    problem = carve_problem(
        stems.kick if kick_yields else stems.bass if ducked else stems.bass_unducked,
        contest,
        goal.db if ducked else wanted_db(goal, before, share_of(track) if share is None else share),
        KICK_LIMITS if kick_yields else limits,
        own_energy=float(own[cells].sum()),
        other_energy=float((table.bass if kick_yields else table.kick)[cells].sum()),
        yielder_is_kick=kick_yields,
        spans=() if kick_yields else line_spans(track),
        sample_rate=sheet.sample_rate,
        linear_phase=carve.phase == "linear",
    )
    return CarveCase(problem, contest, cells, bare, before), ""


def plan_carve(track: Track, *, ducked: bool = False, bells: bool = False) -> tuple[Track, CarvePlan | None, str]:
    """The track with the computed carve, the plan, and why there is none where there is none.

    ducked: for what its duck leaves over, not for all of it; bells: on the kick too bells and shelves in place of a pass.
    """
    if track.sheet.owner == "zones":
        return plan_zones(track, ducked=ducked)
    case, why = carve_case(track, ducked=ducked)
    if case is None:
        return track, None, why
    kick_yields = yielder(track.sheet.owner) == "kick"
    solve = solve_carve if bells or not kick_yields else solve_pass
    plan = solve(case.problem)
    # What the owner has is asked for once more where it is lifted by what is cut.
    for _ in range(OWNER_ROUNDS * (track.carve.mirror_pct > 0 and bool(plan.moves))):
        lifted = case.bare.model_copy(update={"carve": _carved_by(case.bare.carve, plan)})
        own = render_stem(lifted, (BASS if ducked else BASS.of("unducked")) if kick_yields else KICK)
        energy = float(low_band_frames(own, sample_rate=track.sheet.sample_rate)[case.cells].sum())
        again = solve(replace(case.problem, other_energy=energy))
        if not again.moves:
            # The lift is there only with the cut: without moves it would go as well.
            break
        plan = again
    made = track.model_copy(update={"carve": _carved_by(track.carve, plan)})
    if plan.moves:
        return made, plan, ""
    if plan.limited:
        return made, plan, "no carve helps here within its limits"
    said = "its share is 0" if share_of(track) <= 0 and not ducked else "the goal is reached without one"
    return made, plan, f"no carve is needed: {said}"


def carve_in_order(track: Track) -> tuple[Track, CarvePlan | None, str]:
    """The same in the track's order: behind its duck where that comes first and is there."""
    own = kick_duck(track) if yielder(track.sheet.owner) == KICK_ID else track.duck
    return plan_carve(track, ducked=ducks_first(track) and own is not None and own.on)


def carve_said(plan: CarvePlan | None, why: str) -> tuple[str, ...]:
    """What is to be said of a computed carve: that there is none, and why; or which limit keeps it from its share."""
    if plan is None or not plan.moves:
        return (why,) if why else ()
    if not plan.limited:
        return ()
    far, asked = f"{plan.clearance_db:.1f} dB", f"{plan.wanted_db:.1f} dB"
    limit = " and ".join(plan.binding)
    return (f"{plan.where}the carve comes to {far} where {asked} were its share: {limit} is as far as it goes",)


def _carved_by(carve: Carve, plan: CarvePlan) -> Carve:
    return carve.model_copy(update={"on": bool(plan.moves), "moves": plan.moves, "aim": SHARE_AIM})


def plan_duck(track: Track) -> tuple[Track, DuckPlan]:
    """The track with the computed duck of the part that yields, and its plan; the other's is off."""
    track, plan = plan_part(track, BASS_PART)
    if _lacks_kick_duck(track):
        track = with_kick_duck(track, NEW_KICK_DUCK)
    if kick_duck(track) is None:
        return track, replace(plan, reason=NO_CURVE_LEFT) if _lacks_kick_duck(track) else plan
    made, own = plan_part(track, KICK_ID)
    return made, own if yielder(track.sheet.owner) == KICK_ID else plan


def _lacks_kick_duck(track: Track) -> bool:
    """Whether the kick shall give way by a duck too, and has none."""
    return yielder(track.sheet.owner) == KICK_ID and share_of(track) < 1 and kick_duck(track) is None


def layers_fitted(track: Track, hit_id: str = KICK_ID) -> Track:
    """The track with a hit's layers where they sum best in the low band; unchanged where there is nothing to fit."""
    hit = track.hit_of(hit_id).hit
    fit = fit_layers(hit, track.sheet.sample_rate, stroke_tempo(hit, track.sheet.bpm))
    return track if fit is None else track.with_hit(hit_id, fitted(hit, fit))


@dataclass(frozen=True)
class Planned:
    """A track with its computed carve and duck, and what they reach in plain sentences."""

    track: Track
    said: tuple[str, ...]


def planned(track: Track, owner: Owner | None = None) -> Planned:
    """Carve and duck computed for a track, for another owner of the sub where one is given."""
    if owner is not None:
        track = track.model_copy(update={"sheet": track.sheet.model_copy(update={"owner": owner})})
    why = nothing_to_plan(track)
    if why:
        return Planned(track, (why,))
    done, others = plan_targets(make_room(track))
    _, contest, table = measured(done)
    clear = measure_clearance(done.sheet, contest, **vars(table))
    said = [_clearance_said(one) for one in clear.zones or (clear,)]
    said += [] if done.carve.on else ["no carve is needed: its share is 0, or the goal is reached without one"]
    said += [_move_said(move, yielder(track.sheet.owner)) for move in done.carve.moves if done.carve.on]
    said += [_move_said(move, "kick") for move in done.carve.kick_moves if done.carve.on and clear.zones]
    said.append(f"duck {done.duck.depth_db:.1f} dB" if done.duck.on else "no duck is needed")
    if (under := kick_duck(done)) is not None and under.on:
        said.append(f"duck of the kick under the bass's notes {under.depth_db:.1f} dB")
    said += [
        f"duck {part}: {plan.duck.depth_db:.1f} dB; {plan.reason}" if plan.duck.on else f"no duck of {part}: {plan.reason}"
        for part, plan in others.items()
    ]
    said += [f"not counted in: {said_missing(one)}" for one in missing_takes(done)]
    if clear.short_db is not None and clear.short_db > 0.1:
        part = "kick" if clear.goal.kind == "at_most" else "bass"
        said.append(
            f"short of the goal by {clear.short_db:.1f} dB: what this owner asks is beyond what carve and duck may do; "
            f"the {part} {clear.short_db:.1f} dB lower would reach it, or another owner"
        )
    return Planned(done, tuple(said))


def _clearance_said(one: Clearance | ZoneFigure) -> str:
    """What kick over bass was and is, of the whole or of one zone."""
    where = f"{one.from_hz:.0f} to {one.to_hz:.0f} Hz, {one.owner}: " if isinstance(one, ZoneFigure) else ""
    if one.reason is not None:
        return f"{where}{one.reason}"
    asked = f"goal {'at least' if one.goal.kind == 'at_least' else 'at most'} {one.goal.db:.1f} dB"
    return (
        f"{where}kick clearance before {_db(one.before_db)}, carved {_db(one.carved_db)}, with the duck "
        f"{_db(one.after_db)}; {asked}"
    )


def _db(value: float | None) -> str:
    return "none" if value is None else f"{value:.1f} dB"


def _move_said(move: Move, part: str) -> str:
    return f"{move.shape} on the {part} at {move.frequency_hz:.1f} Hz, {move.gain_db:+.1f} dB, Q {move.q:.2f}"


def make_room(track: Track) -> Track:
    """Carve and duck in the track's order: the first takes its share, the other what is left."""
    return room_made(track).track


def room_made(track: Track) -> Planned:
    """The same, with what is to be said of its carve: what keeps it from its share, or why there is none."""
    if track.sheet.owner == "zones":
        made, plan, why = room_by_zones(track)
        return Planned(made, carve_said(plan, why))
    # Ducked first, what the carve may not do within its limits the duck does after all.
    first = ducks_first(track)
    carved, plan, why = plan_carve(plan_duck(uncarved(track))[0] if first else track, ducked=first)
    made = plan_duck(carved)[0]
    return Planned(made, (*carve_said(plan, why), *([NO_CURVE_LEFT] if _lacks_kick_duck(made) else [])))

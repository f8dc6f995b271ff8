"""Room by zones: an owner for each stretch of the low end, both parts carved by one solve (method: carving by zones)."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from juglant.core.model.carve import SHARE_AIM
from juglant.core.model.ids import BASS_PART
from juglant.core.model.track import Track, lowest_note_hz
from juglant.core.plans.bare import line_spans, measured, uncarved
from juglant.core.plans.ducks import plan_part
from juglant.core.plans.room_duck import ducks_first
from juglant.core.separate.aims import Aim, aims_of, ducked_aims, standing, together, towards
from juglant.core.separate.carve import CarvePlan
from juglant.core.separate.carve_problem import (
    LOWEST_LIMIT_HZ,
    CarveLimits,
    CarveProblem,
    carve_problem,
    component_gram,
)
from juglant.core.separate.carve_search import NEARLY_DB
from juglant.core.separate.clearance import Contest
from juglant.core.separate.joint_carve import JointPlan, JointProblem, ZoneProblem, solve_joint
from juglant.core.types import Samples, Spectrum

# What the kick gives in a zone of the bass's: as deep as where the bass owns all of it.
KICK_DEPTH_DB = 12.0
# The duck and what the kick gives for it follow each other: this often.
ROUNDS = 2


@dataclass(frozen=True)
class _Part:
    """One part to carve: its stem in one channel, and its bands, (bands, frames)."""

    stem: Samples
    bands: Samples


def _gram(part: _Part, contest: Contest, sample_rate: int) -> Spectrum:
    """What a filter on a part leaves of it in a zone, brought to what is measured there."""
    _, gram = component_gram(part.stem, contest, sample_rate=sample_rate)
    cells = contest.active & np.array(contest.judged)[:, None]
    whole = float(gram.sum().real)
    return gram * (float(part.bands[cells].sum()) / whole) if whole > 0 else gram


def _problem(track: Track, part: _Part, aims: list[Aim], limits: CarveLimits, *, is_kick: bool) -> CarveProblem:
    """What is judged of one part besides its zones: limits and cost; where it is carved are its own zones, or all."""
    own = [aim for aim in aims if aim.kick_yields == is_kick] or aims
    return carve_problem(
        part.stem,
        together(own),
        0.0,
        limits,
        own_energy=1.0,
        other_energy=1.0,
        yielder_is_kick=is_kick,
        spans=() if is_kick else line_spans(track),
        sample_rate=track.sheet.sample_rate,
        linear_phase=track.carve.phase == "linear",
    )


def _wanted(track: Track, aims: tuple[Aim, ...], kick: _Part, bass: _Part, *, ducked: bool) -> list[Aim]:
    """What the carve shall reach in each zone: its share where a duck does the rest, else all of it."""
    served = ducked_aims(aims)
    if ducked or not served:
        return list(aims)
    # Above a zone of the bass's own the bass is not ducked: there the carve does all.
    return [*towards(served, kick.bands, bass.bands, track.carve.share_pct / 100), *aims[len(served) :]]


def plan_zones(
    track: Track, *, ducked: bool = False, bass_more_db: tuple[float, ...] = ()
) -> tuple[Track, CarvePlan | None, str]:
    """The track with both parts carved for its zones, the plan, and why there is none where there is none.

    ducked: behind its duck, for all that is left; bass_more_db: what each zone shall be clearer than its goal, dB, where it
    is the bass's (the duck takes of it too).
    """
    carve, rate = track.carve, track.sheet.sample_rate
    stems, contest, table = measured(uncarved(track, ducked=ducked))
    kick = _Part(stems.kick, table.kick)
    bass = _Part(stems.bass, table.bass) if ducked else _Part(stems.bass_unducked, table.bass_unducked)
    asked = _wanted(track, aims_of(track.sheet, contest), kick, bass, ducked=ducked)
    asked = [
        aim.asking(aim.goal.db - more) if aim.kick_yields else aim
        for aim, more in zip(asked, bass_more_db or (0.0,) * len(asked), strict=True)
    ]
    aims = [aim for aim in asked if aim.contest.reason is None]
    if not aims:
        return track, None, contest.reason or "kick and bass meet in none of the zones"
    bass_limits = CarveLimits(carve.depth_limit_db, carve.lift_limit_db, from_hz=lowest_note_hz(track) or LOWEST_LIMIT_HZ)
    # A kick without the lowest zone may pass high above it; elsewhere it is carved by bells and shelves.
    lowest = track.sheet.zones[0]
    kick_limits = CarveLimits(
        KICK_DEPTH_DB, from_hz=lowest.to_hz if lowest.owner == "bass" else LOWEST_LIMIT_HZ, passes=lowest.owner == "bass"
    )
    problem = JointProblem(
        bass=_problem(track, bass, aims, bass_limits, is_kick=False),
        kick=_problem(track, kick, aims, kick_limits, is_kick=True),
        zones=tuple(
            ZoneProblem(aim.goal.db, aim.kick_yields, _gram(bass, aim.contest, rate), _gram(kick, aim.contest, rate))
            for aim in aims
        ),
        moves_on_bass=any(not aim.kick_yields for aim in aims),
        moves_on_kick=any(aim.kick_yields for aim in aims),
    )
    plan = solve_joint(problem)
    on = bool(plan.bass_moves or plan.kick_moves)
    changes = {"on": on, "moves": plan.bass_moves, "kick_moves": plan.kick_moves, "aim": SHARE_AIM}
    made = track.model_copy(update={"carve": carve.model_copy(update=changes)})
    said = "" if on else "no carve helps here within its limits" if plan.binding else "no carve is needed in any zone"
    return made, _as_plan(plan, aims), said


def _as_plan(plan: JointPlan, aims: list[Aim]) -> CarvePlan:
    """The plan as one of the zone that it serves least."""
    lacks = [aim.lack_db(clear) for aim, clear in zip(aims, plan.clearances_db, strict=True)]
    worst = int(np.argmax(lacks))
    aim = aims[worst]
    return CarvePlan(
        moves=(*plan.bass_moves, *plan.kick_moves),
        clearance_db=plan.clearances_db[worst],
        loudness_lost_lu=plan.lost_lu,
        limited=bool(plan.binding),
        cost=plan.cost,
        wanted_db=aim.goal.db,
        binding=plan.binding,
        where=f"from {aim.from_hz:.0f} to {aim.to_hz:.0f} Hz ",
    )


def room_by_zones(track: Track) -> tuple[Track, CarvePlan | None, str]:
    """Carve and duck by zones in the track's order, the plan of the carve, and why there is none where there is none.

    What the duck takes of a zone of the bass's the kick gives besides.
    """
    first = ducks_first(track)
    start = plan_part(uncarved(track), BASS_PART)[0] if first else track
    more, best, least = [0.0] * len(track.sheet.zones), None, math.inf
    for _ in range(ROUNDS):
        carved, plan, why = plan_zones(start, ducked=first, bass_more_db=tuple(more))
        made, _ = plan_part(carved, BASS_PART)
        _, contest, table = measured(made)
        found = [standing(aim, table.kick, table.bass) for aim in aims_of(made.sheet, contest)]
        short = sum(one.short_db**2 for one in found if one is not None)
        if short < least:
            best, least = (made, plan, why), short
        lacks = [0.0 if one is None or not one.aim.kick_yields else one.lack_db for one in found]
        spent = plan is not None and any(limit.startswith("the kick") for limit in plan.binding)
        if not made.duck.on or max(lacks) <= NEARLY_DB or spent:
            break
        more = [asked + max(0.0, lack) for asked, lack in zip(more, lacks, strict=True)]
    return best or (made, plan, why)

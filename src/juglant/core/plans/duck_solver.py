"""The duck solver: a curve that makes exactly the room that the carve has left over (method: ducking)."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np

from juglant.core.analysis.duck_aims import needed_db, standing_of
from juglant.core.duck.keys import key_beats
from juglant.core.duck.part_curves import first_curve, with_curve
from juglant.core.duck.shaped import shaped
from juglant.core.duck.strokes import Activity, activities
from juglant.core.loop.gain import bands, part_gain
from juglant.core.measure.bands import FRAME_S
from juglant.core.model.duck import DEPTH_LIMIT_DB, Duck
from juglant.core.model.ids import BASS_PART, KICK_ID
from juglant.core.model.track import Track
from juglant.core.plans.duck_return import best_return, shortest_return_ms
from juglant.core.separate.aims import Aim, together
from juglant.core.separate.clearance import Contest, Goal
from juglant.core.types import Samples

NEAR_DB = 0.1
MOST_ROUNDS = 8
# A dB of depth that clears less than this is not worth it.
WORTH_IT = 0.3


@dataclass(frozen=True)
class DuckPlan:
    """The duck found and what it reaches.

    uncovered_ms: of the active part that the recovery point leaves no time for; lost_lu: what the curve takes of the part.
    """

    duck: Duck
    needed_db: float
    clearance_db: float | None
    limited: bool
    uncovered_ms: float
    recovery_beats: float | None
    reason: str
    lost_lu: float | None = None


def solve_duck(
    track: Track,
    aims: Sequence[Aim],
    *,
    owner_energy: Samples,
    stem: Samples,
    energy: Samples,
    frames_of: Callable[[Samples], Samples],
    part: str = BASS_PART,
    lowest_hz: float | None = None,
    strokes: list[Activity] | None = None,
) -> DuckPlan:
    """The first curve of a part whose carve is done.

    aims: what it is for; owner_energy, energy: (bands, frames) of what it makes room for and of the part, as heard without
    this curve; stem: the part un-ducked, in one channel, before a split, (frames,); lowest_hz: the part's lowest note, by
    which its return may not be too short; frames_of: what measures the energies of a loop; strokes: when each key needs
    room, by default as long as its owner is active.
    """
    contest, now = together(aims), standing_of(part, aims, owner_energy, energy)
    own = first_curve(track, part)
    off = own.model_copy(update={"on": False})
    if now is None:
        return DuckPlan(off, 0.0, None, False, 0.0, None, contest.reason or "nothing to duck for")
    carved, goal = now.clearance_db, now.aim.goal
    if goal.kind == "at_most" and part != KICK_ID:
        return DuckPlan(off, 0.0, carved, False, 0.0, None, "the bass owns the sub: it is not ducked")
    needed = needed_db(now, part)
    if needed <= NEAR_DB:
        low = part in (BASS_PART, KICK_ID)
        said = "the carve alone reaches the goal" if low else "the kick is clear of it already"
        return DuckPlan(off, 0.0, carved, False, 0.0, None, said)
    plan = activities(track, contest.active_any(), part, own) if strokes is None else strokes
    if not plan:
        return DuckPlan(off, needed, carved, False, 0.0, None, "nothing keys this curve: its trigger has no places")
    shortest = shortest_return_ms(lowest_hz)
    even, uncovered = shaped(own, plan, needed, shortest_ms=shortest)
    # Both bands of a split are there as soon as a curve is.
    moved, rest = bands(with_curve(track, part, even), part, stem)
    judged = owner_energy[contest.judged_bands].sum(axis=0)
    duck, lost = best_return(track, part, even, plan, moved, judged, shortest_ms=shortest, lowest_hz=lowest_hz)
    # What the recovery point leaves uncovered is not made up for by a deeper duck.
    covered = list(aims)
    if uncovered > 0 or strokes is not None:
        covered = [replace(aim, contest=_covered(track, aim.contest, duck)) for aim in aims]
    depth, reached, limited = needed, carved, False
    deepened = was_short = 0.0
    for _ in range(MOST_ROUNDS):
        duck = duck.model_copy(update={"depth_db": round(min(depth, DEPTH_LIMIT_DB), 2)})
        frames = frames_of(_with(with_curve(track, part, duck), part, moved, rest))
        inside = standing_of(part, covered, owner_energy, frames)
        short = -np.inf if inside is None else inside.lack_db
        if abs(short) <= NEAR_DB or (short < 0 and depth <= needed + 1e-6):
            break
        if depth >= DEPTH_LIMIT_DB and short > 0:
            limited = True
            break
        if deepened > 1 and was_short - short < WORTH_IT * deepened:
            # What is beside the split, or under the other part's cuts, no depth clears.
            duck, limited = duck.model_copy(update={"depth_db": round(depth - deepened, 2)}), True
            frames = frames_of(_with(with_curve(track, part, duck), part, moved, rest))
            break
        deeper = min(max(depth + short, needed), DEPTH_LIMIT_DB)
        depth, deepened, was_short = deeper, deeper - depth, short
    whole = standing_of(part, aims, owner_energy, frames)
    if whole is not None:
        reached, goal = whole.clearance_db, whole.aim.goal
    else:
        reached = float("inf")
    recovery_s = min(one.recovery_s for one in plan)
    beats = recovery_s * track.sheet.bpm / 60
    return DuckPlan(duck, needed, reached, limited, uncovered, beats, _said(goal, reached, limited, uncovered), lost)


def _said(goal: Goal, reached: float, limited: bool, uncovered_ms: float) -> str:
    if limited:
        return "deeper wins hardly anything: the depth limit is reached, or what is left is not under the duck"
    if goal.short_db(reached) > NEAR_DB and uncovered_ms > 0:
        return f"{uncovered_ms:.0f} ms of what keys it are not covered: the recovery point comes first"
    return "the goal is reached"


def _covered(track: Track, contest: Contest, duck: Duck) -> Contest:
    """The contest without the frames after the hold, where that leaves some."""
    at = np.arange(contest.active.shape[1]) * FRAME_S
    hits = np.array([beat * 60 / track.sheet.bpm for beat in key_beats(track, duck.key)])
    loop_s = track.sheet.length_beats * 60 / track.sheet.bpm
    since = ((at[:, None] - hits) % loop_s).min(axis=1)
    inside = contest.active & (since + FRAME_S <= duck.hold_ms / 1000 + 1e-6)
    return replace(contest, active=inside) if inside[contest.judged_bands].any() else contest


def _with(trial: Track, part: str, moved: Samples, rest: Samples | None) -> Samples:
    ducked = moved * part_gain(trial, part, moved.size)
    return ducked if rest is None else ducked + rest

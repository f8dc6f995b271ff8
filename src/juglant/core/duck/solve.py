"""The duck solver: a curve that makes exactly the room that the carve has left over (method: ducking)."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from juglant.core.duck.curve import gain_rows, rows_to_gain
from juglant.core.measure.bands import FRAME_S, low_band_frames
from juglant.core.model.duck import Duck
from juglant.core.model.track import Track
from juglant.core.separate.clearance import GOALS, Contest, kick_clearance
from juglant.core.types import Mask, Samples

DEPTH_LIMIT_DB = 24.0
SHORTEST_RETURN_MS = 20.0
LONGEST_RETURN_MS = 1500.0
RETURN_SHARE = 0.85
NEAR_DB = 0.1
FALL_MS = 4.0
MOST_ROUNDS = 8
# The band filters run backwards too: a kick's cells may begin this long before it.
EARLIEST_S = 0.1


@dataclass(frozen=True)
class Activity:
    """When one stroke needs room, in seconds against its key hit, and when the bass should be back."""

    hit_s: float
    start_s: float
    end_s: float
    recovery_s: float
    next_hit_s: float


@dataclass(frozen=True)
class DuckPlan:
    """The duck found and what it reaches."""

    duck: Duck
    needed_db: float
    clearance_db: float | None
    limited: bool
    uncovered_ms: float
    recovery_beats: float | None
    reason: str


def activities(track: Track, active: Mask) -> list[Activity]:
    """Active part and recovery point of every stroke; active: (frames,) of 20 ms from the loop's start."""
    sheet = track.sheet
    beat_s = 60 / sheet.bpm
    loop_s = sheet.length_beats * beat_s
    hits = [at * beat_s for at in track.kicks()]
    if not hits:
        return []
    notes = [note.at_beats * beat_s for note in track.notes()]
    starts = np.flatnonzero(active) * FRAME_S
    out = []
    for index, hit in enumerate(hits):
        following = hits[index + 1] if index + 1 < len(hits) else hits[0] + loop_s
        gap = following - hit
        ahead = min(EARLIEST_S, 0.4 * gap)
        offset = (starts - hit + ahead) % loop_s - ahead
        own = offset[offset < gap - ahead]
        # Frames before a stroke belong to it only if they run up to it without a hole.
        begin = 0.0
        for place in sorted(own[own < 0], reverse=True):
            if place + FRAME_S < begin - 1e-9:
                break
            begin = float(place)
        late = own[own + FRAME_S > 0]
        end = float(late.max()) + FRAME_S if late.size else 0.0
        after = [(note - hit) % loop_s for note in notes]
        kept = [place for place in after if end - 1e-6 <= place < gap - 1e-6 and place > 1e-6]
        if track.duck.recovery_beats is not None:
            recovery = min(track.duck.recovery_beats * beat_s, gap)
        else:
            recovery = min(kept) if kept else RETURN_SHARE * gap
        out.append(Activity(hit, begin, end, recovery, hit + gap))
    return out


def shaped(track: Track, plan: list[Activity], depth_db: float, *, fall_ms: float = FALL_MS) -> tuple[Duck, float]:
    """The duck that covers every stroke's active part at a depth, and the ms it has to leave uncovered."""
    early = max([0.0, *(-one.start_s for one in plan)]) * 1000
    late = max([0.0, *(one.end_s for one in plan)]) * 1000
    recovery = min(one.recovery_s for one in plan) * 1000
    hold = max(0.0, min(late, recovery - SHORTEST_RETURN_MS))
    back = min(max(recovery - hold, SHORTEST_RETURN_MS), LONGEST_RETURN_MS)
    # Rounded towards more room and an earlier return.
    duck = Duck(
        on=True,
        depth_db=round(min(depth_db, DEPTH_LIMIT_DB), 2),
        lookahead_ms=min(round(early + fall_ms + 0.05, 1), 120),
        fall_ms=fall_ms,
        hold_ms=min(round(hold, 1), 1500),
        return_ms=max(round(back - 0.1, 1), SHORTEST_RETURN_MS),
        shape=track.duck.shape,
        recovery_beats=track.duck.recovery_beats,
    )
    return duck, max(0.0, late - hold)


def solve_duck(
    track: Track, contest: Contest, *, kick_energy: Samples, bass_unducked: Samples, bass_energy: Samples
) -> DuckPlan:
    """The duck for a track whose carve is done.

    kick_energy, bass_energy: (bands, frames) as heard without a duck; bass_unducked: the carved stem, (frames,).
    """
    goal = GOALS[track.sheet.owner]
    rate = track.sheet.sample_rate
    carved = kick_clearance(kick_energy, bass_energy, contest)
    off = track.duck.model_copy(update={"on": False})
    if carved is None:
        return DuckPlan(off, 0.0, None, False, 0.0, None, contest.reason or "nothing to duck for")
    if goal.kind == "at_most":
        return DuckPlan(off, 0.0, carved, False, 0.0, None, "the bass owns the sub: it is not ducked")
    needed = min(max(goal.db - carved, 0.0), DEPTH_LIMIT_DB)
    if needed <= NEAR_DB:
        return DuckPlan(off, 0.0, carved, False, 0.0, None, "the carve alone reaches the goal")
    plan = activities(track, contest.active_any())
    depth, reached, limited = needed, carved, False
    duck, uncovered = shaped(track, plan, depth)
    for _ in range(MOST_ROUNDS):
        duck, uncovered = shaped(track, plan, depth)
        reached = _clearance_with(track, duck, contest, kick_energy, bass_unducked, rate)
        short = goal.db - reached
        if abs(short) <= NEAR_DB or (short < 0 and depth <= needed + 1e-6):
            break
        if depth >= DEPTH_LIMIT_DB and short > 0:
            limited = True
            break
        depth = min(max(depth + short, needed), DEPTH_LIMIT_DB)
    reason = "the depth limit is reached before the goal" if limited else "the goal is reached"
    recovery_s = min(one.recovery_s for one in plan)
    return DuckPlan(duck, needed, reached, limited, uncovered, recovery_s * track.sheet.bpm / 60, reason)


def _clearance_with(
    track: Track, duck: Duck, contest: Contest, kick_energy: Samples, bass_unducked: Samples, rate: int
) -> float:
    trial = track.model_copy(update={"duck": duck})
    rows = gain_rows(trial, bass_unducked.size)
    ducked = bass_unducked * rows_to_gain(rows, bass_unducked.size, sample_rate=rate)
    reached = kick_clearance(kick_energy, low_band_frames(ducked, sample_rate=rate), contest)
    return reached if reached is not None else float("inf")

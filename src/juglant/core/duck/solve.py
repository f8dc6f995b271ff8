"""The duck solver: a curve that makes exactly the room that the carve has left over (method: ducking)."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from juglant.core.duck.keys import key_beats
from juglant.core.duck.targets import bands, first_curve, part_gain, starts_beats, with_curve
from juglant.core.measure.bands import FRAME_S, low_band_frames
from juglant.core.model.duck import BASS_PART, DEPTH_LIMIT_DB, Duck
from juglant.core.model.fields import within
from juglant.core.model.track import Track
from juglant.core.separate.clearance import Contest, Goal, kick_clearance
from juglant.core.types import Mask, Samples

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


def activities(track: Track, active: Mask, part: str = BASS_PART, duck: Duck | None = None) -> list[Activity]:
    """Active part and recovery point of every key of a part's curve; active: (frames,) of 20 ms from the loop's start.

    duck: the curve, by default the part's first; it is keyed by what it says and must be back for the part's own notes.
    """
    sheet, duck = track.sheet, duck or first_curve(track, part)
    beat_s = 60 / sheet.bpm
    loop_s = sheet.length_beats * beat_s
    hits = [at * beat_s for at in key_beats(track, duck.key)]
    if not hits:
        return []
    notes = [at * beat_s for at in starts_beats(track, part)]
    starts = np.asarray(np.flatnonzero(active) * FRAME_S, dtype=np.float64)
    gaps = [(hits[(i + 1) % len(hits)] - hit) % loop_s or loop_s for i, hit in enumerate(hits)]
    spans = [_active_span(starts, hit, gap, loop_s) for hit, gap in zip(hits, gaps, strict=True)]
    # Where the kick rests a key asks for the room that it asks for elsewhere.
    heard = [span for span in spans if span[1] > 0]
    usual = (min(one for one, _ in heard), max(other for _, other in heard)) if heard else (0.0, 0.0)
    out = []
    for hit, gap, span in zip(hits, gaps, spans, strict=True):
        begin, end = span if span[1] > 0 else (usual[0], min(usual[1], gap))
        after = [(note - hit) % loop_s for note in notes]
        kept = [place for place in after if end - 1e-6 <= place < gap - 1e-6 and place > 1e-6]
        if duck.recovery_beats is not None:
            recovery = min(duck.recovery_beats * beat_s, gap)
        else:
            recovery = min(kept) if kept else RETURN_SHARE * gap
        out.append(Activity(hit, begin, end, recovery, hit + gap))
    return out


def _active_span(starts: Samples, hit: float, gap: float, loop_s: float) -> tuple[float, float]:
    """First and last time a key's own part is active, in seconds against it; (0, 0) where it is not."""
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
    return begin, float(late.max()) + FRAME_S if late.size else 0.0


def shaped(duck: Duck, plan: list[Activity], depth_db: float, *, fall_ms: float = FALL_MS) -> tuple[Duck, float]:
    """A curve made to cover every key's active part at a depth, and the ms it has to leave uncovered."""
    early = max([0.0, *(-one.start_s for one in plan)]) * 1000
    late = max([0.0, *(one.end_s for one in plan)]) * 1000
    # Back by the recovery point, and before the next fall begins.
    ahead_s = early / 1000 + fall_ms / 1000
    recovery = min(min(one.recovery_s, one.next_hit_s - one.hit_s - ahead_s) for one in plan) * 1000
    hold = max(0.0, min(late, recovery - SHORTEST_RETURN_MS))
    back = min(max(recovery - hold, SHORTEST_RETURN_MS), LONGEST_RETURN_MS)
    # Rounded towards more room and an earlier return.
    changes = {
        "on": True,
        "drive": "curve",
        "drawn": (),
        "depth_db": round(min(depth_db, DEPTH_LIMIT_DB), 2),
        "lookahead_ms": within(Duck, "lookahead_ms", round(early + fall_ms + 0.05, 1)),
        "fall_ms": fall_ms,
        "hold_ms": within(Duck, "hold_ms", round(hold, 1)),
        "return_ms": max(round(back - 0.1, 1), SHORTEST_RETURN_MS),
    }
    return duck.model_copy(update=changes), max(0.0, late - hold)


def needed_db(goal: Goal, carved_db: float) -> float:
    """How far a part has to go down for the kick's clearance, dB: what is short of the goal, within the depth limit."""
    return 0.0 if goal.kind == "at_most" else min(max(goal.db - carved_db, 0.0), DEPTH_LIMIT_DB)


def solve_duck(
    track: Track,
    contest: Contest,
    *,
    kick_energy: Samples,
    stem: Samples,
    energy: Samples,
    goal: Goal,
    part: str = BASS_PART,
) -> DuckPlan:
    """The first curve of a part whose carve is done.

    kick_energy, energy: (bands, frames) of kick and part as heard without this curve; stem: the part un-ducked, in one
    channel, before a split, (frames,).
    """
    carved = kick_clearance(kick_energy, energy, contest)
    own = first_curve(track, part)
    off = own.model_copy(update={"on": False})
    if carved is None:
        return DuckPlan(off, 0.0, None, False, 0.0, None, contest.reason or "nothing to duck for")
    if goal.kind == "at_most":
        return DuckPlan(off, 0.0, carved, False, 0.0, None, "the bass owns the sub: it is not ducked")
    needed = needed_db(goal, carved)
    if needed <= NEAR_DB:
        said = "the carve alone reaches the goal" if part == BASS_PART else "the kick is clear of it already"
        return DuckPlan(off, 0.0, carved, False, 0.0, None, said)
    plan = activities(track, contest.active_any(), part, own)
    if not plan:
        return DuckPlan(off, needed, carved, False, 0.0, None, "nothing keys this curve: its trigger has no places")
    depth, reached, limited = needed, carved, False
    duck, uncovered = shaped(own, plan, depth)
    # Both bands of a split are there as soon as a curve is.
    moved, rest = bands(with_curve(track, part, duck), part, stem)
    for _ in range(MOST_ROUNDS):
        duck, uncovered = shaped(own, plan, depth)
        reached = _clearance_with(with_curve(track, part, duck), part, contest, kick_energy, moved, rest)
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
    trial: Track, part: str, contest: Contest, kick_energy: Samples, moved: Samples, rest: Samples | None
) -> float:
    ducked = moved * part_gain(trial, part, moved.size)
    if rest is not None:
        ducked = ducked + rest
    reached = kick_clearance(kick_energy, low_band_frames(ducked, sample_rate=trial.sheet.sample_rate), contest)
    return reached if reached is not None else float("inf")

"""Structures of moves, searched from many starts: what the carve solvers are made of (method: carving)."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import scipy

from juglant.core.model.carve import PASS_24, Move
from juglant.core.separate.carve_judge import Judge, Judged, Slopes
from juglant.core.separate.carve_problem import CarveProblem, Kind
from juglant.core.signal.filters import BUTTERWORTH_4_Q, candidate_responses
from juglant.core.types import Samples

HIGHEST_MOVE_HZ, LOWEST_MOVE_HZ, LOWEST_PASS_HZ = 500.0, 24.0, 20.0
SOFTEST_Q, BELL_Q, SHELF_Q, PASS_Q = 0.35, 2.0, 0.8, 2**-0.5
NEARLY_DB = 0.1
# Kept from every limit, so that what is written down, rounded, still keeps it.
MARGIN_DB, MARGIN_LU = 0.02, 0.02
LEAST_BREACH_DB = 0.02
# A slope that is over by half a dB an octave is as far off as a tenth of a dB of depth.
SLOPE_WEIGHT = 0.2
# Where the level is lower than this against the limit of depth, the limit binds.
BINDS_DB, BINDS_LU, STEEP_SHARE = 0.1, 0.05, 0.9
THREE_MOVES = "three moves"
# A limit of slope is in no one's way where so little is cut.
SLOPE_FROM_DB = 7.0
STRUCTURES: tuple[tuple[tuple[Kind, ...], ...], ...] = (
    (("low shelf",), ("bell",), ("high-pass",), (PASS_24,)),
    (
        ("low shelf", "bell"), ("bell", "bell"), ("high-pass", "bell"), ("high-pass", "low shelf"), (PASS_24, "bell"),
        (PASS_24, "low shelf"),
    ),
    (("low shelf", "bell", "bell"), ("bell", "bell", "bell"), ("high-pass", "low shelf", "bell"),
     (PASS_24, "low shelf", "bell")),
)  # fmt: skip
MOST_STEPS, COARSE_STEPS = 60, 20
MOST_ROUNDS, POLISHED, WORTH = 3, 3, 1.03
PASSES = {"high-pass", PASS_24}


@dataclass(frozen=True)
class Found:
    """An end of a search: what moves, where, and what is judged of it; breach: how far it leaves the limits, dB."""

    kinds: tuple[Kind, ...]
    vector: Samples
    towards_db: float
    cost: float
    breach: float


class Search:
    """One structure of moves, searched from where it is told to start."""

    def __init__(self, judge: Judge, kinds: tuple[Kind, ...]) -> None:
        self.judge, self.problem, self.kinds = judge, judge.problem, kinds
        limits = self.problem.limits
        self.sign = -1.0 if self.problem.yielder_is_kick else 1.0
        self.bounds: list[tuple[float, float]] = []
        for kind in kinds:
            if kind in PASSES:
                top = max(limits.from_hz, LOWEST_MOVE_HZ)
                self.bounds += [(np.log2(LOWEST_PASS_HZ), np.log2(top)), (0, 0), (np.log2(PASS_Q), np.log2(PASS_Q))]
            else:
                most_q = BELL_Q if kind == "bell" else SHELF_Q
                self.bounds += [
                    (np.log2(LOWEST_MOVE_HZ), np.log2(HIGHEST_MOVE_HZ)),
                    (-limits.depth_db, limits.lift_db),
                    (np.log2(SOFTEST_Q), np.log2(most_q)),
                ]
        hz = self.problem.limit_hz
        self.deep = hz >= limits.from_hz * (1 - 1e-9)
        self.octaves = np.diff(np.log2(hz))
        self.lifts, self.steep = limits.lift_db > 0, limits.depth_db > SLOPE_FROM_DB
        # Taken off the limits where something between the points of the coarse grid would break them.
        self.tighter_db = 0.0
        self.at: bytes = b""
        self.found: Judged | None = None

    def judged(self, vector: Samples, *, sloped: bool = False) -> Judged:
        """What is judged at a point, once; its slopes only where they are needed: most points are only tried."""
        same = self.found is not None and vector.tobytes() == self.at
        if not same or (sloped and self.found is not None and self.found.slopes is None):
            self.found, self.at = self.judge.at(self.kinds, vector, sloped=sloped), vector.tobytes()
        assert self.found is not None  # noqa: S101 - it was just made
        return self.found

    def slopes(self, vector: Samples) -> Slopes:
        """The slopes there."""
        found = self.judged(vector, sloped=True).slopes
        assert found is not None  # noqa: S101 - asked for
        return found

    def room(self, vector: Samples) -> Samples:
        """Distances from the limits that must not be negative: depth, notes, and lift and slope where they may bind."""
        one, limits, room = self.judged(vector), self.problem.limits, MARGIN_DB + self.tighter_db
        rows = [one.level_db[self.deep] + limits.depth_db - room, limits.note_lu - MARGIN_LU - one.behind_lu]
        if self.lifts:
            rows.append(limits.highest_db - room - one.level_db)
        if self.steep:
            slope = np.diff(one.without_db) / self.octaves
            steepest = limits.steepest_db - MARGIN_DB - self.tighter_db / SLOPE_WEIGHT
            rows += [steepest - slope, steepest + slope]
        return np.concatenate(rows)

    def room_slopes(self, vector: Samples) -> Samples:
        """Their slopes, (distances, parameters)."""
        one = self.slopes(vector)
        rows = [one.level[self.deep], -one.behind]
        if self.lifts:
            rows.append(-one.level)
        if self.steep:
            slope = np.diff(one.without, axis=0) / self.octaves[:, None]
            rows += [-slope, slope]
        return np.concatenate(rows)

    def solve(self, start: Samples, *, least: float | None, rounds: int = 1, coarse: bool = False) -> Found:
        """From one start: most clearance (least None), or the least cost with that much of it; coarse: to compare with."""
        rules: list[dict[str, object]] = [{"type": "ineq", "fun": self.room, "jac": self.room_slopes}]
        if least is not None:
            rules.append(
                {
                    "type": "ineq",
                    "fun": lambda v: np.array([self.sign * self.judged(v).clearance_db - least]),
                    "jac": lambda v: self.sign * self.slopes(v).clearance[None],
                }
            )
        vector = start
        for _ in range(rounds):
            vector = self._minimized(vector, rules, farthest=least is None, coarse=coarse)
            self.tighter_db += self.breach_db(vector)
            if self.breach_db(vector) < LEAST_BREACH_DB:
                break
        self.tighter_db = 0.0
        one = self.judged(vector)
        breach = max(self.breach_db(vector), -float(self.room(vector).min()) - MARGIN_DB, 0.0)
        return Found(self.kinds, vector, self.sign * one.clearance_db, one.cost, breach)

    def breach_db(self, vector: Samples) -> float:
        """How far the summed response leaves its limits anywhere, on a grid that nothing slips through."""
        problem, limits = self.problem, self.problem.limits
        level, without = levels_db(self.kinds, vector, problem.fine_hz, sample_rate=problem.sample_rate)
        slope = np.abs(np.diff(without) / np.diff(np.log2(problem.fine_hz)))
        deep = level[problem.fine_hz >= limits.from_hz]
        return max(
            0.0,
            float(level.max()) - limits.highest_db,
            -limits.depth_db - float(deep.min()),
            SLOPE_WEIGHT * (float(slope.max()) - limits.steepest_db),
        )

    def _minimized(self, start: Samples, rules: list[dict[str, object]], *, farthest: bool, coarse: bool) -> Samples:
        self.found = None

        def value(v: Samples) -> float:
            return -self.sign * self.judged(v).clearance_db if farthest else self.judged(v).cost

        def slopes(v: Samples) -> Samples:
            return -self.sign * self.slopes(v).clearance if farthest else self.slopes(v).cost

        low, high = np.array(self.bounds).T
        found = scipy.optimize.minimize(  # type: ignore[call-overload]
            value,
            np.clip(start, low, high),
            jac=slopes,
            bounds=self.bounds,
            constraints=rules,
            method="SLSQP",
            options={"maxiter": COARSE_STEPS, "ftol": 1e-3} if coarse else {"maxiter": MOST_STEPS, "ftol": 1e-5},
        )
        return np.asarray(np.clip(found.x, low, high))


def levels_db(kinds: tuple[Kind, ...], vector: Samples, hz: Samples, *, sample_rate: int) -> tuple[Samples, Samples]:
    """Summed response of moves in dB at some frequencies, with and without passes, both (points,)."""
    z = np.exp(-2j * np.pi * hz / sample_rate)
    level, without = np.zeros(hz.size), np.zeros(hz.size)
    for kind, (f, gain, q) in zip(kinds, vector.reshape(-1, 3), strict=True):
        sections = [np.log2(one) for one in BUTTERWORTH_4_Q] if kind == PASS_24 else [q]
        shape = "high-pass" if kind == PASS_24 else kind
        for own in sections:
            found = candidate_responses((shape,), np.array([[f, gain, own]]), z, sample_rate=sample_rate)[0]
            one = 20 * np.log10(np.abs(found))
            level += one
            without += 0.0 if kind in PASSES else one
    return level, without


def starts_of(problem: CarveProblem, kinds: tuple[Kind, ...]) -> list[Samples]:
    """Places to start from: moves spread over the judged bands, shallow and deep."""
    low, high = np.log2(problem.judged_hz[0]), np.log2(problem.judged_hz[-1])
    bells = kinds.count("bell")
    places = np.linspace(low, high, 2 * bells + 1)[1::2] if bells else np.zeros(0)
    starts = []
    for gain, q, off in ((-0.4, 0.7, 0.3), (-0.9, 1.2, -0.1)):
        vector, bell, deep = [], 0, gain * problem.limits.depth_db
        for kind in kinds:
            if kind in PASSES:
                vector += [np.log2(max(problem.limits.from_hz, LOWEST_MOVE_HZ)) - 0.4 + off, 0.0, np.log2(PASS_Q)]
            elif kind == "low shelf":
                vector += [high + off, deep, np.log2(0.7)]
            else:
                vector += [float(places[bell]), deep / bells, np.log2(q)]
                bell += 1
        starts.append(np.array(vector))
    return starts


def moves_of(kinds: tuple[Kind, ...], vector: Samples) -> tuple[Move, ...]:
    moves = [
        Move(
            shape="high-pass" if kind == PASS_24 else kind,
            frequency_hz=round(float(2.0**f), 2),
            gain_db=0.0 if kind in PASSES else round(float(gain), 2),
            q=round(float(2.0**q), 3),
            slope_db=24 if kind == PASS_24 else 12,
        )
        for kind, (f, gain, q) in zip(kinds, vector.reshape(-1, 3), strict=True)
    ]
    return tuple(sorted(moves, key=lambda move: move.frequency_hz))


def binding_limits(one: Judged, problem: CarveProblem) -> tuple[str, ...]:
    """The limits that a candidate has reached, in words."""
    limits, deep = problem.limits, problem.limit_hz >= problem.limits.from_hz
    out = []
    if one.level_db[deep].min() <= -limits.depth_db + BINDS_DB:
        out.append(f"{limits.depth_db:g} dB deep")
    if one.behind_lu.max() >= limits.note_lu - BINDS_LU:
        out.append(f"no note {limits.note_lu:g} LU more than the line")
    slope = np.abs(np.diff(one.without_db) / np.diff(np.log2(problem.limit_hz)))
    if slope.max() >= STEEP_SHARE * limits.steepest_db:
        out.append(f"{limits.steepest_db:g} dB an octave")
    return tuple(out) or (THREE_MOVES,)

"""The carve solver: the least EQ on the yielder that reaches the goal (method: carving)."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import scipy

from juglant.core.measure.bands import LOW_CENTRES_HZ
from juglant.core.model.carve import Move, Shape
from juglant.core.separate.carve_judge import CarveProblem, Judge
from juglant.core.separate.clearance import Contest
from juglant.core.signal.filters import candidate_responses
from juglant.core.types import Samples

# Summed response, dB (method: carving).
DEEPEST_DB, HIGHEST_DB = -9.0, 3.0
OVERSHOOT_DB = 0.5
HIGHEST_MOVE_HZ = 500.0
NEARLY_DB = 0.1
NOTE_LOSS_DB = 1.0
# Losses closer than this are told apart by the number of moves.
SAME_LOSS_LU = 0.05
MARGIN_DB = 0.05
LEAST_BREACH_DB = 0.02
STRUCTURES: tuple[tuple[Shape, ...], ...] = (
    ("bell",), ("low shelf",), ("bell", "bell"), ("low shelf", "bell"), ("high shelf", "bell"), ("low shelf", "high shelf"),
    ("low shelf", "bell", "bell"), ("bell", "bell", "bell"), ("high shelf", "bell", "bell"),
    ("low shelf", "high shelf", "bell"),
)  # fmt: skip
MOST_STEPS, COARSE_STEPS = 45, 25
MOST_ROUNDS, POLISHED = 3, 3


@dataclass(frozen=True)
class CarvePlan:
    """The moves found, and what the model says they reach."""

    moves: tuple[Move, ...]
    clearance_db: float
    loudness_lost_lu: float
    limited: bool


class _Search:
    """One structure of moves, searched from where it is told to start."""

    def __init__(self, judge: Judge, shapes: tuple[Shape, ...]) -> None:
        self.judge, self.problem, self.shapes = judge, judge.problem, shapes
        problem = judge.problem
        self.sign = 1.0 if problem.goal.kind == "at_least" else -1.0
        self.bounds: list[tuple[float, float]] = []
        for _ in shapes:
            self.bounds += [(np.log2(24), np.log2(HIGHEST_MOVE_HZ)), (DEEPEST_DB, HIGHEST_DB), (np.log2(0.35), np.log2(4))]
        self.at: bytes = b""
        # Taken off the limits where a resonance between the points of the coarse grid would break them.
        self.tighter_db = 0.0
        self.values, self.slopes = np.zeros(0), np.zeros((0, 0))

    def figures(self, vector: Samples) -> tuple[Samples, Samples]:
        """Every figure at a point, (figures,), and its slopes, (figures, parameters).

        In order: clearance towards the goal, loudness lost, then the limits as distances that must not be negative.
        """
        if vector.tobytes() != self.at:
            found, slopes = self.judge.at(self.shapes, vector)
            limits = 2 + self.problem.limit_hz.size
            room = MARGIN_DB + self.tighter_db
            self.values = np.concatenate(
                (
                    [self.sign * found[0], found[1]],
                    found[2:limits] - DEEPEST_DB - room,
                    HIGHEST_DB - room - found[2:limits],
                    found[limits:] + NOTE_LOSS_DB - MARGIN_DB,
                )
            )
            self.slopes = np.concatenate(
                ([self.sign * slopes[0], slopes[1]], slopes[2:limits], -slopes[2:limits], slopes[limits:])
            )
            self.at = vector.tobytes()
        return self.values, self.slopes

    def solve(
        self, start: Samples, *, least: float | None, most: float, rounds: int = 1, coarse: bool = False
    ) -> tuple[Samples, float, float, float]:
        """From one start: most clearance (least None), or least loudness lost with clearance between least and most.

        coarse: near enough to compare with others.

        Returns the vector, its clearance towards the goal, its loudness lost and how far it breaks the limits.
        """
        which, sign = (0, -1.0) if least is None else (1, 1.0)
        rules: list[dict[str, object]] = [
            {
                "type": "ineq",
                "fun": lambda v: self.figures(v)[0][2:],
                "jac": lambda v: self.figures(v)[1][2:],
            }
        ]
        if least is not None:
            rules.append(
                {
                    "type": "ineq",
                    "fun": lambda v: np.array(
                        [self.figures(v)[0][0] - least, most - self.figures(v)[0][0], self.figures(v)[0][1]]
                    ),
                    "jac": lambda v: np.stack((self.figures(v)[1][0], -self.figures(v)[1][0], self.figures(v)[1][1])),
                }
            )
        vector = start
        for _ in range(rounds):
            vector = self._minimized(vector, rules, which, sign, coarse)
            self.tighter_db += self.breach_db(vector)
            if self.breach_db(vector) < LEAST_BREACH_DB:
                break
        values = self.figures(vector)[0]
        breach = max(self.breach_db(vector), -float(values[2:].min()) - self.tighter_db, 0.0)
        self.tighter_db, self.at = 0.0, b""
        return vector, float(values[0]), float(values[1]), breach

    def breach_db(self, vector: Samples) -> float:
        """How far the summed response leaves its limits anywhere, on a grid that no resonance slips through."""
        z = np.exp(-2j * np.pi * self.problem.fine_hz / self.problem.sample_rate)
        level = 20 * np.log10(
            np.abs(candidate_responses(self.shapes, vector[None], z, sample_rate=self.problem.sample_rate)[0])
        )
        return max(0.0, float(level.max()) - HIGHEST_DB, DEEPEST_DB - float(level.min()))

    def _minimized(self, start: Samples, rules: list[dict[str, object]], which: int, sign: float, coarse: bool) -> Samples:
        self.at = b""
        found = scipy.optimize.minimize(  # type: ignore[call-overload]
            lambda v: sign * self.figures(v)[0][which],
            start,
            jac=lambda v: sign * self.figures(v)[1][which],
            bounds=self.bounds,
            constraints=rules,
            method="SLSQP",
            options={"maxiter": COARSE_STEPS, "ftol": 1e-2} if coarse else {"maxiter": MOST_STEPS, "ftol": 1e-3},
        )
        low, high = np.array(self.bounds).T
        return np.asarray(np.clip(found.x, low, high))


def _starts(problem: CarveProblem, shapes: tuple[Shape, ...], judged_hz: list[float]) -> list[Samples]:
    """Places to start from: moves spread over the judged bands, shallow and deep."""
    low, high = np.log2(judged_hz[0]), np.log2(judged_hz[-1])
    bells = [shape for shape in shapes if shape == "bell"]
    places = np.linspace(low, high, 2 * len(bells) + 1)[1::2] if bells else np.zeros(0)
    starts = []
    for gain, q in ((-3.0, 0.7), (-6.0, 1.2)):
        vector, bell = [], 0
        for shape in shapes:
            if shape == "low shelf":
                vector += [high + 0.3, gain - 1.5, np.log2(0.8)]
            elif shape == "high shelf":
                vector += [high + 0.6, 1.0, np.log2(0.8)]
            else:
                vector += [float(places[bell]), gain / len(bells), np.log2(q)]
                bell += 1
        starts.append(np.array(vector))
    return starts


def _moves(shapes: tuple[Shape, ...], vector: Samples) -> tuple[Move, ...]:
    triples = zip(shapes, vector.reshape(-1, 3), strict=True)
    moves = [
        Move(
            shape=shape,
            frequency_hz=round(float(2.0**f), 2),
            gain_db=round(float(np.clip(gain, DEEPEST_DB, HIGHEST_DB)), 2),
            q=round(float(2.0**q), 3),
        )
        for shape, (f, gain, q) in triples
    ]
    return tuple(sorted(moves, key=lambda move: move.frequency_hz))


def _like(moves: tuple[Move, ...]) -> tuple[tuple[Shape, ...], ...]:
    """The structures of moves that are found, and of one move alone; all where there are none."""
    kinds = sorted(move.shape for move in moves)
    return tuple(one for one in STRUCTURES if not moves or len(one) == 1 or sorted(one) == kinds)


def solve_carve(problem: CarveProblem, contest: Contest, near: tuple[Move, ...] = ()) -> CarvePlan:
    """The least-change carve: nearest to the goal, then least loudness lost, then fewest moves. Deterministic.

    near: the moves for nearly the same problem, whose structure is kept, or made simpler.
    """
    goal = problem.goal
    judge = Judge(problem)
    before = float(judge.at((), np.zeros(0))[0][0])
    if goal.short_db(before) <= 0:
        return CarvePlan((), before, 0.0, limited=False)
    judged_hz = [LOW_CENTRES_HZ[i] for i in contest.judged_bands]
    sign = 1.0 if goal.kind == "at_least" else -1.0
    wanted = sign * goal.db
    searches = {shapes: _Search(judge, shapes) for shapes in _like(near)}
    farthest: dict[tuple[Shape, ...], tuple[Samples, float]] = {}
    promised = [
        (end[1], shapes, end[0])
        for shapes, search in searches.items()
        for start in _starts(problem, shapes, judged_hz)
        if (end := search.solve(start, least=None, most=0.0, coarse=True))
    ]
    # Only what promises most is brought within the limits between the points of the coarse grid: that takes away, so
    # what promises less than is already kept need not be tried.
    kept = -np.inf
    for promise, shapes, start in sorted(promised, key=lambda one: -one[0]):
        if promise < min(wanted, kept) - NEARLY_DB:
            break
        vector, reach, _, breach = searches[shapes].solve(start, least=None, most=0.0, rounds=MOST_ROUNDS)
        if breach < LEAST_BREACH_DB and reach > farthest.get(shapes, (start, -np.inf))[1]:
            farthest[shapes] = vector, reach
            kept = max(kept, reach)
    if not farthest:
        return CarvePlan((), before, 0.0, limited=True)
    best = min(wanted, max(reach for _, reach in farthest.values()))
    low, high = best - NEARLY_DB + MARGIN_DB, wanted + OVERSHOOT_DB - MARGIN_DB
    lean: list[tuple[float, tuple[Shape, ...], Samples]] = []
    candidates: list[tuple[float, tuple[Shape, ...], Samples, float]] = []
    for shapes, (vector, reach) in farthest.items():
        if reach < best - NEARLY_DB:
            continue
        search = searches[shapes]
        for start in [vector, *_starts(problem, shapes, judged_hz)]:
            found, clearance, lost, _ = search.solve(start, least=low, most=high, coarse=True)
            if best - NEARLY_DB <= clearance <= wanted + OVERSHOOT_DB:
                lean.append((lost, shapes, found))
        if reach <= wanted + OVERSHOOT_DB:
            candidates.append((float(search.figures(vector)[0][1]), shapes, vector, reach))
    for _, shapes, start in sorted(lean, key=lambda one: abs(one[0]))[:POLISHED]:
        found, clearance, lost, breach = searches[shapes].solve(start, least=low, most=high, rounds=MOST_ROUNDS)
        if breach < LEAST_BREACH_DB and best - NEARLY_DB <= clearance <= wanted + OVERSHOOT_DB:
            candidates.append((lost, shapes, found, clearance))
    least = min(abs(lost) for lost, *_ in candidates)
    lost, shapes, vector, clearance = min(
        (c for c in candidates if abs(c[0]) <= least + SAME_LOSS_LU), key=lambda c: (len(c[1]), abs(c[0]))
    )
    return CarvePlan(_moves(shapes, vector), sign * clearance, lost, limited=best < wanted - NEARLY_DB)

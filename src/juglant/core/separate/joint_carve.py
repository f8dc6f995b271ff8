"""Both parts carved at once, each where a zone of the low end is the other's (method: carving by zones).

Every zone asks something of the ratio of kick and bass in it; what is cut on one part near a zone's end changes the next
zone too. So all moves of both are found together: the fewest that reach every zone within the limits of both parts, and of
those the least J of both together. Where nothing does, what the zones lack is made least, as a sum of squares, and then J.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from itertools import product

import numba
import numpy as np
import scipy

from juglant.core.model.carve import PASS_24, Move
from juglant.core.separate.carve_judge import TO_DB, Judge, Judged
from juglant.core.separate.carve_problem import CarveProblem, Kind
from juglant.core.separate.carve_search import (
    COARSE_STEPS,
    LEAST_BREACH_DB,
    MOST_STEPS,
    NEARLY_DB,
    PASSES,
    THREE_MOVES,
    WORTH,
    Search,
    binding_limits,
    moves_of,
    starts_of,
)
from juglant.core.signal.frames import REORDERED
from juglant.core.types import Samples, Spectrum

Kinds = tuple[Kind, ...]
Value = Callable[[Samples], float]
Turn = Callable[[Samples], Samples]
MOST_MOVES = 3
POLISHED = 2
# Structures by number of moves; fewer kinds than where one part is carved, as each of one part goes with each of the other.
KINDS: tuple[tuple[Kinds, ...], ...] = (
    ((),),
    (("low shelf",), (PASS_24,), ("bell",)),
    (("low shelf", "bell"), (PASS_24, "bell"), ("bell", "bell")),
    (("low shelf", "bell", "bell"), (PASS_24, "bell", "bell"), ("bell", "bell", "bell")),
)
# What falls so far short with bells alone is not tried with shelves and passes.
FAR_DB = 0.25
# What a dB past a limit costs where limits are priced, one after the other; how many steps are made at each, and how far.
LIMIT_PRICES, ROUGH_STEPS, ROUGHLY = (3.0, 60.0), 60, 1e-5
# What is past them still is made shallower by so much, so often.
SHRINK, MOST_SHRINKS = 0.985, 40
LEAST_GAIN_DB = 0.03
FEW_MOVES = 2
# A zone may be a tenth of a dB short and counts as reached; what is aimed at keeps hairs from that.
REACHED_DB, AIMED_DB, HAIR_DB = NEARLY_DB, NEARLY_DB - 0.04, 0.02
# So much more counts what a zone lacks that it does not lack without a carve.
WORSE_TIMES = 30.0


@dataclass(frozen=True)
class ZoneProblem:
    """What one zone asks: kick over bass of at least, or at most, so much, by the energies of both in its active cells.

    bass_gram, kick_gram: (components, components), as `component_gram` gives them, brought to what is measured.
    """

    wanted_db: float
    at_most: bool
    bass_gram: Spectrum
    kick_gram: Spectrum


@dataclass(frozen=True)
class JointProblem:
    """Both parts with their limits and costs, and the zones; moves_on_*: whether a zone gives this part something to do."""

    bass: CarveProblem
    kick: CarveProblem
    zones: tuple[ZoneProblem, ...]
    moves_on_bass: bool
    moves_on_kick: bool


@dataclass(frozen=True)
class JointPlan:
    """Moves of both parts and what each zone comes to, dB.

    lacks_db: the most that any zone is short of what was asked;
    lost_lu: loudness that the bass loses; binding: the limits that keep it from there, in words.
    """

    bass_moves: tuple[Move, ...]
    kick_moves: tuple[Move, ...]
    clearances_db: tuple[float, ...]
    lacks_db: float
    cost: float
    lost_lu: float
    binding: tuple[str, ...] = ()


@dataclass(frozen=True)
class _End:
    """Where a search ended."""

    vector: Samples
    lacks_db: Samples  # (zones,)
    cost: float
    breach: float

    @property
    def short(self) -> float:
        """What the zones lack, dB, squared and added up."""
        return float(np.sum(np.maximum(self.lacks_db - AIMED_DB, 0.0) ** 2))


@numba.njit(cache=True, nogil=True, fastmath=REORDERED)
def _quadratic(gram, response, turned, slopes):  # type: ignore[no-untyped-def]
    """What a response leaves of a Gram matrix, and into slopes how that changes with each parameter, (parameters,)."""
    energy = 0.0
    slopes[:] = 0.0
    for i in range(gram.shape[0]):
        total = complex(0.0, 0.0)
        for j in range(gram.shape[0]):
            total += gram[i, j] * response[j].conjugate()
        share = response[i] * total
        energy += share.real
        for p in range(slopes.size):
            slopes[p] += 2 * (turned[p, i] * share).real
    return energy


def _energy(gram: Spectrum, one: Judged) -> tuple[float, Samples]:
    """Energy of a part in a zone, and how its logarithm changes with each parameter, dB."""
    turned = np.zeros((0, one.response.size), dtype=complex) if one.slopes is None else one.slopes.turned
    slopes = np.empty(turned.shape[0])
    energy = max(float(_quadratic(gram, one.response, turned, slopes)), 1e-30)
    return energy, TO_DB * slopes / energy


class _Joint:
    """One structure of moves on the bass and one on the kick, searched together."""

    def __init__(
        self, problem: JointProblem, judges: tuple[Judge, Judge], kinds: tuple[Kinds, Kinds], now_db: Samples
    ) -> None:
        self.problem, self.kinds, self.now_db = problem, kinds, now_db
        self.parts = tuple(Search(judge, own) for judge, own in zip(judges, kinds, strict=True))
        self.cut = 3 * len(kinds[0])
        self.bounds = [*self.parts[0].bounds, *self.parts[1].bounds]

    def halves(self, vector: Samples) -> tuple[Samples, Samples]:
        """Parameters of the bass's moves and of the kick's."""
        return np.ascontiguousarray(vector[: self.cut]), np.ascontiguousarray(vector[self.cut :])

    def lacks(self, vector: Samples, *, sloped: bool = False) -> tuple[Samples, Samples]:
        """What every zone lacks, dB (minus: to spare), (zones,), and its slopes, (zones, parameters)."""
        bass, kick = (part.judged(half, sloped=sloped) for part, half in zip(self.parts, self.halves(vector), strict=True))
        lacks, slopes = [], []
        for zone in self.problem.zones:
            b, b_slope = _energy(zone.bass_gram, bass)
            k, k_slope = _energy(zone.kick_gram, kick)
            sign = 1.0 if zone.at_most else -1.0
            lacks.append(sign * (TO_DB * math.log(k / b) - zone.wanted_db))
            slopes.append(sign * np.concatenate((-b_slope, k_slope)))
        return np.array(lacks), np.array(slopes)

    def cost(self, vector: Samples) -> float:
        """J of both."""
        return sum(part.judged(half).cost for part, half in zip(self.parts, self.halves(vector), strict=True))

    def cost_slopes(self, vector: Samples) -> Samples:
        """How it changes with each parameter, (parameters,)."""
        halves = zip(self.parts, self.halves(vector), strict=True)
        return np.concatenate([part.slopes(half).cost for part, half in halves])

    def room(self, vector: Samples) -> Samples:
        """Distances of both from their limits that must not be negative."""
        return np.concatenate([part.room(half) for part, half in zip(self.parts, self.halves(vector), strict=True)])

    def room_slopes(self, vector: Samples) -> Samples:
        """Their slopes, (distances, parameters)."""
        own = [part.room_slopes(half) for part, half in zip(self.parts, self.halves(vector), strict=True)]
        return np.asarray(scipy.linalg.block_diag(*own))

    def breach_db(self, vector: Samples) -> float:
        """How far either part leaves its limits anywhere."""
        return max(part.breach_db(half) for part, half in zip(self.parts, self.halves(vector), strict=True))

    def nearest(self, start: Samples, *, thorough: bool = False) -> _End:
        """From one start: the least that the zones lack within the limits."""
        vector = start
        for price in LIMIT_PRICES if thorough else LIMIT_PRICES[:1]:
            vector = self._least_lack(vector, price)
        return self._end(self._within(vector) if thorough else vector)

    def cheapest(self, start: Samples, lacking: Samples, *, steps: int, rounds: int = 1) -> _End:
        """From one start: the least J in which no zone lacks more than that, (zones,)."""
        vector = start
        for _ in range(rounds):
            vector = self._least_cost(vector, lacking, steps)
            over = self.breach_db(vector)
            for part in self.parts:
                part.tighter_db += over
            if over < LEAST_BREACH_DB:
                break
        for part in self.parts:
            part.tighter_db = 0.0
        return self._end(vector)

    def _end(self, vector: Samples) -> _End:
        return _End(vector, self.lacks(vector)[0], self.cost(vector), self.breach_db(vector))

    def _within(self, vector: Samples) -> Samples:
        """The same moves, all of them shallower until they keep the limits."""
        vector = vector.copy()
        for _ in range(MOST_SHRINKS):
            if self.breach_db(vector) < LEAST_BREACH_DB:
                break
            vector[1::3] *= SHRINK
        return vector

    def _least_cost(self, start: Samples, lacking: Samples, steps: int) -> Samples:
        rules: list[dict[str, object]] = [
            {"type": "ineq", "fun": self.room, "jac": self.room_slopes},
            {
                "type": "ineq",
                "fun": lambda v: lacking - self.lacks(v)[0],
                "jac": lambda v: -self.lacks(v, sloped=True)[1],
            },
        ]
        return self._minimized(self.cost, self.cost_slopes, start, rules, steps)

    def _least_lack(self, start: Samples, price: float) -> Samples:
        """The least sum of squares of what the zones lack; what comes to lack more than now counts many times.

        Limits are priced, not ruled: soon near them, and past them by little.
        """
        now = np.maximum(self.now_db, AIMED_DB)

        def valued(v: Samples) -> tuple[float, Samples]:
            lacks, turn = self.lacks(v, sloped=True)
            short, worse = np.maximum(lacks - AIMED_DB, 0.0), np.maximum(lacks - now, 0.0)
            past = np.minimum(self.room(v), 0.0)
            slopes = 2 * (short + WORSE_TIMES * worse) @ turn + 2 * price * past @ self.room_slopes(v)
            return float(short @ short + WORSE_TIMES * worse @ worse + price * past @ past), np.asarray(slopes)

        for part in self.parts:
            part.found = None
        low, high = np.array(self.bounds).T
        found = scipy.optimize.minimize(
            valued, np.clip(start, low, high), jac=True, bounds=self.bounds, method="L-BFGS-B",
            options={"maxiter": ROUGH_STEPS, "ftol": ROUGHLY},
        )  # fmt: skip
        return np.asarray(np.clip(found.x, low, high))

    def _minimized(self, value: Value, slopes: Turn, start: Samples, rules: list[dict[str, object]], steps: int) -> Samples:
        for part in self.parts:
            part.found = None
        low, high = np.array(self.bounds).T
        found = scipy.optimize.minimize(  # type: ignore[call-overload]
            value, np.clip(start, low, high), jac=slopes, bounds=self.bounds, constraints=rules, method="SLSQP",
            options={"maxiter": steps, "ftol": 1e-5 if steps == MOST_STEPS else 1e-3},
        )  # fmt: skip
        return np.asarray(np.clip(found.x, low, high))


def solve_joint(problem: JointProblem) -> JointPlan:
    """Moves of both parts: the fewest that reach every zone, then the least J; else the least that the zones lack, then J.

    No zone comes to lack more than it does without a carve, or than nothing. Deterministic.
    """
    judges = Judge(problem.bass), Judge(problem.kick)
    none = _Joint(problem, judges, ((), ()), np.zeros(0))
    now, _ = none.lacks(np.zeros(0))
    nothing = _End(np.zeros(0), now, 0.0, 0.0)
    if now.max() <= NEARLY_DB:
        return _planned(problem, none, nothing, limited=False)
    most = [MOST_MOVES if on else 0 for on in (problem.moves_on_bass, problem.moves_on_kick)]
    widest = _structures(problem, judges, (most[0], most[1]), now)
    reach = _reach(widest)
    limited = bool(reach.max() > REACHED_DB)
    # What is out of reach anyway may be a tenth of a dB more so, where fewer moves do.
    lacking = np.maximum(reach, AIMED_DB) + (NEARLY_DB if limited else HAIR_DB)
    if (now - lacking).max() <= HAIR_DB:
        return _planned(problem, none, nothing, limited=limited)
    pairs = [(one, other) for one in range(most[0] + 1) for other in range(most[1] + 1) if one or other]
    for pair in sorted(pairs, key=lambda pair: (sum(pair), pair)):
        joints = _structures(problem, judges, pair, now)
        trial = joints[-1].nearest(_starts(joints[-1])[0])
        if (trial.lacks_db - lacking).max() > FAR_DB:
            continue
        best = _cheapest(joints, lacking)
        if best is not None:
            return _planned(problem, *best, limited=limited)
    return _planned(problem, none, nothing, limited=True)


def _reach(joints: list[_Joint]) -> Samples:
    """The least that the zones lack within the limits, (zones,), dB; what they lack now where nothing keeps these."""
    ends = [joint.nearest(start, thorough=True) for joint in joints for start in _starts(joint)]
    kept = [end for end in ends if end.breach < LEAST_BREACH_DB]
    return min(kept, key=lambda end: end.short).lacks_db if kept else joints[0].now_db


def _structures(problem: JointProblem, judges: tuple[Judge, Judge], pair: tuple[int, int], now_db: Samples) -> list[_Joint]:
    """Every structure with so many moves on the bass and so many on the kick; the last has bells alone."""

    def of(many: int, part: CarveProblem) -> list[Kinds]:
        return [kinds for kinds in KINDS[many] if part.limits.passes or not PASSES & set(kinds)]

    both = list(product(of(pair[0], problem.bass), of(pair[1], problem.kick)))
    # Many moves are told from each other by little: of those only bells are tried, so that a plan is there in seconds.
    return [_Joint(problem, judges, kinds, now_db) for kinds in (both if sum(pair) <= FEW_MOVES else both[-1:])]


def _starts(joint: _Joint) -> list[Samples]:
    """The starts of each part alone, side by side."""
    own = [starts_of(part.problem, part.kinds) if part.kinds else [np.zeros(0)] * 2 for part in joint.parts]
    return [np.concatenate(pair) for pair in zip(*own, strict=True)]


def _cheapest(joints: list[_Joint], lacking: Samples) -> tuple[_Joint, _End] | None:
    """Of structures the least J in which no zone lacks more than that, within the limits; None where none does."""
    ends = []
    for joint in joints:
        for start in _starts(joint):
            # From where enough is reached the search for what it costs is short.
            there = joint.nearest(start)
            if (there.lacks_db - lacking).max() <= NEARLY_DB:
                ends.append((joint, joint.cheapest(there.vector, lacking, steps=COARSE_STEPS)))
                break
    best: tuple[_Joint, _End] | None = None
    for joint, end in sorted(ends, key=lambda one: one[1].cost)[: 2 * POLISHED]:
        if best is not None and end.cost > WORTH * best[1].cost:
            break
        polished = joint.cheapest(end.vector, lacking, steps=MOST_STEPS, rounds=3)
        kept = polished.breach < LEAST_BREACH_DB and (polished.lacks_db - lacking).max() <= HAIR_DB
        if kept and (best is None or polished.cost < best[1].cost):
            best = joint, polished
    return best


def _heard(moves: tuple[Move, ...]) -> tuple[Move, ...]:
    """Moves without those that do nothing."""
    return tuple(move for move in moves if move.shape == "high-pass" or abs(move.gain_db) > LEAST_GAIN_DB)


def _planned(problem: JointProblem, joint: _Joint, end: _End, *, limited: bool) -> JointPlan:
    halves = joint.halves(end.vector)
    lacks, _ = joint.lacks(end.vector)
    names = ("the bass", "the kick")
    binding = [
        f"{name}: {limit}"
        for name, part, half in zip(names, joint.parts, halves, strict=True)
        if limited and part.kinds
        for limit in binding_limits(part.judged(half), part.problem)
        if limit != THREE_MOVES or len(part.kinds) == MOST_MOVES
    ]
    clear = (
        zone.wanted_db + float(lack) * (1 if zone.at_most else -1) for zone, lack in zip(problem.zones, lacks, strict=True)
    )
    return JointPlan(
        bass_moves=_heard(moves_of(joint.kinds[0], halves[0])),
        kick_moves=_heard(moves_of(joint.kinds[1], halves[1])),
        clearances_db=tuple(clear),
        lacks_db=max(0.0, float(lacks.max())),
        cost=end.cost,
        lost_lu=joint.parts[0].judged(halves[0]).lost_lu,
        binding=tuple(binding) or (("what one zone asks the next one forbids",) if limited else ()),
    )

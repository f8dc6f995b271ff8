"""The carve solver: the softest, fewest cuts on the yielder that reach its share of the goal (method: carving)."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from juglant.core.model.carve import Move
from juglant.core.separate.carve_judge import Judge
from juglant.core.separate.carve_problem import CarveProblem
from juglant.core.separate.carve_search import (
    LEAST_BREACH_DB,
    MARGIN_DB,
    MOST_ROUNDS,
    NEARLY_DB,
    PASSES,
    POLISHED,
    STRUCTURES,
    WORTH,
    Found,
    Search,
    binding_limits,
    moves_of,
    starts_of,
)


@dataclass(frozen=True)
class CarvePlan:
    """The moves found, and what the model says they reach and cost.

    wanted_db: the clearance that was asked of the carve; binding: the limits that keep it from there, in words; where: the
    zone that these are of, in words, where the low end has several.
    """

    moves: tuple[Move, ...]
    clearance_db: float
    loudness_lost_lu: float
    limited: bool
    cost: float = 0.0
    wanted_db: float = 0.0
    binding: tuple[str, ...] = ()
    where: str = ""


def solve_carve(problem: CarveProblem) -> CarvePlan:
    """The carve that reaches what is wanted within a tenth of a dB: as few moves as do, then the least cost.

    Where nothing within the limits does: the least shortfall, then cost, and the limits that bind. Deterministic.
    """
    return CarveSolver(problem).plan(problem.wanted_db)


class CarveSolver:
    """Carves of one problem for any clearance wanted; what was found out about its limits is kept."""

    def __init__(self, problem: CarveProblem) -> None:
        self.problem, self.judge = problem, Judge(problem)
        self.sign = -1.0 if problem.yielder_is_kick else 1.0
        self.before = self.sign * self.judge.at((), np.zeros(0)).clearance_db
        self.groups = [
            [Search(self.judge, kinds) for kinds in group if problem.limits.passes or not PASSES & set(kinds)]
            for group in STRUCTURES
        ]
        self.bound = _bound_db(problem, self.before)
        self.too_far = [np.inf] * len(self.groups)
        self.limit: CarvePlan | None = None

    def plan(self, wanted_db: float) -> CarvePlan:
        """The carve for a clearance; see `solve_carve`."""
        wanted = self.sign * wanted_db
        if self.before >= wanted - NEARLY_DB:
            return CarvePlan((), self.sign * self.before, 0.0, limited=False, wanted_db=wanted_db)
        least = wanted - NEARLY_DB + 0.01
        if least <= self.bound and (best := self._cheapest(least)) is not None:
            return self._planned(best, wanted_db, limited=False)
        # What is beyond the limits comes out the same however far beyond.
        if self.limit is None:
            self.limit = self._nearest()
        return replace(self.limit, wanted_db=wanted_db)

    def _cheapest(self, least: float) -> Found | None:
        for index, group in enumerate(self.groups):
            # What so many moves did not reach once they do not reach when more is asked.
            if least < self.too_far[index]:
                if (best := _cheapest(self.problem, group, least)) is not None:
                    return best
                self.too_far[index] = least
        return None

    def _nearest(self) -> CarvePlan:
        reach = -np.inf
        for group in self.groups:
            reach = max(reach, _farthest(self.problem, group))
            # More moves win nothing over what nothing can pass.
            if reach >= self.bound - NEARLY_DB:
                break
        best = self._cheapest(reach - NEARLY_DB + 0.01) if np.isfinite(reach) else None
        if best is None:
            return CarvePlan((), self.sign * self.before, 0.0, True, binding=("none of the moves helps",))
        return self._planned(best, 0.0, limited=True)

    def _planned(self, best: Found, wanted_db: float, *, limited: bool) -> CarvePlan:
        one = self.judge.at(best.kinds, best.vector)
        binding = binding_limits(one, self.problem) if limited else ()
        moves = moves_of(best.kinds, best.vector)
        return CarvePlan(moves, one.clearance_db, one.lost_lu, limited, one.cost, wanted_db, binding)


def _bound_db(problem: CarveProblem, before: float) -> float:
    """What no candidate within the limits passes: everything as deep as it may be cut, and nothing left below that."""
    power = np.maximum(problem.gram.diagonal().real, 0.0)
    above = float(power[problem.components_hz >= problem.limits.from_hz / 2 ** (1 / 12)].sum())
    share = above / max(float(power.sum()), 1e-30)
    return before + problem.limits.depth_db - float(10 * np.log10(max(share, 1e-3)))


def _farthest(problem: CarveProblem, group: list[Search]) -> float:
    """How far towards the goal structures with as many moves get within the limits; minus infinity where none does."""
    ends = [
        (search.solve(start, least=None, coarse=True), search)
        for search in group
        for start in starts_of(problem, search.kinds)
    ]
    reach = -np.inf
    for end, search in sorted(ends, key=lambda one: -one[0].towards_db)[:POLISHED]:
        polished = search.solve(end.vector, least=None, rounds=MOST_ROUNDS)
        if polished.breach < LEAST_BREACH_DB:
            reach = max(reach, polished.towards_db)
    return reach


def _cheapest(problem: CarveProblem, group: list[Search], least: float) -> Found | None:
    """Of structures with as many moves the least cost that gets so far within the limits; None where none does."""
    found: list[tuple[Found, Search]] = []
    for search in group:
        for start in starts_of(problem, search.kinds):
            end = search.solve(start, least=least, coarse=True)
            if end.towards_db >= least - NEARLY_DB:
                found.append((end, search))
    kept: list[Found] = []
    for end, search in sorted(found, key=lambda one: one[0].cost)[: 2 * POLISHED]:
        # Polishing wins little: what costs more before it than another after it need not be tried.
        if kept and end.cost > WORTH * min(one.cost for one in kept):
            break
        polished = search.solve(end.vector, least=least, rounds=MOST_ROUNDS)
        if polished.breach < LEAST_BREACH_DB and polished.towards_db >= least - MARGIN_DB:
            kept.append(polished)
    return min(kept, key=lambda one: one.cost, default=None)

"""Where the bass owns the sub: one high-pass on the kick, as gentle and as low as reaches the goal (method: carving)."""

from __future__ import annotations

from typing import get_args

import numpy as np

from juglant.core.model.carve import Move, Slope
from juglant.core.separate.carve import CarvePlan
from juglant.core.separate.carve_problem import CarveProblem
from juglant.core.separate.filters import move_sections
from juglant.core.signal.filters import response
from juglant.core.types import Samples

LOWEST_HZ, HIGHEST_HZ = 40.0, 250.0
STEPS, HALVINGS, NEARLY_DB = 48, 8, 0.1


def _move(slope_db: Slope, corner_hz: float) -> Move:
    return Move(shape="high-pass", frequency_hz=round(corner_hz, 2), gain_db=0.0, q=0.707, slope_db=slope_db)


def reached_db(problem: CarveProblem, moves: tuple[Move, ...]) -> float:
    """Kick clearance that moves leave, on exact responses, dB."""
    return float(10 * np.log10(_left(problem, moves) / problem.other_energy) * (1 if problem.yielder_is_kick else -1))


def _left(problem: CarveProblem, moves: tuple[Move, ...]) -> float:
    rate = problem.sample_rate
    whole = response(move_sections(moves, sample_rate=rate), problem.components_hz, sample_rate=rate)
    if problem.linear_phase:
        whole = np.abs(whole).astype(complex)
    return max(float((whole @ problem.gram @ whole.conj()).real), 1e-30)


def lost_lu(problem: CarveProblem, moves: tuple[Move, ...]) -> float:
    """Loudness that moves take from the yielder, LU."""
    rate = problem.sample_rate
    gain: Samples = np.abs(response(move_sections(moves, sample_rate=rate), problem.loud_hz, sample_rate=rate)) ** 2
    left = max(float(problem.line_power @ gain), 1e-30)
    return float(-10 * np.log10(left / problem.line_power.sum()))


def solve_pass(problem: CarveProblem) -> CarvePlan:
    """The gentlest slope that reaches what is wanted anywhere between 40 and 250 Hz, at the lowest corner that does.

    Where none does: the steepest at the highest corner, limited.
    """
    wanted = problem.wanted_db
    if reached_db(problem, ()) <= wanted + NEARLY_DB:
        return CarvePlan((), reached_db(problem, ()), 0.0, limited=False, wanted_db=wanted)

    def far(slope: Slope, corner: float) -> bool:
        return reached_db(problem, (_move(slope, corner),)) <= wanted + NEARLY_DB

    corners = np.geomspace(LOWEST_HZ, HIGHEST_HZ, STEPS)
    for slope in get_args(Slope):
        first = next((k for k, corner in enumerate(corners) if far(slope, float(corner))), None)
        if first is None:
            continue
        low, high = float(corners[max(first - 1, 0)]), float(corners[first])
        for _ in range(HALVINGS if first else 0):
            middle = (low * high) ** 0.5
            low, high = (low, middle) if far(slope, middle) else (middle, high)
        return _plan(problem, _move(slope, high), limited=False)
    slopes: tuple[Slope, ...] = get_args(Slope)
    return _plan(problem, _move(slopes[-1], HIGHEST_HZ), limited=True)


def _plan(problem: CarveProblem, move: Move, *, limited: bool) -> CarvePlan:
    moves = (move,)
    binding = (f"a pass no higher than {HIGHEST_HZ:.0f} Hz",) if limited else ()
    reached, lost = reached_db(problem, moves), lost_lu(problem, moves)
    return CarvePlan(moves, reached, lost, limited, wanted_db=problem.wanted_db, binding=binding)

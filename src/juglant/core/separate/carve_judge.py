"""What a candidate EQ would leave and cost, judged without rendering it (method: carving).

The energy that a filter H leaves in the judged cells is a quadratic form: the yielder, seen through each judged band, is
split into 1/24-octave components; E = sum over j, k of H_j conj(H_k) <x_j, x_k> over the active frames. That is exact up
to the variation of H inside one component, so thousands of candidates are judged without rendering any. What it costs is
J = sum over notes w_n (dL_n - mean dL)^2 + a sum over third octaves W_b G_b^2: notes that drift apart, and all that is cut.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from itertools import pairwise

import numba
import numpy as np

from juglant.core.model.carve import PASS_24
from juglant.core.separate.carve_problem import CarveProblem, Kind
from juglant.core.signal.filters import BUTTERWORTH_4_Q, SHAPES, cookbook_section
from juglant.core.signal.frames import REORDERED
from juglant.core.types import Samples, Spectrum

# 1 LU between the notes weighs as much as a mean cut of 2 dB.
CUT_WEIGHT = 0.25
SLOPE_STEP = 1e-6
TO_DB = 10 / math.log(10)
KIND_24 = len(SHAPES)
PASS_SHAPE = SHAPES.index("high-pass")
FIRST_Q, SECOND_Q = BUTTERWORTH_4_Q


def kind_index(kind: Kind) -> int:
    """A kind of move as the compiled code knows it."""
    return KIND_24 if kind == PASS_24 else SHAPES.index(kind)


@numba.njit(cache=True, nogil=True, fastmath=REORDERED)
def _section_at(kind, frequency, gain, q, rate, z, out):  # type: ignore[no-untyped-def]
    times = 2 if kind == KIND_24 else 1
    for turn in range(times):
        shape, own = kind, q
        if kind == KIND_24:
            shape, own = PASS_SHAPE, FIRST_Q if turn == 0 else SECOND_Q
        b0, b1, b2, a0, a1, a2 = cookbook_section(shape, frequency, gain, own, rate)
        for i in range(z.size):
            one = (b0 + z[i] * (b1 + z[i] * b2)) / (a0 + z[i] * (a1 + z[i] * a2))
            out[i] = one if turn == 0 else out[i] * one


@numba.njit(cache=True, nogil=True, fastmath=REORDERED)
def _judged(  # type: ignore[no-untyped-def]
    kinds, vector, rate, z, gram, linear, sloped, level, slopes, without, without_slopes, energy_slopes, whole, turned
):
    """Left energy; at every point 20 log10 of the response, with and without passes, and where `sloped` all their slopes.

    level, without: (points,); slopes, without_slopes: (parameters, points); energy_slopes: (parameters,); whole: the
    response itself, (points,); turned: how its logarithm changes, (parameters, points).
    """
    points, count = z.size, vector.size if sloped else 0
    whole[:] = 1.0
    own, moved = np.empty(points, dtype=np.complex128), np.empty(points, dtype=np.complex128)
    without[:] = 0.0
    per_db = 20 / math.log(10.0)
    for k in range(kinds.size):
        f, gain, q = vector[3 * k], vector[3 * k + 1], vector[3 * k + 2]
        _section_at(kinds[k], 2.0**f, gain, 2.0**q, rate, z, own)
        passes = kinds[k] == PASS_SHAPE or kinds[k] == KIND_24
        for j in range(3 if sloped else 0):
            step = (SLOPE_STEP if j == 0 else 0.0, SLOPE_STEP if j == 1 else 0.0, SLOPE_STEP if j == 2 else 0.0)
            _section_at(kinds[k], 2.0 ** (f + step[0]), gain + step[1], 2.0 ** (q + step[2]), rate, z, moved)
            for i in range(points):
                # How the logarithm of the response turns.
                turned[3 * k + j, i] = (moved[i] - own[i]) / (own[i] * SLOPE_STEP)
                without_slopes[3 * k + j, i] = 0.0 if passes else per_db * turned[3 * k + j, i].real
        for i in range(points):
            whole[i] *= own[i]
            if not passes:
                without[i] += 10 * math.log10(own[i].real ** 2 + own[i].imag ** 2)
    if linear:
        # The size of the response alone: no turn, and none when it changes.
        for i in range(points):
            whole[i] = abs(whole[i])
            for p in range(count):
                turned[p, i] = turned[p, i].real
    energy = 0.0
    energy_slopes[:] = 0.0
    for i in range(gram.shape[0]):
        total = complex(0.0, 0.0)
        for j in range(gram.shape[0]):
            total += gram[i, j] * whole[j].conjugate()
        share = whole[i] * total
        energy += share.real
        for p in range(count):
            energy_slopes[p] += 2 * (turned[p, i] * share).real
    for i in range(points):
        level[i] = 10 * math.log10(max(whole[i].real ** 2 + whole[i].imag ** 2, 1e-30))
        for p in range(count):
            slopes[p, i] = per_db * turned[p, i].real
    return energy


@dataclass(frozen=True)
class Slopes:
    """How the figures of a candidate change with each parameter: as they are, with (…, parameters) behind."""

    clearance: Samples
    cost: Samples
    level: Samples
    without: Samples
    behind: Samples
    turned: Spectrum  # of the response's logarithm at the components, (parameters, components)


@dataclass(frozen=True)
class Judged:
    """Every figure of one candidate.

    level_db, without_db: response at the limit points, with and without passes, (points,); note_db: change of each note's
    loudness, (notes,); slopes: where they were asked for.
    """

    clearance_db: float
    cost: float
    lost_lu: float
    level_db: Samples
    without_db: Samples
    note_db: Samples
    response: Spectrum  # at the components, (components,)
    slopes: Slopes | None

    @property
    def behind_lu(self) -> Samples:
        """By how much each note loses more than the line does, LU, (notes,)."""
        return -self.note_db - self.lost_lu


class Judge:
    """Figures of candidates with their slopes."""

    def __init__(self, problem: CarveProblem) -> None:
        self.problem = problem
        places = (problem.components_hz, problem.limit_hz, problem.loud_hz, problem.band_hz)
        self.z = np.exp(-2j * np.pi * np.concatenate(places) / problem.sample_rate)
        ends = np.cumsum([one.size for one in places])
        self.components = slice(0, int(ends[0]))
        self.limits, self.loud, self.bands = (slice(a, b) for a, b in pairwise(ends))
        self.note_total = problem.note_power.sum(axis=1)
        self.line_total = float(problem.line_power.sum())
        self.sign = 1.0 if problem.yielder_is_kick else -1.0

    def at(self, kinds: tuple[Kind, ...], vector: Samples, *, sloped: bool = False) -> Judged:
        """All of one candidate; vector: log2 frequency, gain in dB, log2 Q of each move; sloped: with slopes."""
        problem, points, count = self.problem, self.z.size, vector.size if sloped else 0
        level, without = np.empty(points), np.empty(points)
        slopes, without_slopes, energy_slopes = np.empty((count, points)), np.empty((count, points)), np.empty(count)
        whole, turned = np.empty(points, dtype=np.complex128), np.empty((count, points), dtype=np.complex128)
        codes = np.array([kind_index(kind) for kind in kinds], dtype=np.int64)
        energy = max(
            _judged(
                codes, vector, float(problem.sample_rate), self.z, problem.gram, problem.linear_phase, sloped, level,
                slopes, without, without_slopes, energy_slopes, whole, turned,
            ),
            1e-30,
        )  # fmt: skip
        power = np.exp(level[self.loud] / TO_DB)
        left, line = np.maximum(problem.note_power @ power, 1e-30), max(float(problem.line_power @ power), 1e-30)
        note_db = TO_DB * np.log(left / self.note_total)
        share, gains = problem.note_share, level[self.bands]
        apart = note_db - share @ note_db
        found = None
        if sloped:
            by_param = slopes[:, self.loud] * power
            notes = (problem.note_power @ by_param.T) / left[:, None]
            cost_slopes = 2 * (share * apart) @ (notes - share @ notes)
            cost_slopes = cost_slopes + 2 * CUT_WEIGHT * slopes[:, self.bands] @ (problem.band_weight * gains)
            found = Slopes(
                clearance=self.sign * TO_DB * energy_slopes / energy,
                cost=cost_slopes,
                level=slopes[:, self.limits].T,
                without=without_slopes[:, self.limits].T,
                behind=(by_param @ problem.line_power) / line - notes,
                turned=turned[:, self.components],
            )
        return Judged(
            clearance_db=self.sign * TO_DB * math.log(energy / problem.other_energy),
            cost=float(share @ apart**2 + CUT_WEIGHT * problem.band_weight @ gains**2),
            lost_lu=-TO_DB * math.log(line / self.line_total),
            level_db=level[self.limits],
            without_db=without[self.limits],
            note_db=note_db,
            response=whole[self.components],
            slopes=found,
        )

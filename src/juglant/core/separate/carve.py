"""The carve solver: the least EQ on the yielder that reaches the goal (method: carving).

The energy that a filter H leaves in the judged cells is a quadratic form: the yielder, seen through each judged band, is
split into 1/24-octave components; E = sum over j, k of H_j conj(H_k) <x_j, x_k> over the active frames. That is exact up
to the variation of H inside one component, so thousands of candidates are judged without rendering any.
"""

from __future__ import annotations

from dataclasses import dataclass

import numba
import numpy as np
import scipy
from scipy import fft

from juglant.core.measure.bands import FRAME_S, LOW_CENTRES_HZ, band_gain
from juglant.core.measure.level import k_weighting
from juglant.core.model.carve import Move, Shape
from juglant.core.separate.clearance import Contest, Goal
from juglant.core.signal.decimate import decimate
from juglant.core.signal.filters import candidate_responses, response
from juglant.core.types import Samples, Spectrum

PER_OCTAVE = 24
LOWEST_HZ, HIGHEST_HZ = 17.0, 330.0
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
MOST_STEPS = 45
MOST_ROUNDS, POLISHED = 3, 3
SLOPE_STEP = 1e-5


@dataclass(frozen=True)
class CarveProblem:
    """What a candidate filter is judged by, prepared once."""

    components_hz: Samples  # (components,)
    gram: Spectrum  # (components, components), judged active energy of the yielder
    other_energy: float  # energy of the part that does not yield, same cells
    yielder_is_kick: bool
    goal: Goal
    limit_hz: Samples  # where the response is limited, (points,)
    fine_hz: Samples  # and where it is checked, (points,)
    note_hz: Samples  # fundamentals outside the judged bands, (notes,)
    loud_hz: Samples  # bins of the loudness spectrum, (bins,)
    loud_power: Samples  # K-weighted power of the yielder there, (bins,)
    sample_rate: int


@dataclass(frozen=True)
class CarvePlan:
    """The moves found, and what the model says they reach."""

    moves: tuple[Move, ...]
    clearance_db: float
    loudness_lost_lu: float
    limited: bool


def component_gram(loop: Samples, contest: Contest, *, sample_rate: int) -> tuple[Samples, Spectrum]:
    """1/24-octave components of a loop seen through the judged bands: centres, and their Gram matrix over active frames."""
    frame = round(FRAME_S * sample_rate)
    factor = max(f for f in range(1, sample_rate // 1000 + 1) if frame % f == 0)
    rate = sample_rate / factor
    margin = round(rate)
    count = -(-loop.size // factor)
    length = fft.next_fast_len(count + 2 * margin, real=True)
    around = np.take(loop, np.arange(-margin * factor, (length - margin) * factor), mode="wrap")
    slow = decimate(around, factor, pass_share=0.7)[:length]
    frequency = fft.rfftfreq(length, 1 / rate)
    spectrum = fft.rfft(slow)
    steps = np.arange(round(PER_OCTAVE * np.log2(HIGHEST_HZ / LOWEST_HZ)) + 1)
    edges = LOWEST_HZ * 2 ** ((steps - 0.5) / PER_OCTAVE)
    centres = LOWEST_HZ * 2 ** (steps[:-1] / PER_OCTAVE)
    per_frame = frame // factor
    gram = np.zeros((centres.size, centres.size), dtype=complex)
    for row in contest.judged_bands:
        cells = np.flatnonzero(contest.active[row])
        index = (cells[:, None] * per_frame + np.arange(per_frame)).ravel() + margin
        index = index[index < length]
        gain = band_gain(LOW_CENTRES_HZ[row], frequency, sample_rate=sample_rate)
        # Components that the band lets through; the rest is under -45 dB.
        near = np.flatnonzero((centres > LOW_CENTRES_HZ[row] / 2) & (centres < LOW_CENTRES_HZ[row] * 2))
        bands = np.zeros((near.size, length), dtype=complex)
        for k, component in enumerate(near):
            inside = slice(*np.searchsorted(frequency, [edges[component], edges[component + 1]]))
            bands[k, inside] = 2 * spectrum[inside] * gain[inside]
        parts = fft.ifft(bands, axis=1)[:, index]
        # A real signal is the real part of its analytic one: its energy is half of the product of the two.
        gram[np.ix_(near, near)] += 0.5 * factor * (parts @ parts.conj().T)
    return centres, gram


def carve_problem(
    yielder: Samples,
    contest: Contest,
    goal: Goal,
    *,
    other_energy: float,
    yielder_is_kick: bool,
    note_hz: list[float],
    floor_hz: float,
    sample_rate: int,
) -> CarveProblem:
    """Prepare the judgement of candidate filters.

    yielder: the before stem, (frames,); other_energy: the other part's energy in the judged active cells; note_hz: the bass
    line's fundamentals where the bass yields.
    """
    centres, gram = component_gram(yielder, contest, sample_rate=sample_rate)
    judged = [LOW_CENTRES_HZ[i] for i in contest.judged_bands]
    kept = [f for f in sorted(set(note_hz)) if not any(c / 10**0.05 <= f <= c * 10**0.05 for c in judged)]
    power = np.abs(fft.rfft(yielder)) ** 2
    frequency = fft.rfftfreq(yielder.size, 1 / sample_rate)
    edges = np.geomspace(15, 0.49 * sample_rate, 70)
    middle = np.sqrt(edges[1:] * edges[:-1])
    total = np.histogram(frequency, edges, weights=power)[0]
    weight = np.abs(response(k_weighting(sample_rate), middle, sample_rate=sample_rate)) ** 2
    return CarveProblem(
        components_hz=centres,
        gram=gram,
        other_energy=other_energy,
        yielder_is_kick=yielder_is_kick,
        goal=goal,
        fine_hz=np.geomspace(floor_hz, 20_000, 500),
        limit_hz=np.concatenate((np.geomspace(floor_hz, 640, 34), np.geomspace(800, 20_000, 5))),
        note_hz=np.array(kept),
        loud_hz=middle,
        loud_power=total * weight,
        sample_rate=sample_rate,
    )


@numba.njit(cache=True, nogil=True)
def _forms(rows: Spectrum, gram: Spectrum) -> Samples:
    """Quadratic form of a Hermitian matrix for each row; its zeros (bands far apart) cost nothing."""
    out = np.zeros(rows.shape[0])
    for i in range(gram.shape[0]):
        for j in range(i, gram.shape[1]):
            g = gram[i, j]
            if g == 0:
                continue
            weight = 1.0 if i == j else 2.0
            for c in range(rows.shape[0]):
                out[c] += weight * (rows[c, i] * g * rows[c, j].conjugate()).real
    return out


@dataclass(frozen=True)
class Judged:
    """Figures of candidates: clearance and loudness lost, (candidates,); limited responses in dB, (candidates, points)."""

    clearance_db: Samples
    lost_lu: Samples
    limits_db: Samples
    notes_db: Samples


def judge(problem: CarveProblem, shapes: tuple[Shape, ...], vectors: Samples) -> Judged:
    """Judge candidates, (candidates, 3 * moves), without rendering them."""
    groups = (problem.components_hz, problem.limit_hz, problem.note_hz, problem.loud_hz)
    z = np.exp(-2j * np.pi * np.concatenate(groups) / problem.sample_rate)
    h = candidate_responses(shapes, vectors, z, sample_rate=problem.sample_rate)
    part, limited, notes, loud = np.split(h, np.cumsum([group.size for group in groups])[:-1], axis=1)
    left = _forms(np.ascontiguousarray(part), problem.gram)
    ratio = left / problem.other_energy if problem.yielder_is_kick else problem.other_energy / np.maximum(left, 1e-30)
    power = problem.loud_power
    return Judged(
        clearance_db=10 * np.log10(np.maximum(ratio, 1e-30)),
        lost_lu=-10 * np.log10((np.abs(loud) ** 2 @ power) / np.sum(power)),
        limits_db=20 * np.log10(np.abs(limited)),
        notes_db=20 * np.log10(np.abs(notes)),
    )


class _Search:
    """One structure of moves: values and slopes of every figure, from one batch of neighbours a step."""

    def __init__(self, problem: CarveProblem, shapes: tuple[Shape, ...]) -> None:
        self.problem, self.shapes = problem, shapes
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
            steps = np.vstack((vector, vector + np.eye(vector.size) * SLOPE_STEP))
            found = judge(self.problem, self.shapes, steps)
            table = np.column_stack(
                (
                    self.sign * found.clearance_db,
                    found.lost_lu,
                    found.limits_db - DEEPEST_DB - MARGIN_DB - self.tighter_db,
                    HIGHEST_DB - MARGIN_DB - self.tighter_db - found.limits_db,
                    found.notes_db + NOTE_LOSS_DB - MARGIN_DB,
                )
            )
            self.values, self.slopes = table[0], (table[1:] - table[0]).T / SLOPE_STEP
            self.at = vector.tobytes()
        return self.values, self.slopes

    def solve(
        self, start: Samples, *, least: float | None, most: float, rounds: int = 1
    ) -> tuple[Samples, float, float, float]:
        """From one start: most clearance (least None), or least loudness lost with clearance between least and most.

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
            vector = self._minimized(vector, rules, which, sign)
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

    def _minimized(self, start: Samples, rules: list[dict[str, object]], which: int, sign: float) -> Samples:
        self.at = b""
        found = scipy.optimize.minimize(  # type: ignore[call-overload]
            lambda v: sign * self.figures(v)[0][which],
            start,
            jac=lambda v: sign * self.figures(v)[1][which],
            bounds=self.bounds,
            constraints=rules,
            method="SLSQP",
            options={"maxiter": MOST_STEPS, "ftol": 1e-3},
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


def solve_carve(problem: CarveProblem, contest: Contest) -> CarvePlan:
    """The least-change carve: nearest to the goal, then least loudness lost, then fewest moves. Deterministic."""
    goal = problem.goal
    before = float(judge(problem, (), np.zeros((1, 0))).clearance_db[0])
    if goal.short_db(before) <= 0:
        return CarvePlan((), before, 0.0, limited=False)
    judged_hz = [LOW_CENTRES_HZ[i] for i in contest.judged_bands]
    sign = 1.0 if goal.kind == "at_least" else -1.0
    wanted = sign * goal.db
    searches = {shapes: _Search(problem, shapes) for shapes in STRUCTURES}
    farthest: dict[tuple[Shape, ...], tuple[Samples, float]] = {}
    for shapes, search in searches.items():
        ends = [search.solve(start, least=None, most=0.0) for start in _starts(problem, shapes, judged_hz)]
        ends.sort(key=lambda end: -end[1])
        # Only what promises most is brought within the limits between the points of the coarse grid.
        tried = [search.solve(end[0], least=None, most=0.0, rounds=MOST_ROUNDS) for end in ends[:POLISHED]]
        good = [(vector, reach) for vector, reach, _, breach in tried if breach < LEAST_BREACH_DB]
        if good:
            farthest[shapes] = max(good, key=lambda pair: pair[1])
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
            found, clearance, lost, _ = search.solve(start, least=low, most=high)
            if best - NEARLY_DB <= clearance <= wanted + OVERSHOOT_DB:
                lean.append((lost, shapes, found))
        if reach <= wanted + OVERSHOOT_DB:
            candidates.append((float(search.figures(vector)[0][1]), shapes, vector, reach))
    for _, shapes, start in sorted(lean, key=lambda one: abs(one[0]))[: 2 * POLISHED]:
        found, clearance, lost, breach = searches[shapes].solve(start, least=low, most=high, rounds=MOST_ROUNDS)
        if breach < LEAST_BREACH_DB and best - NEARLY_DB <= clearance <= wanted + OVERSHOOT_DB:
            candidates.append((lost, shapes, found, clearance))
    least = min(abs(lost) for lost, *_ in candidates)
    lost, shapes, vector, clearance = min(
        (c for c in candidates if abs(c[0]) <= least + SAME_LOSS_LU), key=lambda c: (len(c[1]), abs(c[0]))
    )
    return CarvePlan(_moves(shapes, vector), sign * clearance, lost, limited=best < wanted - NEARLY_DB)

"""What a candidate EQ would leave, judged without rendering it (method: carving).

The energy that a filter H leaves in the judged cells is a quadratic form: the yielder, seen through each judged band, is
split into 1/24-octave components; E = sum over j, k of H_j conj(H_k) <x_j, x_k> over the active frames. That is exact up
to the variation of H inside one component, so thousands of candidates are judged without rendering any.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numba
import numpy as np
from scipy import fft

from juglant.core.measure.bands import FRAME_S, LOW_CENTRES_HZ, band_gain
from juglant.core.measure.level import k_weighting
from juglant.core.model.carve import Shape
from juglant.core.separate.clearance import Contest, Goal
from juglant.core.signal.decimate import decimate
from juglant.core.signal.filters import SHAPES, cookbook_section, response
from juglant.core.signal.frames import REORDERED
from juglant.core.signal.wrap import wrapped
from juglant.core.types import Samples, Spectrum

PER_OCTAVE = 24
LOWEST_HZ, HIGHEST_HZ = 17.0, 330.0
# A band's components lie within an octave of its centre; beyond, the band is under -45 dB.
REACH = 2.0
# Sampling rate of a band's components against the width they take: products of two of them must not fold.
GUARD = 2.5
SLOPE_STEP = 1e-6
WORK_HZ = 1000


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
    linear_phase: bool = False

    @property
    def places(self) -> Spectrum:
        """e^(-jw) of every place at which a candidate is looked at: components, limits, notes, loudness."""
        every = np.concatenate((self.components_hz, self.limit_hz, self.note_hz, self.loud_hz))
        return np.asarray(np.exp(-2j * np.pi * every / self.sample_rate))


def component_gram(loop: Samples, contest: Contest, *, sample_rate: int) -> tuple[Samples, Spectrum]:
    """1/24-octave components of a loop seen through the judged bands: centres, and their Gram matrix over active frames."""
    frame = round(FRAME_S * sample_rate)
    factor = max(f for f in range(1, sample_rate // WORK_HZ + 1) if frame % f == 0)
    rate, per_frame = sample_rate / factor, frame // factor
    margin = per_frame * math.ceil(rate / per_frame)
    count = -(-loop.size // factor)
    # A whole number of frames, so that a band may be sampled more slowly by any part of a frame.
    length = per_frame * fft.next_fast_len(-(-(count + 2 * margin) // per_frame))
    around = wrapped(loop, margin * factor, (length - margin) * factor - loop.size)
    slow = decimate(around, factor, pass_share=0.7)[:length]
    frequency = np.arange(length // 2 + 1) * rate / length
    spectrum = fft.rfft(slow)
    steps = np.arange(round(PER_OCTAVE * np.log2(HIGHEST_HZ / LOWEST_HZ)) + 1)
    edges = LOWEST_HZ * 2 ** ((steps - 0.5) / PER_OCTAVE)
    centres = LOWEST_HZ * 2 ** (steps[:-1] / PER_OCTAVE)
    gram = np.zeros((centres.size, centres.size), dtype=complex)
    for row in contest.judged_bands:
        centre = LOW_CENTRES_HZ[row]
        near = np.flatnonzero((centres > centre / REACH) & (centres < centre * REACH))
        low, high = np.searchsorted(frequency, [edges[near[0]], edges[near[-1] + 1]])
        points = _points_of_frame(per_frame, (high - low) * rate / length)
        short = length // per_frame * points
        band = 2 * spectrum[low:high] * band_gain(centre, frequency[low:high], sample_rate=sample_rate)
        bands = np.zeros((near.size, short), dtype=complex)
        for k, component in enumerate(near):
            inside = slice(
                *(np.searchsorted(frequency, [edges[component], edges[component + 1]]) - low).clip(0, high - low)
            )
            # Moved down to the lowest component: what all share turns no product of two.
            bands[k, inside] = band[inside]
        cells = np.flatnonzero(contest.active[row])
        index = (cells[:, None] * points + np.arange(points)).ravel() + margin // per_frame * points
        parts = fft.ifft(bands, axis=1, overwrite_x=True)[:, index[index < short]] * (short / length)
        # A real signal is the real part of its analytic one: its energy is half of the product of the two.
        gram[np.ix_(near, near)] += 0.5 * factor * (per_frame / points) * (parts @ parts.conj().T)
    return centres, gram


def _points_of_frame(per_frame: int, width_hz: float) -> int:
    """The fewest points of a frame, a divisor of `per_frame`, that sample a band of this width well enough."""
    enough = [n for n in range(1, per_frame + 1) if per_frame % n == 0 and n / FRAME_S >= GUARD * width_hz]
    return min(enough, default=per_frame)


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
    linear_phase: bool = False,
) -> CarveProblem:
    """Prepare the judgement of candidate filters.

    yielder: the before stem, (frames,); other_energy: the other part's energy in the judged active cells; note_hz: the bass
    line's fundamentals where the bass yields.
    """
    centres, gram = component_gram(yielder, contest, sample_rate=sample_rate)
    judged = [LOW_CENTRES_HZ[i] for i in contest.judged_bands]
    kept = [f for f in sorted(set(note_hz)) if not any(c / 10**0.05 <= f <= c * 10**0.05 for c in judged)]
    size = fft.next_fast_len(yielder.size, real=True)
    found = fft.rfft(yielder, size)
    edges = np.geomspace(15, 0.49 * sample_rate, 70)
    middle = np.sqrt(edges[1:] * edges[:-1])
    power = np.concatenate(([0.0], np.cumsum(found.real**2 + found.imag**2)))
    total = np.diff(power[np.ceil(edges * size / sample_rate).astype(int).clip(max=power.size - 1)])
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
        linear_phase=linear_phase,
    )


@numba.njit(cache=True, nogil=True, fastmath=REORDERED)
def _section_at(kind, frequency, gain, q, rate, z, out):  # type: ignore[no-untyped-def]
    b0, b1, b2, a0, a1, a2 = cookbook_section(kind, frequency, gain, q, rate)
    for i in range(z.size):
        out[i] = (b0 + z[i] * (b1 + z[i] * b2)) / (a0 + z[i] * (a1 + z[i] * a2))


@numba.njit(cache=True, nogil=True, fastmath=REORDERED)
def _judged(kinds, vector, rate, z, gram, power, split, linear, values, slopes):  # type: ignore[no-untyped-def]
    """Left energy, left loudness power, then 20 log10 of the response at limits and notes; and all their slopes.

    split: where limits, notes and loudness begin in z. slopes: (figures, parameters).
    """
    points, count = z.size, vector.size
    whole = np.ones(points, dtype=np.complex128)
    turned = np.empty((count, points), dtype=np.complex128)
    own, moved = np.empty(points, dtype=np.complex128), np.empty(points, dtype=np.complex128)
    for k in range(kinds.size):
        f, gain, q = vector[3 * k], vector[3 * k + 1], vector[3 * k + 2]
        _section_at(kinds[k], 2.0**f, gain, 2.0**q, rate, z, own)
        for j in range(3):
            step = (SLOPE_STEP if j == 0 else 0.0, SLOPE_STEP if j == 1 else 0.0, SLOPE_STEP if j == 2 else 0.0)
            _section_at(kinds[k], 2.0 ** (f + step[0]), gain + step[1], 2.0 ** (q + step[2]), rate, z, moved)
            for i in range(points):
                # How the logarithm of the response turns.
                turned[3 * k + j, i] = (moved[i] - own[i]) / (own[i] * SLOPE_STEP)
        for i in range(points):
            whole[i] *= own[i]
    if linear:
        # The size of the response alone: no turn, and none when it changes.
        for i in range(points):
            whole[i] = abs(whole[i])
            for p in range(count):
                turned[p, i] = turned[p, i].real
    limits, loud = split[0], split[2]
    energy = 0.0
    slopes[:] = 0.0
    for i in range(limits):
        total = complex(0.0, 0.0)
        for j in range(limits):
            total += gram[i, j] * whole[j].conjugate()
        share = whole[i] * total
        energy += share.real
        for p in range(count):
            slopes[0, p] += 2 * (turned[p, i] * share).real
    values[0] = energy
    left = 0.0
    for i in range(loud, points):
        share_of = (whole[i].real ** 2 + whole[i].imag ** 2) * power[i - loud]
        left += share_of
        for p in range(count):
            slopes[1, p] += 2 * share_of * turned[p, i].real
    values[1] = left
    for i in range(limits, loud):
        row = 2 + i - limits
        values[row] = 10 * math.log10(max(whole[i].real ** 2 + whole[i].imag ** 2, 1e-30))
        for p in range(count):
            slopes[row, p] = 20 / math.log(10.0) * turned[p, i].real


class Judge:
    """Figures of candidates with their slopes: clearance in dB, loudness lost in LU, response in dB at limits and notes."""

    def __init__(self, problem: CarveProblem) -> None:
        self.problem = problem
        self.z = problem.places
        sizes = np.cumsum([problem.components_hz.size, problem.limit_hz.size, problem.note_hz.size])
        self.split = sizes.astype(np.int64)
        self.rows = 2 + problem.limit_hz.size + problem.note_hz.size
        self.whole_power = float(problem.loud_power.sum())

    def at(self, shapes: tuple[Shape, ...], vector: Samples) -> tuple[Samples, Samples]:
        """Figures, (figures,), and slopes, (figures, parameters), of one candidate.

        vector: log2 frequency, gain in dB, log2 Q of each move. In order: kick clearance, loudness lost, limits, notes.
        """
        problem = self.problem
        kinds = np.array([SHAPES.index(shape) for shape in shapes], dtype=np.int64)
        values, slopes = np.empty(self.rows), np.empty((self.rows, vector.size))
        rate = float(problem.sample_rate)
        _judged(
            kinds, vector, rate, self.z, problem.gram, problem.loud_power, self.split, problem.linear_phase, values, slopes
        )
        to_db = 10 / math.log(10)
        energy, left = max(values[0], 1e-30), max(values[1], 1e-30)
        sign = 1.0 if problem.yielder_is_kick else -1.0
        slopes[0] *= sign * to_db / energy
        slopes[1] *= -to_db / left
        values[0] = sign * to_db * math.log(energy / problem.other_energy)
        values[1] = -to_db * math.log(left / self.whole_power)
        return values, slopes

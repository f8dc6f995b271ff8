"""What a candidate carve is judged by, prepared once from the stems (method: carving)."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
from scipy import fft

from juglant.core.measure.bands import (
    CENTRES_HZ,
    FRAME_S,
    LOW_BANDS_HZ,
    LOW_CENTRES_HZ,
    MIDDLE_BANDS_HZ,
    band_gain,
)
from juglant.core.measure.level import k_weighting
from juglant.core.model.carve import Shape
from juglant.core.separate.clearance import Contest
from juglant.core.signal.decimate import decimate
from juglant.core.signal.filters import response
from juglant.core.signal.wrap import wrapped
from juglant.core.types import Samples, Spectrum

# A shape of move, or a Butterworth pass of 24 dB an octave.
Kind = Shape | Literal["high-pass 24"]
PER_OCTAVE = 24
LOWEST_HZ, HIGHEST_HZ = 17.0, 330.0
# A band's components lie within an octave of its centre; beyond, the band is under -45 dB.
REACH = 2.0
# Sampling rate of a band's components against the width they take: products of two of them must not fold.
GUARD = 5
WORK_HZ = 1000
# How a note changes is judged over so much of it; what is cut is weighed up to here, by the bands' energy to this power.
NOTE_S, WEIGHED_HZ, WEIGHT_POWER = 0.4, 2000.0, 0.3
LOUD_PER_OCTAVE, SPARSE_PER_OCTAVE, SPARSE_FROM_HZ = 24, 6, 400.0
# Lines of a transform are this long apart at most, as 1/s; edges of what the bands' weights are summed over.
LINES_S, WEIGHT_EDGES = 1.25, 500
LOWEST_LIMIT_HZ = 20.0
CUTS_ONLY_DB = 0.3


@dataclass(frozen=True)
class CarveLimits:
    """What the summed response may do.

    depth_db: deepest from from_hz on; lift_db: highest where a lift is asked for; steepest_db: dB an octave, passes apart;
    note_lu: what a note may lose more than the line; passes: whether there may be one.
    """

    depth_db: float
    lift_db: float = 0.0
    steepest_db: float = 18.0
    from_hz: float = LOWEST_LIMIT_HZ
    note_lu: float = 1.5
    passes: bool = True

    @property
    def highest_db(self) -> float:
        """The highest the summed response may come, dB: a shelf rises by a hair's breadth beside its slope."""
        return max(CUTS_ONLY_DB, self.lift_db)


@dataclass(frozen=True)
class CarveProblem:
    """What a candidate filter is judged by, prepared once."""

    components_hz: Samples  # (components,)
    gram: Spectrum  # (components, components), judged active energy of the yielder
    other_energy: float  # energy of the part that does not yield, same cells
    yielder_is_kick: bool
    wanted_db: float  # the clearance it is carved for
    limits: CarveLimits
    judged_hz: tuple[float, ...]
    limit_hz: Samples  # where the response is limited, (points,)
    fine_hz: Samples  # and where it is checked, (points,)
    loud_hz: Samples  # bins of the loudness spectrum, (bins,)
    line_power: Samples  # K-weighted power of the yielder there, (bins,)
    note_power: Samples  # the same of each kind of note's first 400 ms, (notes, bins)
    note_share: Samples  # of the line's energy, (notes,)
    note_kinds: tuple[tuple[int, int], ...]  # number and frames of each kind of note
    low_middle: tuple[Samples, Samples]  # energy of low and middle third octaves by bin, both (bins,)
    band_hz: Samples  # third octaves from 25 Hz to 2 kHz, (bands,)
    band_weight: Samples  # what a cut there weighs, sum 1, (bands,)
    sample_rate: int
    linear_phase: bool = False


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


def _loud_edges(sample_rate: int) -> Samples:
    """Edges of the loudness bins, Hz, (bins + 1,): fine where moves act."""
    fine = np.geomspace(15, SPARSE_FROM_HZ, round(LOUD_PER_OCTAVE * np.log2(SPARSE_FROM_HZ / 15)) + 1)
    top = 0.49 * sample_rate
    return np.concatenate((fine, np.geomspace(SPARSE_FROM_HZ, top, round(SPARSE_PER_OCTAVE * np.log2(top / 400)) + 1)[1:]))


def _binned(piece: Samples, edges: Samples, *, sample_rate: int) -> Samples:
    """Energy of a piece of sound in each bin, (bins,); bins narrower than a line of its transform share it."""
    return _between(*_summed(piece, sample_rate), edges)


def _summed(piece: Samples, sample_rate: int) -> tuple[Samples, float]:
    """Energy of a piece of sound up to each line of its transform, (lines + 1,), and how far apart they are, Hz."""
    size = fft.next_fast_len(max(piece.size, round(LINES_S * sample_rate)), real=True)
    found = fft.rfft(piece, size)
    return np.concatenate(([0.0], np.cumsum(found.real**2 + found.imag**2))) / size, sample_rate / size


def _between(whole: Samples, line_hz: float, edges: Samples) -> Samples:
    # Lines stand for half a line to each side.
    return np.diff(np.interp(edges / line_hz + 0.5, np.arange(whole.size), whole))


def notes_power(
    stem: Samples, spans: Sequence[tuple[int, int, int]], edges: Samples, *, sample_rate: int
) -> tuple[Samples, Samples, tuple[tuple[int, int], ...]]:
    """Energy of each kind of note's first 400 ms by bin, (notes, bins), its share of all notes' energy, and the kinds.

    spans: kind, first frame and frames of every note; notes of one kind (a pitch and a length) are one. Without any that
    sounds the whole stem is one note.
    """
    first_frames = round(NOTE_S * sample_rate)
    power: dict[tuple[int, int], Samples] = {}
    energy: dict[tuple[int, int], float] = {}
    for kind, start, frames in spans:
        used = min(frames, first_frames)
        piece = stem[np.arange(start, start + frames) % stem.size]
        key = (kind, used)
        # All notes of one kind sound alike: the first of them says how the others change.
        if key not in power:
            power[key] = _binned(piece[:used], edges, sample_rate=sample_rate)
        energy[key] = energy.get(key, 0.0) + float(np.sum(piece**2))
    kept = [key for key in power if energy[key] > 0 and power[key].sum() > 0]
    if not kept:
        return _binned(stem, edges, sample_rate=sample_rate)[None], np.ones(1), ()
    share = np.array([energy[key] for key in kept])
    return np.stack([power[key] for key in kept]), share / share.sum(), tuple(kept)


def _through(power: Samples, hz: Samples, span_hz: tuple[float, float], sample_rate: int) -> Samples:
    """What of the power in each bin the third octaves between two frequencies hold, (bins,)."""
    centres = [c for c in CENTRES_HZ if span_hz[0] <= c <= span_hz[1]]
    return np.asarray(power * sum(band_gain(c, hz, sample_rate=sample_rate) ** 2 for c in centres))


def carve_problem(
    yielder: Samples,
    contest: Contest,
    wanted_db: float,
    limits: CarveLimits,
    *,
    own_energy: float,
    other_energy: float,
    yielder_is_kick: bool,
    spans: Sequence[tuple[int, int, int]] = (),
    sample_rate: int,
    linear_phase: bool = False,
) -> CarveProblem:
    """Prepare the judgement of candidate filters.

    yielder: its stem before the carve, behind the floor filter, (frames,); own_energy, other_energy: of it and of the other
    part in the judged active cells, as measured; spans: the yielder's notes as `notes_power` takes them.
    """
    centres, gram = component_gram(yielder, contest, sample_rate=sample_rate)
    # Coarser in time than the measurement by a hair: brought to what is measured, so that no cut is zero dB.
    whole_energy = float(gram.sum().real)
    gram = gram * (own_energy / whole_energy) if whole_energy > 0 else gram
    edges = _loud_edges(sample_rate)
    middle = np.sqrt(edges[1:] * edges[:-1])
    weight = np.abs(response(k_weighting(sample_rate), middle, sample_rate=sample_rate)) ** 2
    notes, share, kinds = notes_power(yielder, spans, edges, sample_rate=sample_rate)
    bands = np.array([c for c in CENTRES_HZ if c < WEIGHED_HZ])
    every, line_hz = _summed(yielder, sample_rate)
    whole = _between(every, line_hz, edges)
    # Two octaves over the highest band, as fine everywhere as where moves act.
    fine = np.geomspace(LOWEST_HZ / 4, 4 * WEIGHED_HZ, WEIGHT_EDGES)
    power, fine_hz = _between(every, line_hz, fine), np.sqrt(fine[1:] * fine[:-1])
    energies = [float(power @ band_gain(c, fine_hz, sample_rate=sample_rate) ** 2) for c in bands]
    weights = np.array(energies) ** WEIGHT_POWER
    low, mid = (_through(whole, middle, span, sample_rate) for span in (LOW_BANDS_HZ, MIDDLE_BANDS_HZ))
    grid = np.geomspace(LOWEST_LIMIT_HZ, 640, 36)
    return CarveProblem(
        components_hz=centres,
        gram=gram,
        other_energy=other_energy,
        yielder_is_kick=yielder_is_kick,
        wanted_db=wanted_db,
        limits=limits,
        judged_hz=tuple(LOW_CENTRES_HZ[i] for i in contest.judged_bands),
        limit_hz=np.unique(np.concatenate((grid, [max(limits.from_hz, LOWEST_LIMIT_HZ)], np.geomspace(800, 20_000, 5)))),
        fine_hz=np.geomspace(LOWEST_LIMIT_HZ, 20_000, 600),
        loud_hz=middle,
        line_power=whole * weight,
        note_power=notes * weight,
        note_share=share,
        note_kinds=kinds,
        low_middle=(low, mid),
        band_hz=bands,
        band_weight=weights / max(float(weights.sum()), 1e-30),
        sample_rate=sample_rate,
        linear_phase=linear_phase,
    )

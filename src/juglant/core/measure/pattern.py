"""The pattern of a reference loop: its tempo and bar 1, and where kicks, snares and hats fall, each with how sure that is.

Everything that begins is looked at in bands, its first 25 ms and what follows them apart, less what sounded before it: a
kick brings lows, a snare or clap a middle that lasts, a hat highs. Where two begin together both are told. What is between
the two heights of a band that its onsets fall into decides (N. Otsu 1979, from memory).
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal

import numpy as np
import numpy.typing as npt
from scipy import signal as filters

from juglant.core.measure.impacts import Impact, find_impacts
from juglant.core.types import Samples

Which = npt.NDArray[np.bool_]
Row = Literal["kick", "snare", "hat"]
ROWS: tuple[Row, ...] = ("kick", "snare", "hat")
# A kick is told knowing the snares.
FIRST_TO_LAST: tuple[Row, ...] = ("snare", "kick", "hat")
# Bands, Hz: lows, the body of a snare, a middle, highs.
BANDS_HZ = {"low": (30, 120), "body": (160, 450), "middle": (900, 3500), "high": (6500, 16000)}
BEFORE_S, EARLY_S, LATE_S, GUARD_S, GONE_S = 0.020, 0.025, 0.100, 0.004, 0.09
ORDER = 4
SLOWEST_BPM, FASTEST_BPM, STEPS_A_BEAT, BEATS_A_BAR = 70.0, 185.0, 4, 4
MOST_BARS = 32
# Less of the onsets' weight on the grid is no tempo; less of a band's range tells nothing apart (this project's choice).
LEAST_FIT, LEAST_APART_DB, MOST_DRIFT = 0.55, 6.0, 0.15
# A stroke of a row is so far under the row's strongest at the most, dB.
MOST_UNDER_DB = {"kick": 14.0, "snare": 12.0, "hat": 26.0}
# Highs over the middle are a hat's own from here on, lows over the body a kick's, a middle under highs a snare's, dB.
HAT_OVER_DB, KICK_OVER_DB, SNARE_UNDER_DB = -3.0, -4.0, -10.0
# A kick's stroke falls by this after its first 25 ms; a bass under a hat has so much less of one, dB.
STROKE_FALLS_DB, STROKE_APART_DB, TOGETHER_DB, LOW_FALLS_DB = 3.0, 8.0, 3.0, 1.5
QUIET_DB, FAINTEST_DB = -70.0, {"kick": -30.0, "snare": -30.0, "hat": -40.0}
# A tempo that was read is made so much more exact at the most.
MOST_STRAIGHTENED, OUT_OF_TIME = 0.006, 0.2
# Shorter than this no band can be told from another.
LEAST_TOLD_S = 0.02
# A bass is there where lows go on sounding so far under the loudest between strokes, in so much of the time.
BASS_UNDER_DB, BASS_SHARE, FALLEN_S = -22.0, 0.4, 0.22
# Tempos near this are the likeliest, within so many octaves (this project's choice for music for clubs).
USUAL_BPM, USUAL_OCTAVES, WHOLE_BARS, MOST_TEMPOS, NEARLY = 122.0, 0.5, 0.003, 12, 0.35
SHORTEST_S, FEWEST, MOST_A_SECOND = 0.8, 3, 40.0


@dataclass(frozen=True)
class ReadHit:
    """One stroke that was read. at_beats: from bar 1, in sixteenths; off_ms: by how much it is late; strength: 1 to 127;
    sure: 0 to 1."""

    row: Row
    at_beats: float
    off_ms: float
    strength: int
    sure: float


@dataclass(frozen=True)
class Pattern:
    """A loop as it was read. bar_s: where bar 1 begins in it; fit: the share of its onsets on the grid; bass: whether one
    plays; refused: why nothing was read, None where something was."""

    bpm: float
    bar_s: float
    bars: int
    fit: float
    hits: tuple[ReadHit, ...]
    bass: bool
    refused: str | None = None


def refusal(why: str) -> Pattern:
    """Nothing was read, and why."""
    return Pattern(0, 0, 0, 0, (), False, why)


@dataclass(frozen=True)
class _Onsets:
    """Times, s, and energies of each band early and late, dB, less what was before; by how much lows fall after their
    first, dB: (onsets,) each."""

    impacts: list[Impact]
    at_s: Samples
    early: dict[str, Samples]
    late: dict[str, Samples]
    low_falls: Samples
    weight: Samples


def _bands(sound: Samples, rate: int) -> dict[str, Samples]:
    out = {}
    for name, (low, high) in BANDS_HZ.items():
        if low < 0.4 * rate:
            sections = filters.butter(ORDER, (low, min(high, 0.45 * rate)), "bandpass", fs=rate, output="sos")
            # Forward and backward: what rings after is not late, and what begins is not moved.
            out[name] = filters.sosfiltfilt(sections, sound) ** 2
        else:
            out[name] = np.zeros_like(sound)
    return out


def _onsets(sound: Samples, rate: int) -> _Onsets:
    found = find_impacts(sound, sample_rate=rate)
    at = np.array([one.onset_s for one in found])
    early: dict[str, Samples] = {}
    late: dict[str, Samples] = {}
    lead = round((BEFORE_S + 2 * GUARD_S) * rate)
    low_falls = np.zeros(at.size)
    # What the loop ends with sounds on where it begins again; what begins next is none of what begins here.
    until = np.append(at[1:] - GUARD_S, at[-1:] + 2 * LATE_S)
    ends = np.minimum(at + LATE_S, np.append(at[1:] - GUARD_S, at[-1:] + LATE_S))
    for name, power in _bands(sound, rate).items():
        total = np.concatenate(([0.0], np.cumsum(np.concatenate((power[-lead:], power)))))

        def mean(begin: Samples, end: Samples, total: Samples = total) -> Samples:
            first, last = (np.clip(np.round(one * rate).astype(int) + lead, 0, total.size - 1) for one in (begin, end))
            return np.asarray((total[last] - total[first]) / np.maximum(1, last - first))

        before = mean(at - BEFORE_S - GUARD_S, at - GUARD_S)
        early[name] = _db(np.maximum(0, mean(at - GUARD_S, np.minimum(at + EARLY_S, ends)) - before))
        late[name] = _db(np.maximum(0, mean(at + EARLY_S, np.maximum(ends, at + EARLY_S + GUARD_S)) - before))
        if name == "low":
            gone = np.minimum(at + GONE_S, at + 0.6 * (until - at))
            low_falls = _db(mean(at, at + EARLY_S * 2)) - _db(
                mean(gone, np.maximum(np.minimum(until, at + 2 * LATE_S), gone + GUARD_S))
            )
    return _Onsets(found, at, early, late, low_falls, np.array([10 ** (one.level_db / 40) for one in found]))


def _db(power: Samples) -> Samples:
    return np.asarray(np.maximum(QUIET_DB - 60, 10 * np.log10(power + 1e-13)))


def split_at(levels: Samples, apart_db: float = LEAST_APART_DB) -> float | None:
    """Where levels fall into two heights, dB, the lower and the upper apart by so much or more; None where they do not."""
    ordered = np.sort(levels)
    best, place = -1.0, None
    for cut in range(1, ordered.size):
        low, high = ordered[:cut], ordered[cut:]
        between = low.size * high.size * (high.mean() - low.mean()) ** 2
        if between > best:
            best, place = between, cut
    if place is None or ordered[place:].mean() - ordered[:place].mean() < apart_db:
        return None
    return float((ordered[place - 1] + ordered[place]) / 2)


def _row(found: _Onsets, row: Row, snares: Which) -> tuple[Samples, Which]:
    """How strongly each onset is of a row, dB, and which are; snares: those that are one, with a stroke of their own."""
    if row == "kick":
        value = np.maximum(found.early["low"], found.late["low"])
        own = value - np.maximum(found.early["body"], found.late["body"]) > KICK_OVER_DB
        # A bass begins without a stroke: above its lows a kick is louder in its first 25 ms than after them.
        own &= (found.early["body"] - found.late["body"] > STROKE_FALLS_DB) & (found.low_falls > LOW_FALLS_DB)
        alone = own & ~snares
        cut = split_at(found.early["body"][alone], STROKE_APART_DB) if alone.any() else None
        if cut is not None:
            alone &= found.early["body"] >= cut
        if alone.any():
            # Together with a snare it has to be as low as it is alone: a bass may begin there too.
            own = alone | (own & snares & (value >= np.median(value[alone]) - TOGETHER_DB))
    elif row == "snare":
        value = found.late["middle"]
        # What a hat leaves in the middle lies further under its highs.
        own = value - found.late["high"] > SNARE_UNDER_DB
    else:
        value = found.early["high"]
        own = value - found.early["middle"] > HAT_OVER_DB
    if not value.size or value.max() < QUIET_DB:
        return value, np.zeros(value.size, dtype=bool)
    limit = value[own].max() - MOST_UNDER_DB[row] if own.any() else value.max() + 1
    cut = split_at(np.maximum(value, value.max() - 40))
    if cut is not None:
        # Between the two heights, and never so high that what is nearly the strongest is left out.
        limit = min(max(limit, cut), value.max() - 3)
    return value, own & (value >= limit)


def _rows(found: _Onsets) -> tuple[dict[Row, Samples], dict[Row, Which]]:
    """How strongly each onset is of each row, dB, and which are."""
    values: dict[Row, Samples] = {}
    chosen: dict[Row, Which] = {}
    for row in FIRST_TO_LAST:
        values[row], chosen[row] = _row(found, row, chosen.get("snare", np.zeros(found.at_s.size, dtype=bool)))
        # What is so faint beside the loudest is a click at the end of something, and no drum.
        chosen[row] &= np.array([one.level_db > FAINTEST_DB[row] for one in found.impacts], dtype=bool)
    return values, chosen


def told_apart(sound: Samples, *, sample_rate: int) -> list[tuple[Impact, frozenset[Row]]]:
    """Every impact of a drum part in one channel, (frames,), and the rows it is a stroke of by its spectrum; no tempo is
    asked for."""
    sound = np.asarray(sound, dtype=np.float64)
    if sound.size < round(LEAST_TOLD_S * sample_rate):
        return []
    found = _onsets(sound, sample_rate)
    if not found.impacts:
        return []
    _, chosen = _rows(found)
    if not np.any(chosen["hat"] & ~(chosen["kick"] | chosen["snare"])):
        # What never begins alone is the click of the others.
        chosen["hat"] &= False
    return [(one, frozenset(row for row in ROWS if chosen[row][at])) for at, one in enumerate(found.impacts)]


def _fit(at_s: Samples, weight: Samples, step_s: float) -> tuple[float, float]:
    """Share of the onsets' weight that lies on a grid of a step, 0 to 1, and the grid's phase, s."""
    turn = np.sum(weight * np.exp(2j * np.pi * at_s / step_s))
    return float(abs(turn) / weight.sum()), float(np.angle(turn) / (2 * np.pi) * step_s) % step_s


def _keeps(found: _Onsets, step_s: float) -> bool:
    """Whether a grid's phase is the same in the first half of the onsets and in the second: they keep one tempo."""
    half = found.at_s.size // 2
    if half < FEWEST:
        return True
    phases = [_fit(found.at_s[part], found.weight[part], step_s) for part in (slice(0, half), slice(half, None))]
    apart = abs(phases[0][1] - phases[1][1])
    return min(phases[0][0], phases[1][0]) >= LEAST_FIT and min(apart, step_s - apart) < MOST_DRIFT * step_s


def _tempos(found: _Onsets, length_s: float, hint_bpm: float | None) -> list[tuple[float, float, float]]:
    """Tempos that may be meant, the likeliest first: how likely, BPM, and how well the onsets lie on its sixteenths."""
    swept = list(np.arange(SLOWEST_BPM, FASTEST_BPM, 0.1))
    whole = [240 * bars / length_s for bars in range(1, MOST_BARS + 1)]
    scored = []
    for bpm in [*(one for one in whole if SLOWEST_BPM <= one <= FASTEST_BPM), *map(float, swept)]:
        fit, _ = _fit(found.at_s, found.weight, 60 / bpm / STEPS_A_BEAT)
        likely = math.exp(-0.5 * (math.log2(bpm / USUAL_BPM) / USUAL_OCTAVES) ** 2)
        # A loop is whole bars, mostly a power of two of them.
        bars = length_s * bpm / 240
        loop = abs(bars - round(bars)) < WHOLE_BARS and round(bars) in (1, 2, 4, 8, 16, 32)
        hinted = hint_bpm is not None and abs(bpm / hint_bpm - 1) < 0.01
        scored.append((fit + 0.3 * likely + 0.15 * loop + 0.15 * hinted, bpm, fit))
    scored.sort(reverse=True)
    apart: list[tuple[float, float, float]] = []
    for one in scored:
        if all(abs(one[1] / other[1] - 1) > 0.02 for other in apart):
            apart.append(one)
    return apart[:MOST_TEMPOS]


def bars_of(bpm: float, length_s: float) -> int:
    """Whole bars that a length is nearest to."""
    return max(1, round(length_s * bpm / 60 / BEATS_A_BAR))


@dataclass(frozen=True)
class _Grid:
    """A tempo with its sixteenths: which each onset is on, which of them bar 1 begins at, and how well it makes sense."""

    bpm: float
    fit: float
    phase_s: float
    steps: np.ndarray
    first: int
    sense: float


def _grid(found: _Onsets, chosen: dict[Row, Which], bpm: float, fit: float) -> _Grid:
    """A tempo's grid; bar 1 where kicks are on strong beats and snares on the second and fourth."""
    step_s = 60 / bpm / STEPS_A_BEAT
    _, phase_s = _fit(found.at_s, found.weight, step_s)
    # A loop that begins with its file begins a hair before its first sample as well.
    phase_s -= step_s if phase_s > 0.75 * step_s else 0.0
    steps = np.round((found.at_s - phase_s) / step_s).astype(int)
    bar, kicks, snares = STEPS_A_BEAT * BEATS_A_BAR, chosen["kick"], chosen["snare"]
    weight = found.weight
    kick_sum, snare_sum = max(1e-9, float(weight[kicks].sum())), max(1e-9, float(weight[snares].sum()))
    scores = []
    for first in range(bar):
        place = (steps - first) % bar
        sense = (
            0.5 * weight[kicks & (place == 0)].sum() / kick_sum
            + 0.3 * weight[kicks & (place % 4 == 0)].sum() / kick_sum
            + 0.8 * weight[snares & ((place == 4) | (place == 12))].sum() / snare_sum
            - 0.4 * weight[snares & ((place == 0) | (place == 8))].sum() / snare_sum
        )
        # A loop mostly begins where its file begins.
        scores.append(float(sense) + (0.15 if first == 0 else 0.0))
    best = int(np.argmax(scores))
    return _Grid(bpm, fit, phase_s, steps, best, scores[best])


def _straightened(found: _Onsets, grid: _Grid) -> float:
    """The tempo by a line through what is on the grid, each sixteenth of the beat as late as it is played: a swung loop
    runs as fast as a straight one."""
    place, step_s = grid.steps % STEPS_A_BEAT, 60 / grid.bpm / STEPS_A_BEAT
    off_s = found.at_s - grid.phase_s - grid.steps * step_s
    above = below = 0.0
    for number in range(STEPS_A_BEAT):
        own = place == number
        if own.any():
            # What is on no sixteenth is out of time, and says nothing of it.
            own &= np.abs(off_s - np.median(off_s[own])) < OUT_OF_TIME * step_s
        steps, at_s, weight = grid.steps[own], found.at_s[own], found.weight[own]
        if steps.size > 1:
            middle = np.average(steps, weights=weight)
            above += float(np.sum(weight * (steps - middle) * (at_s - np.average(at_s, weights=weight))))
            below += float(np.sum(weight * (steps - middle) ** 2))
    if below <= 0 or above <= 0:
        return grid.bpm
    bpm = 60 / (above / below) / STEPS_A_BEAT
    return bpm if abs(bpm / grid.bpm - 1) < MOST_STRAIGHTENED else grid.bpm


def _bass_plays(sound: Samples, kicks_s: Samples, rate: int) -> bool:
    """Whether lows go on where every kick has fallen: in more than two fifths of the time 220 ms and more after one."""
    hop = max(1, round(0.02 * rate))
    low = _bands(sound, rate)["low"]
    level = np.add.reduceat(low, np.arange(0, low.size, hop)) / hop
    time = np.arange(level.size) * hop / rate
    if kicks_s.size:
        since = time - kicks_s[np.clip(np.searchsorted(kicks_s, time, side="right") - 1, 0, kicks_s.size - 1)]
        # What is before the first kick is after the last one of the turn before.
        since = np.where(since < 0, time + max(0.0, sound.size / rate - float(kicks_s[-1])), since)
    else:
        since = np.full(time.size, np.inf)
    between = since > FALLEN_S
    if not between.any() or level.max() < 1e-9:
        return False
    return bool(np.mean(level[between] > level.max() * 10 ** (BASS_UNDER_DB / 10)) > BASS_SHARE)


def read_pattern(
    sound: Samples, *, sample_rate: int, hint_bpm: float | None = None, said_bpm: float | None = None
) -> Pattern:
    """The pattern of a loop in one channel, (frames,); refused in words where nothing separates or nothing keeps time.

    hint_bpm: the track's tempo, which counts where it fits as well as another; said_bpm: the tempo, where it is known.
    """
    sound = np.asarray(sound, dtype=np.float64)
    length_s = sound.size / sample_rate
    if length_s < SHORTEST_S:
        return refusal("it is shorter than a bar: load a loop of one bar or more")
    found = _onsets(sound, sample_rate)
    if found.at_s.size < FEWEST:
        return refusal("hardly anything begins in it: a pattern needs three strokes or more")
    if found.at_s.size / length_s > MOST_A_SECOND:
        return refusal("so much begins in it that no pattern separates")
    if said_bpm is None:
        tempos = [
            one
            for one in _tempos(found, length_s, hint_bpm)
            if one[2] >= LEAST_FIT and _keeps(found, 60 / one[1] / STEPS_A_BEAT)
        ]
    else:
        tempos = [(1.0, said_bpm, _fit(found.at_s, found.weight, 60 / said_bpm / STEPS_A_BEAT)[0])]
    if not tempos:
        return refusal("what begins in it keeps no one tempo: load a stretch of it at one tempo")
    values, chosen = _rows(found)
    if not any(one.any() for one in chosen.values()):
        return refusal("no drums separate in it: lows, middle and highs begin together, or not at all")
    # Of tempos that are about as likely, the one in which kicks and snares make most sense.
    grids = [(likely, _grid(found, chosen, bpm, fit)) for likely, bpm, fit in tempos if likely > tempos[0][0] - NEARLY]
    grid = max(grids, key=lambda one: one[0] + one[1].sense)[1]
    if said_bpm is None and (bpm := _straightened(found, grid)) != grid.bpm:
        grid = _grid(found, chosen, bpm, _fit(found.at_s, found.weight, 60 / bpm / STEPS_A_BEAT)[0])
    bpm, fit, phase_s, steps, first = grid.bpm, grid.fit, grid.phase_s, grid.steps, grid.first
    step_s = 60 / bpm / STEPS_A_BEAT
    off_ms = 1000 * (found.at_s - phase_s - steps * step_s)
    bar = STEPS_A_BEAT * BEATS_A_BAR
    bars = bars_of(bpm, length_s)
    hits: dict[tuple[Row, int], ReadHit] = {}
    for row in ROWS:
        top = values[row].max(initial=QUIET_DB)
        for at in np.flatnonzero(chosen[row]):
            under = float(top - values[row][at])
            sure = max(
                0.05, min(1.0, 1 - under / (1.6 * MOST_UNDER_DB[row])) * max(0.2, 1 - abs(off_ms[at]) / (500 * step_s))
            )
            place = int(steps[at] - first) % (bar * bars)
            one = ReadHit(
                row,
                place / STEPS_A_BEAT,
                round(float(off_ms[at]), 2),
                round(max(1, 127 * 10 ** (-under / 40))),
                round(sure, 3),
            )
            known = hits.get((row, place))
            if known is None or known.strength < one.strength:
                hits[row, place] = one
    return Pattern(
        bpm=round(bpm, 3),
        bar_s=round(float(phase_s + first * step_s), 4),
        bars=bars,
        fit=round(fit, 3),
        hits=tuple(sorted(hits.values(), key=lambda one: (one.at_beats, ROWS.index(one.row)))),
        bass=_bass_plays(sound, found.at_s[chosen["kick"]], sample_rate),
    )

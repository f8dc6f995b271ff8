"""A recorded drum part, stroke by stroke: which row each is of, how strong, how long, where it lands, how even that is."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Literal

import numpy as np
from scipy import signal as filters

from juglant.core.measure.impacts import loudest_db
from juglant.core.measure.landing import measure_landing
from juglant.core.measure.level import energy_loudness_db
from juglant.core.measure.pattern import ROWS, Row, told_apart
from juglant.core.signal.match import likeness
from juglant.core.types import Samples

Which = Literal["kick", "snare", "hat", "all"]
# Where strokes of two rows sound together, one is below and the other above this, Hz (common practice).
APART_HZ: dict[tuple[Row, Row], float] = {("kick", "snare"): 180.0, ("kick", "hat"): 1000.0, ("snare", "hat"): 5000.0}
Band = tuple[float | None, float | None]
ORDER, TOP_SHARE = 2, 0.9
# So much under the middle of its row, or of no row at all, is an event between the strokes (this project's choice).
INCIDENTAL_DB, CLEAR_HZ = 12.0, 200.0
# Strokes of one row lie on each other within this, by their first so many ms.
ALIGN_MS, ALIGN_OVER_MS, ALIKE = 2.0, 15.0, 0.7
HEARD_S, LEVEL_S, SHORTEST_LANDING_S, FALLS_DB, HOP_S = 0.3, 0.05, 0.06, -40.0, 0.005
# Further from the middle than three deviations, and than this, is an outlier (this project's choice).
OUTLIER_DEVIATIONS = 3.0
LEAST_OUT = {"level": 1.5, "landing": 20.0, "length": 20.0}
MOST_CENTS = 300.0


@dataclass(frozen=True)
class DrumStroke:
    """One stroke, in frames. at: where it begins; begin: where to cut, at a turn of the wave; end: where the next of any
    row is cut; fallen: where it has fallen, or the next of its row is; rings_to: the later of both; rows: what it is by its
    spectrum; level_db: its loudest 5 ms re the strongest stroke; incidental: between the strokes, or far under its row."""

    number: int
    at: int
    begin: int
    end: int
    rings_to: int
    fallen: int
    rows: tuple[Row, ...]
    level_db: float
    incidental: bool
    clipped: bool

    def of(self, row: Which) -> bool:
        """Whether it is a stroke of a row."""
        return row == "all" or row in self.rows

    def shared(self, row: Which) -> bool:
        """Whether strokes of other rows begin with it."""
        return row != "all" and len(self.rows) > 1


@dataclass(frozen=True)
class StrokeFigures:
    """What one stroke of a row measures, None where it cannot be: K-weighted loudness of its first 50 ms re the row's
    middle, dB; landing, Hz, and how far that is from the middle, cents; length, ms, to 40 dB under its loudest. out: in
    what it is an outlier."""

    number: int
    at_s: float
    level_db: float
    landing_hz: float | None
    cents: float | None
    length_ms: float | None
    out: tuple[str, ...]


@dataclass(frozen=True)
class RowEvenness:
    """How even a row is: deviations of its strokes from their middle, None where fewer than three can be measured."""

    strokes: tuple[StrokeFigures, ...]
    level_db: float | None
    landing_cents: float | None
    length_pct: float | None


def own_band(row: Row, others: frozenset[Row]) -> Band:
    """From where to where a row is alone among others that sound with it, Hz; None: to the end."""
    low = [APART_HZ[one, row] for one in others if (one, row) in APART_HZ]
    high = [APART_HZ[row, one] for one in others if (row, one) in APART_HZ]
    return max(low, default=None), min(high, default=None)


def in_band(mono: Samples, band: Band, rate: int) -> Samples:
    """What of a sound, (..., frames), is in a band, without delay."""
    low, high = band
    out, nyquist = np.asarray(mono, dtype=np.float64), rate / 2
    if low is not None:
        if low >= TOP_SHARE * nyquist:
            return np.zeros_like(out)
        out = filters.sosfiltfilt(filters.butter(ORDER, low, "highpass", fs=rate, output="sos"), out, axis=-1)
    if high is not None and high < TOP_SHARE * nyquist:
        out = filters.sosfiltfilt(filters.butter(ORDER, high, "lowpass", fs=rate, output="sos"), out, axis=-1)
    return np.asarray(out)


def drum_strokes(mono: Samples, *, sample_rate: int) -> list[DrumStroke]:
    """Every stroke of a drum part in one channel, (frames,), in order; empty where nothing begins."""
    told = told_apart(mono, sample_rate=sample_rate)
    if not told:
        return []
    at = _aligned(mono, [round(one.onset_s * sample_rate) for one, _ in told], [rows for _, rows in told], sample_rate)
    begins = [min(round(one.begin_s * sample_rate), place) for (one, _), place in zip(told, at, strict=True)]
    # What is no stroke of a row is weighed above the lows that others leave ringing under it.
    clear = in_band(mono, (CLEAR_HZ, None), sample_rate)
    clear_db = [loudest_db(clear, place, sample_rate, LEVEL_S) for place in at]
    middle = float(np.median([db for db, (_, rows) in zip(clear_db, told, strict=True) if rows] or clear_db))
    middles = {row: float(np.median([one.level_db for one, rows in told if row in rows] or [0.0])) for row in ROWS}
    out = []
    for index, (one, rows) in enumerate(told):
        following = begins[index + 1] if index + 1 < len(told) else mono.size
        own = [begins[later] for later in range(index + 1, len(told)) if not rows or rows & told[later][1]]
        out.append(
            DrumStroke(
                number=index + 1,
                at=at[index],
                begin=begins[index],
                end=max(following, begins[index] + 1),
                rings_to=max(following, own[0] if own else mono.size),
                fallen=max(following, own[0] if own else mono.size),
                rows=tuple(row for row in ROWS if row in rows),
                level_db=one.level_db,
                incidental=(
                    one.level_db < min(middles[row] for row in rows) - INCIDENTAL_DB
                    if rows
                    else clear_db[index] < middle - INCIDENTAL_DB
                ),
                clipped=one.clipped,
            )
        )
    return with_falls(mono, out, sample_rate)


def with_falls(mono: Samples, strokes: list[DrumStroke], rate: int) -> list[DrumStroke]:
    """Strokes that ring no further than to 40 dB under their own loudest, in the band of their row."""
    hop = max(1, round(HOP_S * rate))
    out = list(strokes)
    for row in (*ROWS, None):
        heard = mono if row is None else in_band(mono, own_band(row, frozenset(ROWS) - {row}), rate)
        power = np.add.reduceat(heard**2, np.arange(0, max(1, mono.size), hop)) / hop
        for index, one in enumerate(strokes):
            if (row is None and one.rows) or (row is not None and row not in one.rows):
                continue
            first, last = one.at // hop, max(one.at // hop + 1, -(-one.rings_to // hop))
            part = power[first:last]
            peak = int(np.argmax(part))
            quiet = np.flatnonzero(part[peak:] < part[peak] * 10 ** (FALLS_DB / 10))
            ends = (first + peak + int(quiet[0])) * hop if quiet.size else one.rings_to
            now = out[index]
            # Of two rows the one that rings longest counts.
            rings = min(one.rings_to, ends if row is None or row == one.rows[0] else max(now.fallen, ends))
            out[index] = replace(now, fallen=rings, rings_to=max(one.end, rings))
    return out


def _aligned(mono: Samples, at: list[int], rows: list[frozenset[Row]], rate: int) -> list[int]:
    """Where strokes begin, those of the same rows as they lie on the strongest: an onset alone is a few samples off."""
    reach, over = round(ALIGN_MS * rate / 1000), round(ALIGN_OVER_MS * rate / 1000)
    padded = np.pad(mono, (2 * reach, over + 2 * reach))
    out = list(at)
    for kind in set(rows):
        places = [index for index, own in enumerate(rows) if own == kind]
        if len(places) < 3:
            continue
        heads = {index: padded[at[index] + reach :][: over + 2 * reach] for index in places}
        model = max(places, key=lambda index: float(heads[index] @ heads[index]))
        core = heads[model][reach : reach + over]
        lags = {}
        for index in places:
            match = likeness(heads[index], core)
            best = int(np.argmax(match))
            if match[best] >= ALIKE:
                lags[index] = best - reach
        # Where the model begins is as far off as any: the middle of what all of them say.
        off = round(float(np.median([-lag for lag in lags.values()]))) if lags else 0
        for index, lag in lags.items():
            out[index] = min(mono.size - 1, max(0, at[index] + lag + off))
    return out


def evenness_of(mono: Samples, strokes: list[DrumStroke], row: Which, *, sample_rate: int) -> RowEvenness:
    """What every stroke of a row measures, its events between the strokes left out, and how even they are."""
    own = [one for one in strokes if one.of(row) and not one.incidental]
    bands: dict[Band, Samples] = {}
    levels, landings, lengths = [], list[float | None](), list[float | None]()
    for one in own:
        heard = mono
        if row != "all" and one.shared(row):
            band = own_band(row, frozenset(one.rows) - {row})
            if band not in bands:
                bands[band] = in_band(mono, band, sample_rate)
            heard = bands[band]
        until = min(one.end, one.begin + round(HEARD_S * sample_rate))
        stroke = heard[one.at : min(until, one.at + round(LEVEL_S * sample_rate))]
        levels.append(energy_loudness_db(stroke, sample_rate=sample_rate))
        landings.append(_landing(heard[one.begin : until], sample_rate) if row != "hat" else None)
        # What the next stroke of its row cuts off has no length of its own.
        cut_off = any(other.begin == one.fallen for other in own)
        lengths.append(None if cut_off else 1000 * (one.fallen - one.at) / sample_rate)
    middle = float(np.median(levels)) if levels else 0.0
    cents = _cents(landings)
    known = [one for one in lengths if one is not None]
    usual = float(np.median(known)) if known else 0.0
    relative = [None if one is None or usual <= 0 else 100 * (one / usual - 1) for one in lengths]
    told: dict[str, list[float | None]] = {"level": [one - middle for one in levels], "landing": cents, "length": relative}
    out: list[tuple[str, ...]] = [
        tuple(what for what, values in told.items() if _is_out(values, index, LEAST_OUT[what])) for index in range(len(own))
    ]
    figures = tuple(
        StrokeFigures(
            number=one.number,
            at_s=one.at / sample_rate,
            level_db=round(levels[index] - middle, 2),
            landing_hz=landings[index],
            cents=cents[index],
            length_ms=lengths[index],
            out=out[index],
        )
        for index, one in enumerate(own)
    )
    return RowEvenness(figures, *(_deviation(told[what]) for what in ("level", "landing", "length")))


def _landing(stretch: Samples, rate: int) -> float | None:
    if stretch.size < SHORTEST_LANDING_S * rate:
        return None
    return measure_landing(stretch, sample_rate=rate).landing_hz


def _cents(landings: list[float | None]) -> list[float | None]:
    known = [one for one in landings if one is not None]
    if len(known) < 3:
        return [None] * len(landings)
    middle = float(np.median(known))
    away = [None if one is None else 1200 * float(np.log2(one / middle)) for one in landings]
    # An octave or a fifth away another partial was read, not another tuning.
    return [None if one is None or abs(one) > MOST_CENTS else round(one, 1) for one in away]


def _deviation(values: list[float | None]) -> float | None:
    known = [one for one in values if one is not None]
    return round(float(np.std(known)), 2) if len(known) >= 3 else None


def _is_out(values: list[float | None], index: int, least: float) -> bool:
    known, own = [one for one in values if one is not None], values[index]
    if own is None or len(known) < 3:
        return False
    middle = float(np.median(known))
    deviation = 1.4826 * float(np.median(np.abs(np.array(known) - middle)))
    return abs(own - middle) > max(least, OUTLIER_DEVIATIONS * deviation)

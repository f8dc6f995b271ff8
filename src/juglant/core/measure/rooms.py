"""What rings around the impacts of a recording: the room they are in, tails of what was struck before; closed by a gate.

A room falls slower than what sounds in it: a second, flatter slope in the energy that is still to come (M. R. Schroeder
1965; two slopes as in coupled rooms).
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from itertools import pairwise

import numpy as np
from scipy import ndimage
from scipy import signal as filters

from juglant.core.measure.drum_part import drum_strokes
from juglant.core.measure.impacts import Impact, find_impacts, loudest_db
from juglant.core.measure.stereo import for_measuring
from juglant.core.types import Samples

# A room is heard above this: below it a drum's own skin rings as long.
ABOVE_HZ, ORDER, HOP_S = 300.0, 4, 0.005
# Its slope is read over so much above the floor; it is one where it is so much flatter than the impact's own.
OWN_FALLS_DB, OVER_FLOOR_DB, LEAST_SPAN_DB, FLATTER = 10.0, 8.0, 12.0, 2.0
SHORTEST_MS, FREE_S = 120.0, 0.35
# What sounds right before an impact is a tail where it is so little under it, and so much over the floor.
TAIL_DB, TAIL_OVER_FLOOR_DB, BEFORE_S, GUARD_S = -30.0, 10.0, 0.015, 0.002
STRONG_DB, LEAST_OVER_GATE_DB = -18.0, 6.0
CLOSES_S, OPENS_S, CLOSED_DB = 0.06, 0.002, -60.0


@dataclass(frozen=True)
class Rings:
    """room_ms: time in which the room falls by 60 dB, room_db: how loud it is re the impacts at their beginning, None where
    none is told; tails: how many impacts begin in another's tail, tail_db: how loud that is re them, the middle of all;
    small: events between the strokes, which may be the groove."""

    room_ms: float | None
    room_db: float | None
    tails: int
    tail_db: float | None
    small: int = 0


def rings_in(sound: Samples, *, sample_rate: int) -> Rings:
    """What rings around the impacts of a recording in one channel, (frames,)."""
    sound = np.asarray(sound, dtype=np.float64)
    found = _strong(find_impacts(sound, sample_rate=sample_rate), STRONG_DB)
    if not found:
        return Rings(None, None, 0, None)
    rooms = [one for one in (_room(sound, each, sample_rate) for each in found) if one is not None]
    free = sum((each.after_s or (sound.size / sample_rate - each.onset_s)) >= FREE_S for each in found)
    # Most of those that could tell do.
    told = len(rooms) > free / 2
    floor_db = _floor_db(sound, sample_rate)
    tails = [db for db in (_tail_before(sound, one, floor_db, sample_rate) for one in found) if db is not None]
    return Rings(
        room_ms=round(float(np.median([ms for ms, _ in rooms])), 1) if told else None,
        room_db=round(float(np.median([db for _, db in rooms])), 1) if told else None,
        tails=len(tails),
        tail_db=round(float(np.median(tails)), 1) if tails else None,
        small=sum(one.incidental for one in drum_strokes(sound, sample_rate=sample_rate)),
    )


def _strong(found: list[Impact], least_db: float) -> list[Impact]:
    """Impacts that are strong beside the strongest, each until the next of them: what is fainter may be the room's own."""
    kept = [one for one in found if one.level_db > least_db]
    if not kept:
        return []
    ends = [later.begin_s - one.begin_s for one, later in pairwise(kept)]
    return [replace(one, after_s=after) for one, after in zip(kept, [*ends, None], strict=True)]


def _room(sound: Samples, one: Impact, rate: int) -> tuple[float, float] | None:
    """Time to fall by 60 dB and level re the impact of what goes on after it, None where no second slope is told."""
    first = round(one.onset_s * rate)
    last = sound.size if one.after_s is None else first + round(one.after_s * rate) - round(GUARD_S * rate)
    if last - first < FREE_S * rate or rate < 3 * ABOVE_HZ:
        return None
    section = filters.butter(ORDER, ABOVE_HZ, "highpass", fs=rate, output="sos")
    lead = min(first, round(0.05 * rate))
    bright = filters.sosfilt(section, sound[first - lead : last])[lead:]
    hop = max(1, round(HOP_S * rate))
    power = np.add.reduceat(bright[: bright.size // hop * hop] ** 2, np.arange(0, bright.size // hop * hop, hop)) / hop
    peak = int(np.argmax(power[: max(1, round(0.1 / HOP_S))]))
    floor = float(np.median(power[-max(4, power.size // 8) :]))
    level = 10 * np.log10(np.maximum(ndimage.uniform_filter1d(power, 3), 1e-20))[peak:]
    top, base = float(level[0]), 10 * float(np.log10(max(floor, 1e-20))) + OVER_FLOOR_DB
    under = np.flatnonzero(level < base)
    end = int(under[0]) if under.size else level.size
    time_ms = 1000 * HOP_S * np.arange(level.size)
    own = np.flatnonzero(level[:end] < top - OWN_FALLS_DB)
    if not own.size or own[0] < 1:
        return None
    own_ms = 60 / OWN_FALLS_DB * float(time_ms[int(own[0])])
    # Two straight lines, bent where they fit best.
    best = None
    for bend in range(int(own[0]) + 1, end - 8):
        line = np.polyfit(time_ms[bend:end], level[bend:end], 1)
        early = np.polyfit(time_ms[: bend + 1], level[: bend + 1], 1)
        error = float(
            np.sum((np.polyval(line, time_ms[bend:end]) - level[bend:end]) ** 2)
            + np.sum((np.polyval(early, time_ms[:bend]) - level[:bend]) ** 2)
        )
        if best is None or error < best[0]:
            best = (error, bend, line)
    if best is None:
        return None
    _, bend, line = best
    if line[0] >= 0 or level[bend] - level[end - 1] < LEAST_SPAN_DB:
        return None
    room_ms = -60 / float(line[0])
    if room_ms < SHORTEST_MS or room_ms < FLATTER * own_ms:
        return None
    return room_ms, float(line[1]) - top


def _floor_db(sound: Samples, rate: int) -> float:
    """How loud a recording is where it is quietest."""
    hop = max(1, round(HOP_S * rate))
    power = np.add.reduceat(sound**2, np.arange(0, sound.size, hop)) / hop
    return 10 * float(np.log10(max(float(np.quantile(power, 0.05)), 1e-20)))


def _tail_before(sound: Samples, one: Impact, floor_db: float, rate: int) -> float | None:
    """How loud what sounds right before an impact is re it, dB; None where that is no tail."""
    at = round(one.onset_s * rate)
    before = sound[max(0, at - round(BEFORE_S * rate)) : max(0, at - round(GUARD_S * rate))]
    if before.size < 8:
        return None
    here = 10 * float(np.log10(max(float(np.mean(before**2)), 1e-20)))
    under = here - loudest_db(sound, at, rate)
    return under if under > TAIL_DB and here > floor_db + TAIL_OVER_FLOOR_DB else None


def gated(audio: Samples, *, falls_db: float, sample_rate: int) -> Samples:
    """A recording, (channels, frames), closed after each impact once it has fallen by so much, open again at the next."""
    mono, rate = for_measuring(audio), sample_rate
    gain = np.ones(mono.size)
    hop = max(1, round(HOP_S * rate))
    for one in _strong(find_impacts(mono, sample_rate=rate), LEAST_OVER_GATE_DB - falls_db):
        first = round(one.onset_s * rate)
        last = mono.size if one.after_s is None else round((one.begin_s + one.after_s) * rate)
        stretch = mono[first:last]
        power = np.add.reduceat(stretch**2, np.arange(0, max(1, stretch.size), hop)) / hop if stretch.size else np.zeros(1)
        peak = int(np.argmax(power))
        quiet = np.flatnonzero(power[peak:] < power[peak] * 10 ** (-falls_db / 10))
        if not quiet.size:
            continue
        begin = first + (peak + int(quiet[0])) * hop
        closes, opens = round(CLOSES_S * rate), max(1, round(OPENS_S * rate))
        if begin + closes + opens >= last:
            continue
        shape = np.full(last - begin, CLOSED_DB)
        shape[:closes] = np.linspace(0, CLOSED_DB, closes)
        if last < mono.size:
            shape[-opens:] = np.linspace(CLOSED_DB, 0, opens)
        gain[begin:last] = 10 ** (shape / 20)
    return np.asarray(audio * gain)

"""Impacts in a recording: where each begins, to the sample, how strong it is, how long it lasts and what it runs into.

Onsets are where bands rise: half-wave rectified differences of log-compressed band levels, against the loudest of three
neighbours a little earlier, so that a gliding tone does not count (S. Boeck & G. Widmer 2013, from memory).
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import numba
import numpy as np
from scipy import fft, ndimage

from juglant.core.progress import steps
from juglant.core.types import Samples

WINDOW_S, HOP_S = 0.021, 0.005
LOWEST_HZ, HIGHEST_HZ, BANDS = 35.0, 16000.0, 28
# Levels are log10(1 + level re the loudest times this): what is 46 dB down counts a third of a decade, hiss hardly.
COMPRESSION = 200.0
LAG = 2
# A rise counts from here on, and over what its surroundings of 300 ms rise by on average (this project's choice).
LEAST_RISE, OVER_MEAN, AROUND_S = 0.035, 1.6, 0.3
APART_S = 0.025
CHUNK_FRAMES = 4096
# It begins where most comes after against what came before, looked for so far around the rise.
AHEAD_MS, BEHIND_MS, BEFORE_MS, AFTER_MS = 12.0, 12.0, 8.0, 2.0
NOTHING = 1e-3
# Back to the last turn of the wave before it, if there is one so near.
TURN_MS = 3.0
# Less of a contrast than this is none: bands rise within 2 ms of the sound itself (measured), samples are less sure.
LEAST_CONTRAST, STANDS_OUT, FAINT = 16.0, 25.0, 1e-5
LEVEL_MS = 5.0
# It has ended so far under its own loudest, or at the floor.
END_DB, FLOOR_DB, LOUDEST_WITHIN_S = -40.0, 3.0, 0.12
# What is fainter than this under the loudest is no impact; what is left so much when the next one comes runs into it.
FAINTEST_DB, RUNS_ON_DB = -50.0, -20.0
SILENT = 1e-6
ENDS_S = 0.005
# A long recording is read in such pieces, with so much beside each.
PIECE_S, BESIDE_S = 30.0, 3.0
CLIPPED_SAMPLES, CLIPPED_SHARE, STILL_SHARE = 6, 0.9995, 1e-6


@dataclass(frozen=True)
class Impact:
    """One impact. begin_s: where to cut, at a turn of the wave; onset_s: where it is heard to begin; end_s: where it has
    fallen away or the next one begins; level_db: mean square of its loudest 5 ms re the loudest impact; before_s, after_s:
    to its neighbours' beginnings, None without one; runs_on: the next one begins while it still rings; clipped."""

    begin_s: float
    onset_s: float
    end_s: float
    level_db: float
    before_s: float | None
    after_s: float | None
    runs_on: bool
    clipped: bool


def _band_matrix(count: int, rate: float) -> Samples:
    """Which bin belongs to which band, (bins, bands), each band's mean; bands without a bin of their own are left out."""
    frequency = fft.rfftfreq(count, 1 / rate)
    edges = np.geomspace(LOWEST_HZ, min(HIGHEST_HZ, 0.45 * rate), BANDS + 1)
    band = np.searchsorted(edges, frequency, side="right") - 1
    columns = [band == at for at in range(BANDS) if np.any(band == at)]
    return np.stack([one / one.sum() for one in columns], axis=1).astype(np.float32)


def rises(signal: Samples, *, sample_rate: int) -> tuple[Samples, float]:
    """How much bands rise at every hop of 5 ms, (hops,), and the seconds of a hop; (frames,) of one channel."""
    count, hop = fft.next_fast_len(round(WINDOW_S * sample_rate), real=True), max(1, round(HOP_S * sample_rate))
    half = count // 2
    padded = np.pad(np.asarray(signal, dtype=np.float32), (half, half + hop))
    frames = np.lib.stride_tricks.sliding_window_view(padded, count)[::hop]
    window, bands = np.hanning(count).astype(np.float32), _band_matrix(count, sample_rate)
    # In pieces: a long recording stays within bounded memory.
    levels = np.concatenate([
        np.abs(fft.rfft(frames[at : at + CHUNK_FRAMES] * window, axis=1, workers=2)) @ bands
        for at in range(0, frames.shape[0], CHUNK_FRAMES)
    ])  # fmt: skip
    loudest = float(levels.max(initial=0.0))
    if loudest <= 0:
        return np.zeros(levels.shape[0]), hop / sample_rate
    compressed = np.log10(1 + COMPRESSION / loudest * levels)
    earlier = np.pad(ndimage.maximum_filter1d(compressed, 3, axis=1), ((LAG, 0), (0, 0)))[: compressed.shape[0]]
    return np.asarray(np.maximum(0.0, compressed - earlier).mean(axis=1), dtype=np.float64), hop / sample_rate


def _picked(rise: Samples, hop_s: float) -> list[int]:
    """Hops at which a rise is the highest around, over its surroundings, none closer than 25 ms to a higher one."""
    near = max(1, round(APART_S / hop_s))
    highest = ndimage.maximum_filter1d(rise, 2 * near + 1, mode="constant")
    around = ndimage.uniform_filter1d(rise, max(3, round(AROUND_S / hop_s)), mode="mirror")
    found = np.flatnonzero((rise == highest) & (rise > LEAST_RISE) & (rise > OVER_MEAN * around))
    kept: list[int] = []
    for at in found:
        if not kept or at - kept[-1] > near:
            kept.append(int(at))
    return kept


def _onset(signal: Samples, near: int, rate: int) -> int:
    """The frame at which what rises about `near` begins: most comes after it against what came before it."""
    ahead, behind, before, after = (max(1, round(ms * rate / 1000)) for ms in (AHEAD_MS, BEHIND_MS, BEFORE_MS, AFTER_MS))
    first, last = max(0, near - ahead), min(signal.size, near + behind)
    if last <= first:
        return near
    # By its slope: a low tail that rings on is quiet in it, an attack is not.
    found = _stands_out(signal, first, last, before, after)
    # Under what sounds on no sample stands out: as near as the bands tell.
    return found if found >= 0 else min(near, signal.size - 1)


@numba.njit(cache=True, nogil=True)
def _stands_out(signal, first, last, before, after):  # type: ignore[no-untyped-def]
    """The first sample that stands out about where most comes after against before it; -1 where none does."""
    count = last - first
    # Energies of the slope from `before` ahead of the stretch to `after` behind it; nothing where there is no sound.
    power = np.zeros(before + count + after + 1)
    for at in range(power.size - 1):
        frame = first - before + at
        if 0 <= frame < min(signal.size, last + after):
            slope = signal[frame] - (signal[frame - 1] if frame > max(0, first - before - 1) else 0.0)
            power[at] = slope * slope
    total = np.zeros(power.size + 1)
    for at in range(power.size):
        total[at + 1] = total[at] + power[at]
    highest = 0.0
    for at in range(count):
        highest = max(highest, (total[at + before + after] - total[at + before]) / after)
    best, contrast = -1, 0.0
    for at in range(count):
        earlier = (total[at + before] - total[at]) / before
        later = (total[at + before + after] - total[at + before]) / after
        now = later / (earlier + NOTHING * highest + 1e-30)
        if now > contrast:
            best, contrast = at, now
    if contrast < LEAST_CONTRAST:
        return -1
    from_here = max(0, best - after)
    quiet = max(STANDS_OUT * (total[from_here + before] - total[from_here]) / before, FAINT * highest)
    for at in range(from_here, best + after + 1):
        if at + before < power.size and power[at + before] > quiet:
            return first + at
    return first + best


def turn_before(signal: Samples, onset: int, rate: int) -> int:
    """The last turn of the wave up to a frame, at most 3 ms before it, by its quieter sample; without one the quietest."""
    first = max(0, onset - max(1, round(TURN_MS * rate / 1000)))
    stretch = signal[first : onset + 1]
    turns = np.flatnonzero((stretch[1:] == 0) | (stretch[1:] * stretch[:-1] < 0))
    if not turns.size:
        return first + int(np.argmin(np.abs(stretch)))
    last = int(turns[-1])
    return first + last + int(abs(stretch[last + 1]) < abs(stretch[last]))


def _clips(stretch: Samples, ceiling: float) -> bool:
    """Whether so many samples in a row stand still at the recording's own ceiling: no tone's own top is so flat."""
    if max(float(stretch.max(initial=0.0)), -float(stretch.min(initial=0.0))) < CLIPPED_SHARE * ceiling:
        return False
    still = (np.abs(stretch[1:]) >= CLIPPED_SHARE * ceiling) & (np.abs(np.diff(stretch)) <= STILL_SHARE * ceiling)
    runs = ndimage.uniform_filter1d(still.astype(np.float64), CLIPPED_SAMPLES - 1, mode="constant")
    return bool(np.any(runs > 1 - 0.5 / CLIPPED_SAMPLES))


def loudest_db(sound: Samples, at: int, rate: int, within_s: float = LOUDEST_WITHIN_S) -> float:
    """Mean square of the loudest 5 ms of what begins at a frame, dB re full scale."""
    frame = max(1, round(LEVEL_MS * rate / 1000))
    stretch = sound[at // frame * frame : at + round(within_s * rate)]
    stretch = stretch[: max(1, stretch.size // frame) * frame]
    if not stretch.size:
        return 20 * float(np.log10(SILENT))
    power = np.add.reduceat(stretch**2, np.arange(0, stretch.size, frame)) / frame
    return 10 * float(np.log10(max(float(power.max()), SILENT**2)))


def long_impacts(chunk_at: Callable[[int, int], Samples], frames: int, *, sample_rate: int) -> list[Impact]:
    """Every impact of a recording of any length, read in pieces of half a minute; its progress is told.

    chunk_at: from a frame to another, in one channel, (frames,). Levels are re the loudest of all.
    """
    piece, beside = round(PIECE_S * sample_rate), round(BESIDE_S * sample_rate)
    found: list[tuple[float, Impact]] = []
    for first in steps(range(0, max(1, frames), piece)):
        # What rings over the end of a piece ends in what is beside it; what begins there belongs to the next.
        last = min(frames, first + piece)
        lead = min(first, beside)
        signal = np.asarray(chunk_at(first - lead, min(frames, last + beside)), dtype=np.float64)
        for one in find_impacts(signal, sample_rate=sample_rate):
            begin = first - lead + round(one.begin_s * sample_rate)
            if not first <= begin < last:
                continue
            level = loudest_db(signal, round(one.onset_s * sample_rate), sample_rate)
            later = (first - lead) / sample_rate
            moved = replace(one, begin_s=one.begin_s + later, onset_s=one.onset_s + later, end_s=one.end_s + later)
            found.append((level, moved))
    top = max((level for level, _ in found), default=0.0)
    kept = [replace(one, level_db=round(level - top, 2)) for level, one in found if level > top + FAINTEST_DB]
    begins = [one.begin_s for one in kept]
    return [
        replace(
            one,
            before_s=one.begin_s - begins[at - 1] if at else None,
            after_s=begins[at + 1] - one.begin_s if at + 1 < len(kept) else None,
        )
        for at, one in enumerate(kept)
    ]


def find_impacts(signal: Samples, *, sample_rate: int) -> list[Impact]:
    """Every impact of a recording in one channel, (frames,), in order; empty for silence and where nothing rises."""
    signal = np.asarray(signal, dtype=np.float64)
    signal = signal - float(signal.mean()) if signal.size else signal
    ceiling = float(np.max(np.abs(signal), initial=0.0))
    if ceiling < SILENT:
        return []
    rise, hop_s = rises(signal, sample_rate=sample_rate)
    onsets = sorted({_onset(signal, round(at * hop_s * sample_rate), sample_rate) for at in _picked(rise, hop_s)})
    # What a recording ends with ends there: nothing begins.
    onsets = [at for at in onsets if at < signal.size - round(ENDS_S * sample_rate)]
    if not onsets:
        return []
    apart = round(APART_S * sample_rate / 2)
    onsets = [at for index, at in enumerate(onsets) if index == 0 or at - onsets[index - 1] >= apart]
    frame = max(1, round(LEVEL_MS * sample_rate / 1000))
    whole = signal.size // frame * frame
    power = np.append(np.square(signal[:whole]).reshape(-1, frame).sum(axis=1), np.sum(signal[whole:] ** 2)) / frame
    power = power if whole < signal.size else power[:-1]
    floor = float(np.quantile(power, 0.05)) * 10 ** (FLOOR_DB / 10)
    ends = [*onsets[1:], signal.size]
    within = round(LOUDEST_WITHIN_S * sample_rate)
    loudest = [
        float(power[at // frame : max(at // frame + 1, min(end, at + within) // frame)].max())
        for at, end in zip(onsets, ends, strict=True)
    ]
    top = max(loudest, default=0.0)
    kept = [index for index, one in enumerate(loudest) if one > top * 10 ** (FAINTEST_DB / 10)]
    begins = [turn_before(signal, onsets[index], sample_rate) for index in kept]
    found = []
    for place, index in enumerate(kept):
        onset, level = onsets[index], loudest[index]
        following = begins[place + 1] if place + 1 < len(kept) else signal.size
        quiet = np.flatnonzero(power[onset // frame : -(-following // frame)] < max(floor, level * 10 ** (END_DB / 10)))
        # From its loudest on: before it, it has not begun to fall.
        peak = int(np.argmax(power[onset // frame : max(onset // frame + 1, following // frame)]))
        quiet = quiet[quiet > peak]
        end = min(following, (onset // frame + int(quiet[0])) * frame) if quiet.size else following
        last = float(power[max(0, following // frame - 1)])
        found.append(
            Impact(
                begin_s=begins[place] / sample_rate,
                onset_s=onset / sample_rate,
                end_s=max(end, begins[place] + 1) / sample_rate,
                level_db=round(10 * float(np.log10(level / top)), 2),
                before_s=None if place == 0 else (begins[place] - begins[place - 1]) / sample_rate,
                after_s=None if place + 1 == len(kept) else (following - begins[place]) / sample_rate,
                runs_on=place + 1 < len(kept) and last > level * 10 ** (RUNS_ON_DB / 10),
                clipped=_clips(signal[onset:end], ceiling),
            )
        )
    return found

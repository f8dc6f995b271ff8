"""What comes back from a shared space, as on the second pass of the loop."""

from __future__ import annotations

import math

import numpy as np

from juglant.core.chain.delay import echoes_of
from juglant.core.chain.echo import cut_sections
from juglant.core.chain.reverb import falling_noise
from juglant.core.duck.curve import curve_rows, rows_to_gain
from juglant.core.model.duck import Duck
from juglant.core.model.shared_space import SharedSpace
from juglant.core.model.sheet import Sheet
from juglant.core.signal.envelope import frames_of
from juglant.core.signal.filters import filter_loop
from juglant.core.signal.wrap import rounds
from juglant.core.types import Samples

TURNS = {"1/2": 0.5, "1": 1.0, "2": 2.0, "4": 4.0}
FALL_MS, AHEAD_MS = 4.0, 4.0


def returned(space: SharedSpace, fed: Samples, kicks_beats: list[float], sheet: Sheet) -> Samples:
    """What a space makes of what is sent to it, (frames,) or (2, frames): one channel where it stays in the middle."""
    rate, rows = sheet.sample_rate, np.atleast_2d(fed)
    cuts = cut_sections(space.low_cut_hz, space.high_cut_hz, sample_rate=rate)
    rows = np.stack([filter_loop(row, cuts, sample_rate=rate) for row in rows])
    wet = _room(space, rows, rate) if space.kind == "room" else _echo(space, rows, sheet)
    if space.move_pct > 0:
        wet = _moving(space, wet, sheet)
    wet = wet * (10 ** (space.level_db / 20) * _ducked(space, kicks_beats, wet.shape[1], sheet))
    return np.asarray(wet[0] if wet.shape[0] == 1 else wet)


def _room(space: SharedSpace, rows: Samples, rate: int) -> Samples:
    """Noise that falls by 60 dB in its time, of unit energy: the same level comes back whatever it rings."""
    start = np.zeros(frames_of(space.before_ms, rate))
    sides = 1 if space.sides == "middle" else 2
    out = []
    for side in range(sides if rows.shape[0] == 1 else 2):
        noise = falling_noise(space.ring_ms, [space.seed, side if sides == 2 else 0], sample_rate=rate)
        response = np.concatenate((start, noise / math.sqrt(float(np.sum(noise**2)))))
        out.append(rounds(rows[min(side, rows.shape[0] - 1)], response))
    if space.sides == "middle":
        return np.asarray(np.mean(out, axis=0, keepdims=True))
    return np.stack(out)


def _echo(space: SharedSpace, rows: Samples, sheet: Sheet) -> Samples:
    """Echoes in note values until they are 60 dB down; in turn on either side where they are asked to be."""
    echoes = echoes_of(space.every, space.feedback_pct, bpm=sheet.bpm, sample_rate=sheet.sample_rate)
    last = echoes[-1][0] + 1
    if space.sides == "ping-pong":
        middle = rows.mean(axis=0)
        # Alone on its side each is as loud as it would be in the middle.
        taps = np.zeros((2, last))
        for number, (at, level) in enumerate(echoes):
            taps[number % 2][at] = math.sqrt(2) * level
        return np.stack([rounds(middle, tap) for tap in taps])
    tap = np.zeros(last)
    for at, level in echoes:
        tap[at] = level
    if space.sides == "middle":
        rows = rows.mean(axis=0, keepdims=True)
    return np.stack([rounds(row, tap) for row in rows])


def _moving(space: SharedSpace, wet: Samples, sheet: Sheet) -> Samples:
    """From side to side at equal power, there and back in its beats, in the middle on bar 1."""
    beats = np.arange(wet.shape[1]) / sheet.sample_rate * sheet.bpm / 60
    place = space.move_pct / 100 * np.sin(2 * np.pi * beats / TURNS[space.move_beats])
    angle = (1 + place) * np.pi / 4
    both = wet if wet.shape[0] == 2 else np.repeat(wet, 2, axis=0)
    return np.asarray(both * math.sqrt(2) * np.stack((np.cos(angle), np.sin(angle))))


def _ducked(space: SharedSpace, kicks_beats: list[float], frames: int, sheet: Sheet) -> Samples:
    """The gain under the kicks, (frames,)."""
    if space.duck_db <= 0 or not kicks_beats:
        return np.ones(frames)
    curve = Duck(
        on=True, depth_db=space.duck_db, lookahead_ms=AHEAD_MS, fall_ms=FALL_MS, hold_ms=space.duck_hold_ms,
        return_ms=space.duck_return_ms, shape=1,
    )  # fmt: skip
    rows = curve_rows(curve, [at * 60 / sheet.bpm for at in kicks_beats], frames / sheet.sample_rate)
    return rows_to_gain(rows, frames, sample_rate=sheet.sample_rate)

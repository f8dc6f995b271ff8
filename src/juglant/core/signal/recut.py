"""A stretch of a recording kept, silenced, taken out, or only its tail: to the sample, with fades, without a click."""

from __future__ import annotations

from typing import Literal

import numpy as np

from juglant.core.errors import InvalidAudio
from juglant.core.signal.envelope import frames_of
from juglant.core.types import Samples

Cutting = Literal["keep", "silence", "take out", "tail only"]
# What is joined is joined over so long; a stroke is over after this, and the tail rises over half of it.
JOIN_MS, STROKE_MS, RISE_MS = 4.0, 40.0, 20.0
SILENT = 1e-7


def _ramp(count: int) -> Samples:
    """From nothing to all in so many samples, a quarter of a wave's turn."""
    return np.asarray(np.sin(np.pi / 2 * (np.arange(count) + 0.5) / max(1, count)) ** 2)


def faded(audio: Samples, *, fade_in_ms: float, fade_out_ms: float, sample_rate: int) -> Samples:
    """(channels, frames) that rise and fall over so long, at most all of it each."""
    out, frames = audio.copy(), audio.shape[1]
    rise, fall = (min(frames, frames_of(ms, sample_rate)) for ms in (fade_in_ms, fade_out_ms))
    if rise:
        out[:, :rise] *= _ramp(rise)
    if fall:
        out[:, frames - fall :] *= _ramp(fall)[::-1]
    return out


def _tail(part: Samples, sample_rate: int) -> Samples:
    """What rings on after the strongest moment of a stretch."""
    power = np.sum(part**2, axis=0)
    begin = int(np.argmax(power)) + frames_of(STROKE_MS, sample_rate)
    if begin >= part.shape[1] - 1:
        raise InvalidAudio(f"nothing rings on {STROKE_MS:.0f} ms after its strongest moment: there is no tail to keep")
    return faded(part[:, begin:], fade_in_ms=RISE_MS, fade_out_ms=0, sample_rate=sample_rate)


def _joined(before: Samples, after: Samples, sample_rate: int) -> Samples:
    count = min(frames_of(JOIN_MS, sample_rate), before.shape[1], after.shape[1])
    if count == 0:
        return np.concatenate((before, after), axis=1)
    ramp = _ramp(count)
    middle = before[:, before.shape[1] - count :] * ramp[::-1] + after[:, :count] * ramp
    return np.concatenate((before[:, : before.shape[1] - count], middle, after[:, count:]), axis=1)


def recut(
    audio: Samples,
    *,
    begin: int,
    end: int,
    what: Cutting,
    fade_in_ms: float,
    fade_out_ms: float,
    peak_db: float | None,
    sample_rate: int,
) -> Samples:
    """A recording, (channels, frames), cut from one frame to another; raises InvalidAudio for a stretch that is empty.

    keep, tail only: the fades are the stretch's own; silence, take out: they are those of what is around it, 4 ms at the
    least. peak_db: brought to this peak, dBFS.
    """
    begin, end = max(0, begin), min(audio.shape[1], end)
    if end - begin < 2:
        raise InvalidAudio("the stretch is empty: its end lies at or before its beginning, or behind the sound")
    before, part, after = audio[:, :begin], audio[:, begin:end], audio[:, end:]
    if what == "keep":
        made = faded(part, fade_in_ms=fade_in_ms, fade_out_ms=fade_out_ms, sample_rate=sample_rate)
    elif what == "tail only":
        made = faded(_tail(part, sample_rate), fade_in_ms=0, fade_out_ms=fade_out_ms, sample_rate=sample_rate)
    elif what == "silence":
        edges = (max(JOIN_MS, fade_in_ms), max(JOIN_MS, fade_out_ms))
        around = [
            faded(before, fade_in_ms=0, fade_out_ms=edges[0], sample_rate=sample_rate),
            np.zeros_like(part),
            faded(after, fade_in_ms=edges[1], fade_out_ms=0, sample_rate=sample_rate),
        ]
        made = np.concatenate(around, axis=1)
    else:
        made = _joined(before, after, sample_rate)
    peak = float(np.max(np.abs(made), initial=0.0))
    if peak < SILENT:
        raise InvalidAudio("nothing would be left: what remains is silent")
    return made if peak_db is None else made * (10 ** (peak_db / 20) / peak)

"""Sounds on a loop: placing with its wrap, cutting, and the room between starts."""

from __future__ import annotations

import numpy as np

from juglant.core.model.track import Track
from juglant.core.music.tempo import frame_at
from juglant.core.signal.envelope import with_edges
from juglant.core.types import Samples

CUT_FADE_MS = 5.0


def loop_frames(track: Track) -> int:
    """Length of the loop in frames, computed from zero."""
    sheet = track.sheet
    return frame_at(sheet.length_beats, sheet.bpm, sheet.sample_rate)


def place(loop: Samples, audio: Samples, start: int) -> None:
    """Add `audio` to a loop from `start`, wrapping past its end as often as needed; (..., frames), one channel fits two."""
    size, position, done = loop.shape[-1], start % loop.shape[-1], 0
    while done < audio.shape[-1]:
        count = min(size - position, audio.shape[-1] - done)
        loop[..., position : position + count] += audio[..., done : done + count]
        done, position = done + count, 0


def cut(audio: Samples, frames: int, *, sample_rate: int) -> Samples:
    """The first `frames` of a sound (..., frames), faded out over 5 ms if that cuts it short."""
    if frames >= audio.shape[-1]:
        return audio
    rows = np.atleast_2d(audio[..., : max(frames, 0)])
    out = np.stack([with_edges(row, start_ms=0, end_ms=CUT_FADE_MS, sample_rate=sample_rate) for row in rows])
    return out[0] if audio.ndim == 1 else out


def gaps(starts: list[int], total: int) -> list[int]:
    """Frames from each start to the next, the last wrapping to the first of the next pass."""
    following = [*starts[1:], starts[0] + total] if starts else []
    return [after - start for start, after in zip(starts, following, strict=True)]

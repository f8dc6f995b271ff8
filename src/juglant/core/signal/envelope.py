"""Amplitude envelopes and edges."""

from __future__ import annotations

import numba
import numpy as np

from juglant.core.types import Samples

# A decay is the time to fall by the depth at which a hit stops being heard in a mix (method: length).
DECAY_DEPTH_DB = 24.0
RELEASE_DEPTH_DB = 72.0
SILENT_DB = DECAY_DEPTH_DB + RELEASE_DEPTH_DB
BLOCK = 256


def frames_of(ms: float, sample_rate: int) -> int:
    """Milliseconds as whole frames."""
    return round(ms * sample_rate / 1000)


@numba.njit(cache=True, nogil=True)
def _fall(out: Samples, start_db: float, step_db: float) -> None:
    """A straight line in dB: from one sample to the next by the same factor, begun anew in every block."""
    factor = 10 ** (step_db / 20)
    for block in range(0, out.size, BLOCK):
        level = 10 ** (max(start_db + block * step_db, -SILENT_DB) / 20)
        for i in range(block, min(block + BLOCK, out.size)):
            out[i] = level
            level *= factor


def staged(*, attack_ms: float, hold_ms: float, decay_ms: float, release_ms: float, sample_rate: int) -> Samples:
    """Envelope of a hit: a raised-cosine attack, hold, a straight fall in dB by 24 dB, then by 72 dB more.

    The attack is part of the hold. Returns (frames,), ending at exactly 0.
    """
    corners_ms = np.cumsum([0, max(hold_ms, attack_ms), decay_ms, release_ms])
    frames = max(2, frames_of(float(corners_ms[-1]), sample_rate))
    corners = np.append(np.ceil(corners_ms[1:3] * sample_rate / 1000).astype(int), frames)
    envelope = np.ones(frames)
    for first, last, ms, span_ms, top, depth in (
        (corners[0], corners[1], corners_ms[1], decay_ms, 0.0, DECAY_DEPTH_DB),
        (corners[1], corners[2], corners_ms[2], release_ms, DECAY_DEPTH_DB, RELEASE_DEPTH_DB),
    ):
        frame_ms = 1000 / sample_rate
        start_db = -top - depth * (first * frame_ms - ms) / span_ms
        _fall(envelope[first : min(last, frames)], start_db, -depth * frame_ms / span_ms)
    return with_edges(
        envelope,
        start_ms=attack_ms,
        end_ms=min(5, release_ms),
        sample_rate=sample_rate,
    )


def with_edges(signal: Samples, *, start_ms: float, end_ms: float, sample_rate: int) -> Samples:
    """Raised-cosine edges, so that nothing starts or ends with a step; (frames,) in and out."""
    out = signal.copy()
    for ms, where in ((start_ms, slice(None)), (end_ms, slice(None, None, -1))):
        length = min(frames_of(ms, sample_rate), out.size)
        if length > 0:
            out[where][:length] *= 0.5 - 0.5 * np.cos(np.pi * np.arange(length) / length)
    if out.size:
        out[-1] = 0.0
    return out

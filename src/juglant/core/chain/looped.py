"""A chain over a loop: what comes out on its second pass, where tails, filters and followers have come round.

What a processor does from the start of a sound (a drawn envelope, what feeds an echo) it does from each stroke or note.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from scipy import ndimage

from juglant.core.chain.delay import Delay
from juglant.core.chain.drawn import Drawn, gain_at
from juglant.core.chain.echo import FEED_FADE_MS, WHOLE_MS
from juglant.core.chain.gate import Gate
from juglant.core.chain.registry import APPLIED, AnyProcessor
from juglant.core.chain.reverb import Reverb
from juglant.core.chain.reverse import Reverse
from juglant.core.chain.stage import UNFED_DB
from juglant.core.chain.width import Width
from juglant.core.music.tempo import BEATS_PER_BAR, frame_at
from juglant.core.signal.envelope import frames_of
from juglant.core.signal.wrap import laid_over, wrapped
from juglant.core.types import Samples

# Five times the slowest follower and more than any filter rings; what looks ahead sees this much of the next pass.
WARM_MS, AHEAD_MS = 8000.0, 100.0
# The lowest cut of an echo has rung out by then.
RINGS_MS = 500.0
# Where an envelope starts anew it goes there in this time, so that nothing clicks.
RESTART_MS = 1.0


def process_loop(
    chain: Sequence[AnyProcessor], loop: Samples, onsets: Sequence[int], *, sample_rate: int, bpm: float
) -> list[Samples]:
    """(channels, frames) through a chain as on its second pass: what came out of each processor in turn, each as long.

    onsets: frames at which strokes or notes begin; without any the sound begins with the loop.
    """
    out, since = [], _since(onsets, loop.shape[1])
    for settings in chain:
        if settings.on and loop.shape[1]:
            loop = _through(settings, loop, since, sample_rate=sample_rate, bpm=bpm)
        out.append(loop)
    return out


def _through(settings: AnyProcessor, loop: Samples, since: Samples, *, sample_rate: int, bpm: float) -> Samples:
    if isinstance(settings, Drawn):
        return loop * _eased(gain_at(settings, since * (1000 / sample_rate)), sample_rate)
    if isinstance(settings, (Reverb, Delay)):
        return _echoed(settings, loop, since, sample_rate=sample_rate, bpm=bpm)
    if isinstance(settings, Reverse):
        # Bar 1 stays where it is: the first sample of a loop is its own mirror.
        return np.roll(loop[:, ::-1], 1, axis=1)
    apply, frames = APPLIED[type(settings)], loop.shape[1]
    if isinstance(settings, Width):
        return laid_over(apply(settings, loop, sample_rate=sample_rate, bpm=bpm), frames)
    if isinstance(settings, Gate):
        # Its pattern begins with bar 1 of every pass.
        return apply(settings, loop, sample_rate=sample_rate, bpm=bpm)
    warm = min(frames_of(WARM_MS, sample_rate), 64 * frames)
    long = np.stack([wrapped(row, warm, frames_of(AHEAD_MS, sample_rate)) for row in loop])
    return apply(settings, long, sample_rate=sample_rate, bpm=bpm)[:, warm : warm + frames]


def _since(onsets: Sequence[int], frames: int) -> Samples:
    """Frames since the newest onset at every frame of the loop, that of the pass before included, (frames,)."""
    at = np.arange(frames, dtype=np.float64)
    starts = np.unique(np.asarray(onsets, dtype=np.int64) % frames) if len(onsets) and frames else np.zeros(0, np.int64)
    if not starts.size:
        return at
    newest = np.searchsorted(starts, np.arange(frames), side="right") - 1
    begun = np.where(newest < 0, starts[-1] - frames, starts[newest])
    return np.asarray(at - begun)


def _eased(gain: Samples, sample_rate: int) -> Samples:
    return np.asarray(ndimage.uniform_filter1d(gain, max(1, frames_of(RESTART_MS, sample_rate)), mode="wrap"))


def _fed_by_bar(bars_db: Sequence[float], frames: int, bpm: float, sample_rate: int) -> Samples:
    """How much each bar of a loop feeds an echo or a room, as a factor at every sample, (frames,)."""
    out = np.ones(frames)
    for bar, level_db in enumerate(bars_db):
        first, last = (frame_at(BEATS_PER_BAR * one, bpm, sample_rate) for one in (bar, bar + 1))
        out[first:last] = 0.0 if level_db <= UNFED_DB else 10 ** (level_db / 20)
    return out


def _echoed(settings: Reverb | Delay, loop: Samples, since: Samples, *, sample_rate: int, bpm: float) -> Samples:
    """A loop with its echoes, which run on into the next pass: of all of it, or of the start of each stroke or note."""
    source = loop
    if settings.attack_ms < WHOLE_MS:
        fade = max(1, frames_of(FEED_FADE_MS, sample_rate))
        left = (frames_of(settings.attack_ms, sample_rate) - since) / fade
        source = loop * _eased(np.clip(left, 0.0, 1.0), sample_rate)
    if any(settings.bars_db):
        source = source * _eased(_fed_by_bar(settings.bars_db, loop.shape[1], bpm, sample_rate), sample_rate)
    fed = settings.unchecked(attack_ms=WHOLE_MS)
    # Its filters ring on behind the loop's end too.
    source = np.pad(source, ((0, 0), (0, frames_of(RINGS_MS, sample_rate))))
    out = APPLIED[type(settings)](fed, source, sample_rate=sample_rate, bpm=bpm)
    out[:, : source.shape[1]] -= source
    return loop + laid_over(out, loop.shape[1])

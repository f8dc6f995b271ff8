"""What reverb and delay share: they may be fed by the attack alone, are cut below, and are added to the sound."""

from __future__ import annotations

import numpy as np

from juglant.core.signal.envelope import frames_of, with_edges
from juglant.core.signal.filters import butterworth, filter_signal
from juglant.core.types import Samples

# At this end of its ruler the whole sound is fed.
WHOLE_MS = 500.0
FEED_FADE_MS = 5.0


def fed(audio: Samples, attack_ms: float, *, sample_rate: int) -> Samples:
    """What goes into the echo of (channels, frames): all of it, or its first `attack_ms`."""
    if attack_ms >= WHOLE_MS:
        return audio
    count = min(audio.shape[1], max(2, frames_of(attack_ms, sample_rate)))
    return np.stack([with_edges(row[:count], start_ms=0, end_ms=FEED_FADE_MS, sample_rate=sample_rate) for row in audio])


def cut_sections(low_hz: float, high_hz: float, *, sample_rate: int) -> Samples:
    """What an echo passes, (sections, 6): 24 dB an octave below, 12 above."""
    return np.vstack(
        (
            butterworth(4, low_hz, "highpass", sample_rate=sample_rate),
            butterworth(2, high_hz, "lowpass", sample_rate=sample_rate),
        )
    )


def cut_low_and_high(audio: Samples, low_hz: float, high_hz: float, *, sample_rate: int) -> Samples:
    """(channels, frames) without what is below and above."""
    sections = cut_sections(low_hz, high_hz, sample_rate=sample_rate)
    return np.stack([filter_signal(sections, row) for row in audio])


def added(dry: Samples, wet: Samples, level_db: float) -> Samples:
    """Dry (channels, frames) plus wet at a level; as many channels and frames as the larger."""
    channels, frames = max(dry.shape[0], wet.shape[0]), max(dry.shape[1], wet.shape[1])
    out = np.zeros((channels, frames))
    out[:, : dry.shape[1]] += dry
    out[:, : wet.shape[1]] += 10 ** (level_db / 20) * wet
    return out

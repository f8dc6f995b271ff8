"""What every measurement asks of its audio, checked once at the public edge."""

from __future__ import annotations

import numpy as np

from juglant.core.errors import InvalidAudio
from juglant.core.types import Samples

LOWEST_RATE = 4_000
HIGHEST_RATE = 400_000
MOST_CHANNELS = 32
LONGEST_S = 600


def checked(audio: Samples, sample_rate: int) -> Samples:
    """The audio as (channels, frames) float64.

    Raises InvalidAudio for an impossible rate, no samples, too many channels or values that are not finite.
    """
    if not LOWEST_RATE <= sample_rate <= HIGHEST_RATE:
        raise InvalidAudio(
            f"sample_rate must be {LOWEST_RATE} to {HIGHEST_RATE} Hz, got {sample_rate}; convert the file first"
        )
    block = np.atleast_2d(np.asarray(audio, dtype=np.float64))
    if block.ndim != 2 or block.shape[0] > MOST_CHANNELS:
        raise InvalidAudio(f"audio must have 1 to {MOST_CHANNELS} channels, got {block.shape[0]}")
    if block.shape[1] == 0:
        raise InvalidAudio("the audio is empty: it has no samples")
    if block.shape[1] > LONGEST_S * sample_rate:
        raise InvalidAudio(f"the audio must be at most {LONGEST_S} s long, got {block.shape[1] / sample_rate:.0f} s")
    bad = int(np.count_nonzero(~np.isfinite(block)))
    if bad:
        raise InvalidAudio(f"{bad} samples are not numbers (NaN or infinity); export the file again")
    return block


def mono(block: Samples) -> Samples:
    """The fold-down, (frames,): the mean of the channels; the loudest one where they cancel.

    A hit recorded with one side inverted still has a pitch; its fold-down has none.
    """
    if block.shape[0] == 1:
        return np.asarray(block[0])
    folded = np.asarray(block.mean(axis=0))
    powers = np.mean(block**2, axis=1)
    return np.asarray(block[int(np.argmax(powers))]) if np.mean(folded**2) < 0.05 * powers.max() else folded

"""A loop with what comes before and after it when it runs on."""

from __future__ import annotations

import numpy as np
from scipy import fft

from juglant.core.types import Samples


def wrapped(loop: Samples, before: int, after: int) -> Samples:
    """The loop, (frames,), with `before` samples of its own end ahead and `after` of its start behind."""
    if not loop.size:
        return np.zeros(before + after)
    # Whole turns only where more than one is asked for: nothing is copied twice.
    ahead = [loop[loop.size - before % loop.size :]] if before % loop.size else []
    behind = [loop[: after % loop.size]] if after % loop.size else []
    turns = 1 + before // loop.size + after // loop.size
    return np.concatenate([*ahead, *[loop] * turns, *behind])


def laid_over(audio: Samples, frames: int) -> Samples:
    """(channels, longer) laid over itself every `frames`: what rings past the end is heard at the start."""
    turns = -(-audio.shape[1] // frames)
    padded = np.pad(audio, ((0, 0), (0, turns * frames - audio.shape[1])))
    return np.asarray(padded.reshape(audio.shape[0], turns, frames).sum(axis=1))


def rounds(sound: Samples, response: Samples) -> Samples:
    """A loop, (frames,), through a response of any length, its tail heard in every pass after."""
    frames = sound.size
    return np.asarray(fft.irfft(fft.rfft(sound) * fft.rfft(laid_over(response[None], frames)[0]), frames))

"""A loop with what comes before and after it when it runs on."""

from __future__ import annotations

import numpy as np

from juglant.core.types import Samples


def wrapped(loop: Samples, before: int, after: int) -> Samples:
    """The loop, (frames,), with `before` samples of its own end ahead and `after` of its start behind."""
    if not loop.size:
        return np.zeros(before + after)
    ahead = np.concatenate([loop] * -(-before // loop.size))[-before:] if before else loop[:0]
    behind = np.concatenate([loop] * -(-after // loop.size))[:after] if after else loop[:0]
    return np.concatenate((ahead, loop, behind))

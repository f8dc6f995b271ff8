"""What lies before the onset of a take: what would make it late."""

from __future__ import annotations

import numpy as np

from juglant.core.hit.render import folded
from juglant.core.measure.lead import LEAST_LEAD_MS, lead_in_ms
from juglant.core.memory import remembered
from juglant.core.signal.envelope import frames_of
from juglant.core.synth.take import LATEST_MS
from juglant.core.synth.takes import find_take


@remembered()
def _lead_ms(take: str, begin_ms: float) -> float | None:
    found = find_take(take)
    assert found is not None  # noqa: S101 (asked by take_lead_ms, which has looked)
    mono = folded(np.asarray(found.audio))[frames_of(begin_ms, found.sample_rate) :]
    return lead_in_ms(mono, sample_rate=found.sample_rate)


def take_lead_ms(take: str, begin_ms: float) -> float | None:
    """The lead-in of a take from a place on, ms; None where it has none worth a word (3 ms), fades in, is not there, or
    begins later than a hit may.
    """
    if find_take(take) is None:
        return None
    lead = _lead_ms(take, begin_ms)
    return lead if lead is not None and lead >= LEAST_LEAD_MS and begin_ms + lead <= LATEST_MS else None

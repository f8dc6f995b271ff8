"""What a bass with two sides has in each band: how alike they are, and what mono loses."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from juglant.core.measure.bands import CENTRES_HZ, quick_band_energies
from juglant.core.types import Samples

RANGE_DB = 40.0


@dataclass(frozen=True)
class SideBand:
    """Correlation of left and right in one third-octave band, 1 to -1, and what its fold-down loses, dB (0: nothing)."""

    centre_hz: float
    correlation: float
    mono_loss_db: float


def side_bands(mono: Samples, side: Samples, *, sample_rate: int) -> list[SideBand]:
    """Every band within 40 dB of the loudest; left is mono + side, right mono - side, both (frames,)."""
    middle, sides = (quick_band_energies(x, sample_rate=sample_rate) for x in (mono, side))
    left, right = (quick_band_energies(x, sample_rate=sample_rate) for x in (mono + side, mono - side))
    whole = middle + sides
    heard = np.flatnonzero(whole > whole.max(initial=0.0) * 10 ** (-RANGE_DB / 10))
    return [
        SideBand(
            centre_hz=CENTRES_HZ[row],
            correlation=float((middle[row] - sides[row]) / max(np.sqrt(left[row] * right[row]), 1e-30)),
            mono_loss_db=10 * float(np.log10(max(middle[row] / whole[row], 1e-12))),
        )
        for row in heard
        if whole[row] > 0
    ]

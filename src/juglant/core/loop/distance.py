"""Near to far in one move: the direct sound duller and quieter, a room around it that comes with less delay.

In a room the direct sound falls by 6 dB with every doubling of the distance while the room's stays as loud, so that their
ratio falls by 6 dB and is 0 dB at the critical distance (H. Kuttruff, Room Acoustics; from memory). That ratio is what is
heard as distance of a sound whose loudness is not known (P. Zahorik 2002, from memory). The whole way is four doublings,
from 18 dB on: three quarters of it are the critical distance. Top and level are this project's choice: half of what a
free field takes of the level, more than air takes of the top.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from juglant.core.chain.echo import cut_sections
from juglant.core.chain.reverb import LENGTH, falling_noise
from juglant.core.measure.level import k_weighting
from juglant.core.model.distance import Distance
from juglant.core.signal.envelope import frames_of, with_edges
from juglant.core.signal.filters import cookbook, filter_loop
from juglant.core.signal.wrap import rounds
from juglant.core.types import Samples

PCT_OF_A_DOUBLING = 25.0
NEAR_DB, DB_OF_A_DOUBLING = 18.0, 6.0
TOP_HZ, TOP_DB_OF_A_DOUBLING, TOP_Q = 2500.0, 3.0, 0.5
QUIETER_LU_OF_A_DOUBLING = 3.0
# The gap between the direct sound and its room halves with every doubling.
GAP_MS = 24.0
# The room has no lows, which stay one sound in the middle; its top comes down by half an octave with every doubling.
ROOM_LOW_HZ, ROOM_HIGH_HZ = 250.0, 7000.0
RINGS_ON_MS, END_MS = 200.0, 20.0
SEED, SILENT_POWER = 1, 1e-20


@dataclass(frozen=True)
class SetBack:
    """What is heard of a sound that stands further away, (channels, frames): the room is always two."""

    direct: Samples
    room: Samples

    @property
    def heard(self) -> Samples:
        """Both, (2, frames)."""
        return np.asarray(self.direct + self.room)


def direct_to_room_db(far_pct: float) -> float:
    """Energy of the direct sound over its room's, in the room's band; the first quarter brings the room in from nothing."""
    doublings = far_pct / PCT_OF_A_DOUBLING
    brought_in_db = 20 * math.log10(min(1.0, max(doublings, 1e-6)))
    return NEAR_DB - DB_OF_A_DOUBLING * doublings - brought_in_db


def quieter_lu(far_pct: float) -> float:
    """How much quieter it is than near, LU."""
    return QUIETER_LU_OF_A_DOUBLING * far_pct / PCT_OF_A_DOUBLING


def weighted_power_db(loop: Samples, *, sample_rate: int) -> float:
    """K-weighted power of a loop, (channels, frames), as it runs, dB; not gated: it moves by what its level is moved.

    One channel counts as both: what is in the middle sounds from either side.
    """
    power = float(np.mean(filter_loop(loop, k_weighting(sample_rate), sample_rate=sample_rate) ** 2))
    return 10 * math.log10(max(power, SILENT_POWER))


def _power(rows: Samples) -> float:
    """Power of (channels, frames), the same for one channel as for two alike."""
    return float(np.mean(rows**2))


def room_band(far_pct: float, *, sample_rate: int) -> Samples:
    """What the room passes, (sections, 6)."""
    high_hz = ROOM_HIGH_HZ / 2 ** (far_pct / PCT_OF_A_DOUBLING / 2)
    return cut_sections(ROOM_LOW_HZ, high_hz, sample_rate=sample_rate)


def set_back(loop: Samples, distance: Distance, *, sample_rate: int) -> SetBack:
    """A sound on a loop, (channels, frames), as far away as it is asked to be, as on the loop's second pass."""
    doublings = distance.far_pct / PCT_OF_A_DOUBLING
    shelf = cookbook("high shelf", frequency_hz=TOP_HZ, gain_db=-TOP_DB_OF_A_DOUBLING * doublings, q=TOP_Q,
                     sample_rate=sample_rate)  # fmt: skip
    direct = filter_loop(loop, shelf, sample_rate=sample_rate)
    band = room_band(distance.far_pct, sample_rate=sample_rate)
    fed = filter_loop(direct, band, sample_rate=sample_rate)
    gap = np.zeros(frames_of(GAP_MS / 2**doublings, sample_rate))
    room = np.stack([
        rounds(fed[min(side, fed.shape[0] - 1)],
               np.concatenate((gap, falling_noise(distance.ring_ms, [SEED, side], sample_rate=sample_rate))))
        for side in range(2)
    ])  # fmt: skip
    wanted = _power(fed) * 10 ** (-direct_to_room_db(distance.far_pct) / 10)
    room *= math.sqrt(wanted / max(_power(room), 1e-30))
    before, after = (weighted_power_db(rows, sample_rate=sample_rate) for rows in (loop, direct + room))
    gain = 10 ** ((before - after - quieter_lu(distance.far_pct)) / 20)
    return SetBack(direct * gain, room * gain)


def sound_set_back(sound: Samples, distance: Distance, *, sample_rate: int) -> Samples:
    """One sound, (frames,) or (2, frames), as it is where nothing follows it: itself where it is near."""
    if distance.far_pct <= 0 or not np.any(sound):
        return sound
    rows = np.atleast_2d(sound)
    more = frames_of(GAP_MS + distance.ring_ms * LENGTH + RINGS_ON_MS, sample_rate)
    heard = set_back(np.pad(rows, ((0, 0), (0, more))), distance, sample_rate=sample_rate).heard
    return np.stack([with_edges(row, start_ms=0, end_ms=END_MS, sample_rate=sample_rate) for row in heard])

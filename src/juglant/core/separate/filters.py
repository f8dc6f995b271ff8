"""The carve and the floor filter as second-order sections."""

from __future__ import annotations

import numpy as np

from juglant.core.model.carve import Carve, Move
from juglant.core.model.sheet import Owner
from juglant.core.model.track import Track
from juglant.core.signal.filters import butterworth, cookbook
from juglant.core.types import Samples

NOTHING = np.zeros((0, 6))
FLOOR_ORDER = 4


def yielder(owner: Owner) -> str:
    """The part that gives way: the kick where the bass owns the sub, else the bass."""
    return "kick" if owner == "bass" else "bass"


def move_sections(moves: tuple[Move, ...], *, sample_rate: int) -> Samples:
    """Sections of EQ moves, (moves, 6)."""
    if not moves:
        return NOTHING
    return np.vstack(
        [cookbook(m.shape, frequency_hz=m.frequency_hz, gain_db=m.gain_db, q=m.q, sample_rate=sample_rate) for m in moves]
    )


def carve_sections(track: Track, part: str) -> Samples:
    """Sections of the carve on 'kick' or 'bass'; none on the part that does not yield."""
    if not track.carve.on or part != yielder(track.sheet.owner):
        return NOTHING
    return move_sections(track.carve.moves, sample_rate=track.sheet.sample_rate)


def floor_only(carve: Carve, *, sample_rate: int) -> Samples:
    """Sections of the floor filter, whether it is on or not."""
    return butterworth(FLOOR_ORDER, carve.floor_hz, "highpass", sample_rate=sample_rate)


def floor_sections(track: Track) -> Samples:
    """Sections of the floor filter where it is on."""
    return floor_only(track.carve, sample_rate=track.sheet.sample_rate) if track.carve.floor_on else NOTHING

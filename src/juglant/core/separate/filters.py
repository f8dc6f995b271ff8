"""The carve and the floor filter as second-order sections."""

from __future__ import annotations

import numpy as np

from juglant.core.model.carve import Carve, Move
from juglant.core.model.sheet import Owner
from juglant.core.model.track import Track
from juglant.core.signal.filters import butterworth, cookbook, response
from juglant.core.types import Samples

NOTHING = np.zeros((0, 6))
FLOOR_ORDER = 4
# A high-pass of this slope is one section, with its Q.
GENTLEST_DB = 12
# Boosts of the owner never sum to more (method: carving).
HIGHEST_BOOST_DB, SCALINGS = 3.0, 6
GRID_HZ = np.geomspace(20, 2000, 200)


def yielder(owner: Owner) -> str:
    """The part that gives way: the kick where the bass owns the sub, else the bass; by zones the one that is ducked."""
    return "kick" if owner == "bass" else "bass"


def move_sections(moves: tuple[Move, ...], *, sample_rate: int) -> Samples:
    """Sections of EQ moves, (sections, 6)."""
    return np.vstack([_sections(move, sample_rate=sample_rate) for move in moves]) if moves else NOTHING


def _sections(move: Move, *, sample_rate: int) -> Samples:
    if move.shape == "high-pass" and move.slope_db > GENTLEST_DB:
        return butterworth(move.slope_db // 6, move.frequency_hz, "highpass", sample_rate=sample_rate)
    return cookbook(move.shape, frequency_hz=move.frequency_hz, gain_db=move.gain_db, q=move.q, sample_rate=sample_rate)


def carve_sections(track: Track, part: str) -> Samples:
    """Sections of the carve on 'kick' or 'bass': moves where it yields, their mirror where it owns, the kick's own pass."""
    carve, rate = track.carve, track.sheet.sample_rate
    moves: tuple[Move, ...] = ()
    if carve.on and track.sheet.owner == "zones":
        moves = carve.kick_moves if part == "kick" else carve.moves
    elif carve.on:
        moves = carve.moves if part == yielder(track.sheet.owner) else mirrored(track)
    if part == "kick" and carve.kick_pass_on:
        moves = (*moves, Move(shape="high-pass", frequency_hz=carve.kick_pass_hz, q=carve.kick_pass_q))
    return move_sections(moves, sample_rate=rate)


def mirrored(track: Track) -> tuple[Move, ...]:
    """Boosts on the owner where the yielder is cut: a share of each cut, together at most 3 dB; none by zones."""
    carve, sample_rate = track.carve, track.sheet.sample_rate
    if not carve.on or track.sheet.owner == "zones":
        return ()
    cuts = [move for move in carve.moves if move.gain_db < 0 and move.shape != "high-pass"]
    if not cuts or carve.mirror_pct <= 0:
        return ()
    share = carve.mirror_pct / 100
    for _ in range(SCALINGS):
        moves = tuple(
            move.model_copy(update={"gain_db": round(min(HIGHEST_BOOST_DB, -share * move.gain_db), 3)}) for move in cuts
        )
        highest = 20 * np.log10(
            np.abs(response(move_sections(moves, sample_rate=sample_rate), GRID_HZ, sample_rate=sample_rate)).max()
        )
        if highest <= HIGHEST_BOOST_DB + 0.01:
            break
        share *= HIGHEST_BOOST_DB / highest
    return moves


def floor_only(carve: Carve, *, sample_rate: int) -> Samples:
    """Sections of the floor filter, whether it is on or not."""
    return butterworth(FLOOR_ORDER, carve.floor_hz, "highpass", sample_rate=sample_rate)


def floor_sections(track: Track) -> Samples:
    """Sections of the floor filter where it is on."""
    return floor_only(track.carve, sample_rate=track.sheet.sample_rate) if track.carve.floor_on else NOTHING

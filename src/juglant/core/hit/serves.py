"""What an impact can serve as: its figures against those of recorded drums of a role, and how cleanly it can be cut."""

from __future__ import annotations

import math
from dataclasses import dataclass

from juglant.core.hit.recorded import NAMES, RECORDED, unit_of
from juglant.core.measure.character import Character
from juglant.core.measure.impacts import Impact
from juglant.core.model.ids import Role

# So far outside a role's range a figure counts as half: dB, and octaves of a time or a frequency (this project's choice).
HALF_DB, HALF_OCTAVES = 6.0, 1.0
# What cannot be mended as well as a figure can, and what a level so far under the strongest costs.
CLIPPED, RUNS_ON, HALF_LEVEL_DB = 0.6, 0.75, 30.0


@dataclass(frozen=True)
class Serves:
    """How well an impact serves as a role, 0 to 1, and what stands against it, in words, the worst first."""

    role: Role
    share: float
    against: tuple[str, ...]


def _outside(name: str, value: float, ends: tuple[float, float]) -> float:
    """How far a figure lies outside a range, in halves of its role."""
    low, high = ends
    if name.endswith("_db"):
        return max(low - value, value - high, 0.0) / HALF_DB
    return max(math.log2(low / max(value, 1e-3)), math.log2(max(value, 1e-3) / high), 0.0) / HALF_OCTAVES


def serves(role: Role, found: Character, impact: Impact) -> Serves | None:
    """How well an impact with these figures serves as a role; None for a role that was never recorded."""
    ranges = RECORDED.get(role)
    if ranges is None:
        return None
    off: dict[str, float] = {}
    for name, words in NAMES.items():
        value, ends = float(getattr(found, name)), getattr(ranges, name)
        if name == "deep_db" and value < ends[0]:
            # A recording's room has more of it than a close sound: less is not unlike.
            continue
        halves = _outside(name, value, ends)
        if halves > 0:
            unit = unit_of(name)
            side = "more" if value > ends[1] else "less"
            said = f"{words} {value:.0f} {unit}, recorded {ends[0]:.0f} to {ends[1]:.0f}: {side}"
            off[said] = halves
    share = 0.5 ** sum(off.values()) * 0.5 ** (-impact.level_db / HALF_LEVEL_DB)
    if impact.clipped:
        off["clipped"] = 1.0 - CLIPPED
        share *= CLIPPED
    if impact.runs_on:
        off["runs into the next"] = 1.0 - RUNS_ON
        share *= RUNS_ON
    return Serves(role, round(share, 4), tuple(sorted(off, key=lambda said: -off[said])))

"""What common systems play: the lowest frequency each still plays at -10 dB.

One table until systems are simulated; the figures are this project's choice, typical of their kind and of no one system.
"""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class System:
    """A kind of playback system and the lowest frequency it plays at -10 dB."""

    name: str
    lowest_hz: float


SYSTEMS = (
    System("large club system", 30.0),
    System("ear-buds", 35.0),
    System("car", 40.0),
    System("small club or bar", 45.0),
    System("small monitors", 50.0),
    System("portable speaker", 80.0),
    System("laptop", 180.0),
    System("phone", 350.0),
)


def played_by(frequency_hz: float) -> tuple[str, ...]:
    """Systems that play a frequency."""
    return tuple(system.name for system in SYSTEMS if frequency_hz >= system.lowest_hz)


def not_played_by(frequency_hz: float) -> tuple[str, ...]:
    """Systems that do not."""
    return tuple(system.name for system in SYSTEMS if frequency_hz < system.lowest_hz)

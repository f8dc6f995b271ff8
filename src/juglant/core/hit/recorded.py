"""What recorded drums are like, by role: the ranges that starting points are held against (docs: starting points).

Measured by `measure_character` on the drums of two packages of Debian, the sound set fluid-soundfont-gm 3.1 and a package
of free drum kits (2017.09), electronic ones left out; the trial that measures them again runs where both are installed.
Open hats stand with rides and crashes.
"""

from __future__ import annotations

from dataclasses import dataclass

from juglant.core.measure.character import Character
from juglant.core.model.ids import Role

Range = tuple[float, float]
# As exact as a range of so few sounds is: dB, and shares of a time or a frequency.
SLACK_DB, SLACK = 0.5, 1.05


@dataclass(frozen=True)
class Recorded:
    """How many sounds, and the least and most of each figure among them (see Character)."""

    sounds: int
    bright_db: Range
    deep_db: Range
    fall_ms: Range
    crest_db: Range
    centre_hz: Range


RECORDED: dict[Role, Recorded] = {
    "kick": Recorded(29, (-43.5, -13.7), (-6.7, -0.3), (101, 1519), (8.0, 24.7), (53, 258)),
    "snare": Recorded(57, (-28.2, -2.8), (-54.0, -14.8), (208, 1582), (14.4, 24.6), (265, 3169)),
    "clap": Recorded(10, (-7.7, -1.8), (-56.1, -12.8), (81, 295), (17.7, 23.3), (1685, 3452)),
    "hat": Recorded(28, (-5.5, -0.1), (-59.3, -6.6), (181, 561), (16.1, 30.1), (2772, 9764)),
    "open hat": Recorded(98, (-14.1, 0.0), (-56.6, -5.5), (314, 28545), (14.2, 35.5), (552, 9685)),
    "tom": Recorded(54, (-51.6, -11.4), (-39.2, -1.6), (658, 4634), (16.0, 26.2), (99, 533)),
    "percussion": Recorded(110, (-42.0, 0.0), (-60.2, -2.8), (47, 10212), (10.1, 30.0), (90, 12763)),
}
NAMES = {
    "bright_db": "above 2 kHz",
    "deep_db": "below 80 Hz",
    "fall_ms": "fall by 60 dB",
    "crest_db": "crest",
    "centre_hz": "mean frequency",
}


def unit_of(name: str) -> str:
    """The unit that a figure's name ends with."""
    return {"db": "dB", "ms": "ms", "hz": "Hz"}[name.rpartition("_")[2]]


def unlike_recorded(role: Role, found: Character) -> list[str]:
    """What of a sound no recorded one of its role has, in words; nothing of a role that is not recorded.

    A recording has the room's rumble: less than that below 80 Hz is not unlike.
    """
    ranges, out = RECORDED.get(role), []
    if ranges is None:
        return []
    for name, words in NAMES.items():
        value, (low, high) = getattr(found, name), getattr(ranges, name)
        if name.endswith("_db"):
            low, high = low - SLACK_DB, high + SLACK_DB
        else:
            low, high = low / SLACK, high * SLACK
        if (value < low and name != "deep_db") or value > high:
            out.append(words)
    return out

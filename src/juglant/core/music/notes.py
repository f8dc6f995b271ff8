"""Notes and frequencies in equal temperament.

n = 69 + 12 log2(f / A4); f = A4 * 2^((n - 69) / 12) (ISO 16 for A4 = 440 Hz; MIDI 1.0 note numbers).
"""

from __future__ import annotations

import math
from typing import Literal

MiddleC = Literal["C3", "C4"]

SHARPS = ("C", "C#", "D", "D#", "E", "F", "F#", "G", "G#", "A", "A#", "B")
FLATS = ("C", "Db", "D", "Eb", "E", "F", "Gb", "G", "Ab", "A", "Bb", "B")
# Without a key, the spelling that the fewest accidentals in common keys give.
PLAIN = ("C", "C#", "D", "Eb", "E", "F", "F#", "G", "Ab", "A", "Bb", "B")
LETTERS = {"C": 0, "D": 2, "E": 4, "F": 5, "G": 7, "A": 9, "B": 11}


def note_number(frequency_hz: float, a4_hz: float) -> float:
    """Fractional MIDI note number of a frequency in Hz, for a concert pitch in Hz."""
    if not 0 < frequency_hz < math.inf:
        raise ValueError(f"frequency_hz must be above 0 and finite, got {frequency_hz}")
    return 69 + 12 * math.log2(frequency_hz / a4_hz)


def note_hz(number: float, a4_hz: float) -> float:
    """Frequency in Hz of a (fractional) MIDI note number."""
    return float(a4_hz * 2 ** ((number - 69) / 12))


def nearest_note(frequency_hz: float, a4_hz: float) -> tuple[int, float]:
    """Nearest MIDI note of a frequency and the distance to it in cents, -50..+50."""
    number = note_number(frequency_hz, a4_hz)
    nearest = math.floor(number + 0.5)
    return nearest, 100 * (number - nearest)


def note_name(number: int, *, names: tuple[str, ...] = PLAIN, middle_c: MiddleC = "C4") -> str:
    """ASCII name with octave, such as 'Bb1'; `middle_c` is the name of note 60."""
    return f"{names[number % 12]}{number // 12 - (1 if middle_c == 'C4' else 2)}"


def pitch_class(name: str) -> int:
    """Pitch class 0..11 of a spelled note without octave: 'Bb' -> 10."""
    return (LETTERS[name[0]] + name.count("#") - name.count("b", 1)) % 12


def cents_between(frequency_hz: float, reference_hz: float) -> float:
    """Interval from `reference_hz` up to `frequency_hz`, in cents."""
    return 1200 * math.log2(frequency_hz / reference_hz)


def octaves_within(number: int, lowest: int, highest: int) -> int:
    """A MIDI note number moved by octaves into a range of at least one."""
    while number < lowest:
        number += 12
    while number > highest:
        number -= 12
    return number

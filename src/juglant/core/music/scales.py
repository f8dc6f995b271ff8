"""Scales, keys and their spelling."""

from __future__ import annotations

from typing import Literal, get_args

from juglant.core.music.notes import FLATS, LETTERS, SHARPS, nearest_note, note_name, pitch_class

Tonic = Literal["C", "C#", "Db", "D", "D#", "Eb", "E", "F", "F#", "Gb", "G", "G#", "Ab", "A", "A#", "Bb", "B"]
ScaleName = Literal[
    "major", "natural minor", "harmonic minor", "melodic minor", "dorian", "phrygian", "lydian", "mixolydian",
    "locrian", "major pentatonic", "minor pentatonic", "chromatic",
]  # fmt: skip
TONICS: tuple[Tonic, ...] = get_args(Tonic)

# Semitones above the tonic (textbook; melodic minor in its ascending form, as basses play it both ways).
STEPS: dict[ScaleName, tuple[int, ...]] = {
    "major": (0, 2, 4, 5, 7, 9, 11),
    "natural minor": (0, 2, 3, 5, 7, 8, 10),
    "harmonic minor": (0, 2, 3, 5, 7, 8, 11),
    "melodic minor": (0, 2, 3, 5, 7, 9, 11),
    "dorian": (0, 2, 3, 5, 7, 9, 10),
    "phrygian": (0, 1, 3, 5, 7, 8, 10),
    "lydian": (0, 2, 4, 6, 7, 9, 11),
    "mixolydian": (0, 2, 4, 5, 7, 9, 10),
    "locrian": (0, 1, 3, 5, 6, 8, 10),
    "major pentatonic": (0, 2, 4, 7, 9),
    "minor pentatonic": (0, 3, 5, 7, 10),
    "chromatic": tuple(range(12)),
}
# Semitones from the tonic up to the tonic of the parent major scale, for spelling.
PARENT: dict[ScaleName, int] = {
    "major": 0, "natural minor": 3, "harmonic minor": 3, "melodic minor": 3, "dorian": 10, "phrygian": 8,
    "lydian": 7, "mixolydian": 5, "locrian": 1, "major pentatonic": 0, "minor pentatonic": 3, "chromatic": 0,
}  # fmt: skip
MAJOR_KEYS_WITH_FLATS = {5, 10, 3, 8, 1, 6}


def scale_classes(tonic: str, scale: ScaleName) -> frozenset[int]:
    """Pitch classes 0..11 of a key."""
    return frozenset((pitch_class(tonic) + step) % 12 for step in STEPS[scale])


def key_spelling(tonic: str, scale: ScaleName) -> tuple[str, ...]:
    """Names of the twelve pitch classes as this key spells them: seven-note scales use each letter once.

    Notes outside the scale, and scales of other sizes, take flats in flat keys and sharps elsewhere.
    """
    parent = (pitch_class(tonic) + PARENT[scale]) % 12
    flat = "b" in tonic or ("#" not in tonic and parent in MAJOR_KEYS_WITH_FLATS)
    names = list(FLATS if flat else SHARPS)
    if len(STEPS[scale]) == 7:
        first = "CDEFGAB".index(tonic[0])
        for degree, step in enumerate(STEPS[scale]):
            letter = "CDEFGAB"[(first + degree) % 7]
            number = (pitch_class(tonic) + step) % 12
            shift = (number - LETTERS[letter] + 6) % 12 - 6
            names[number] = letter + ("#" * shift if shift > 0 else "b" * -shift)
    else:
        names[pitch_class(tonic)] = tonic
    return tuple(names)


def spelled(number: int, tonic: str, scale: ScaleName, middle_c: Literal["C3", "C4"]) -> str:
    """Name of a MIDI note as the key spells it, with the octave of the letter it is written with."""
    name = key_spelling(tonic, scale)[number % 12]
    # B# and Cb belong to the octave of their letter, not of the sounding pitch.
    shift = name.count("#") - name.count("b", 1)
    octave = (number - shift) // 12 - (1 if middle_c == "C4" else 2)
    return f"{name}{octave}"


def nearest_scale_note(frequency_hz: float, tonic: str, scale: ScaleName, a4_hz: float) -> tuple[int, float]:
    """Nearest note of the key to a frequency, and the distance to it in cents (may pass 50)."""
    number, cents = nearest_note(frequency_hz, a4_hz)
    exact = number + cents / 100
    classes = scale_classes(tonic, scale)
    best = min((n for n in range(number - 3, number + 4) if n % 12 in classes), key=lambda n: abs(exact - n))
    return best, 100 * (exact - best)


__all__ = [
    "PARENT", "STEPS", "TONICS", "ScaleName", "Tonic", "key_spelling", "nearest_scale_note", "note_name",
    "pitch_class", "scale_classes", "spelled",
]  # fmt: skip

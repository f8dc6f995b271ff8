"""The bass line in a file's notes: the lowest of those that start together, one voice, in the register of a bass."""

from __future__ import annotations

import math
from statistics import median

from juglant.core.model.sheet import MOST_BEATS
from juglant.core.model.strokes import HIGHEST_BASS_NOTE, LOWEST_BASS_NOTE, MOST_BASS_NOTES, BassNote
from juglant.core.music.notes import octaves_within
from juglant.core.music.tempo import BEATS_PER_BAR, MOST_BARS

# Notes that start this close together are a chord, or hands that are not quite together.
TOGETHER_BEATS = 1 / 32
SHORTEST_BEATS = 1 / 64
# The line moves by whole octaves until its middle lies here (E1 to E flat 2): this project's choice.
LOWEST_MIDDLE, HIGHEST_MIDDLE = 28, 39
DIGITS = 4


def lowest_line(notes: list[tuple[float, float, int]]) -> tuple[BassNote, ...]:
    """The line of (start, length, number) in beats: what lies beyond sixteen bars is left out."""
    picked: list[tuple[float, float, int]] = []
    for begins, length, number in sorted(notes):
        # As it is written down: a hair before the end is after it.
        start = round(begins, DIGITS)
        if start >= MOST_BEATS or len(picked) >= MOST_BASS_NOTES:
            break
        if picked and start - picked[-1][0] < TOGETHER_BEATS:
            if number < picked[-1][2]:
                picked[-1] = picked[-1][0], length, number
            continue
        picked.append((start, length, number))
    if not picked:
        return ()
    middle = median(number for _, _, number in picked)
    octaves = math.ceil((LOWEST_MIDDLE - middle) / 12) if middle < LOWEST_MIDDLE else 0
    octaves = -math.ceil((middle - HIGHEST_MIDDLE) / 12) if middle > HIGHEST_MIDDLE else octaves
    ends = [start for start, _, _ in picked[1:]] + [math.inf]
    return tuple(
        BassNote(
            at_beats=start,
            length_beats=max(SHORTEST_BEATS, round(min(length, end - start, MOST_BEATS), DIGITS)),
            note=octaves_within(number + 12 * octaves, LOWEST_BASS_NOTE, HIGHEST_BASS_NOTE),
        )
        for (start, length, number), end in zip(picked, ends, strict=True)
    )


def bars_of(line: tuple[BassNote, ...]) -> int:
    """Bars a line fills, at most sixteen."""
    end = max((note.at_beats + note.length_beats for note in line), default=0.0)
    return min(MOST_BARS, max(1, math.ceil(end / BEATS_PER_BAR - 1e-6)))

"""Drum loops made by nothing of the product, with the strokes they are made from."""

from __future__ import annotations

import numpy as np
from near_meters import RATE, made_snare

KITS = 3
# Sixteenths of a bar: kicks, snares, hats (common practice).
PATTERNS = {
    "four to the floor": ((0, 4, 8, 12), (4, 12), (2, 6, 10, 14)),
    "broken": ((0, 8, 10), (4, 12), tuple(range(0, 16, 2))),
    "syncopated": ((0, 3, 8, 11), (4, 12), tuple(range(0, 16, 2))),
    "sixteenths": ((0, 7, 10), (4, 12, 15), tuple(range(16))),
    "shuffled hats": ((0, 4, 8, 12), (4, 12), (0, 2, 3, 6, 8, 10, 11, 14)),
    "two-step": ((0, 10), (4, 12), (2, 6, 8, 14)),
}


def kit(number: int) -> dict[str, np.ndarray]:
    time = np.arange(round(0.35 * RATE)) / RATE
    land, falls = (46, 55, 62)[number], (0.07, 0.05, 0.09)[number]
    turns = 2 * np.pi * (land * time + (70, 110, 50)[number] * 0.02 * (1 - np.exp(-time / 0.02)))
    knock = np.random.default_rng(number).standard_normal(time.size) * np.exp(-time / 0.003)
    hiss = np.diff(np.random.default_rng(9 + number).standard_normal(time.size), prepend=0)
    return {
        "kick": 0.8 * (np.sin(turns) + 0.05 * knock) * np.exp(-time / falls),
        "snare": 1.1 * made_snare((180, 205, 230)[number]),
        "hat": 0.14 * hiss * np.exp(-time / (0.015, 0.03, 0.02)[number]),
    }


def made_loop(pattern: str, bpm: float, number: int = 0, bars: int = 2) -> tuple[np.ndarray, set[tuple[str, float]]]:
    """A loop whose end sounds on over its beginning, and the strokes it was made from, by row and beat."""
    frames = round(bars * 240 / bpm * RATE)
    out, truth = np.zeros(frames), set()
    random = np.random.default_rng(number)
    for bar in range(bars):
        for (row, sound), steps in zip(kit(number).items(), PATTERNS[pattern], strict=True):
            for step in steps:
                at = round((16 * bar + step) * 60 / bpm / 4 * RATE)
                np.add.at(out, (at + np.arange(sound.size)) % frames, random.uniform(0.75, 1) * sound)
                truth.add((row, 4 * bar + step / 4))
    return 0.6 * out / np.max(np.abs(out)), truth


def with_bass(loop: np.ndarray, bpm: float) -> np.ndarray:
    """Eighths of a bass that sounds on under everything."""
    out, time = loop.copy(), np.arange(round(0.42 * 60 / bpm * RATE)) / RATE
    for note, at in enumerate(np.arange(0, loop.size - time.size, 30 / bpm * RATE).astype(int)):
        hz = (46.25, 46.25, 55.0, 61.7)[note % 4]
        tone = np.sin(2 * np.pi * hz * time) + 0.4 * np.sin(4 * np.pi * hz * time)
        out[at : at + time.size] += 0.3 * tone * np.minimum(1, time / 0.004) * np.minimum(1, (time[-1] - time) / 0.01)
    return out

"""The strength strip: how loud and how bright strokes of a hit are from softest to hardest, measured."""

from __future__ import annotations

import numpy as np

from juglant.core.hit.strokes import cached_mono, stroke_tempo
from juglant.core.measure.bands import spectrum_of
from juglant.core.measure.level import energy_loudness_db
from juglant.core.model.hit import Hit
from juglant.core.model.velocity import HARDEST, SOFTEST
from juglant.core.pictures.sheet import brightness_hz
from juglant.core.pictures.strip import Picture
from juglant.core.types import Samples

STEPS = 16
SILENT = 1e-9


class StrengthAt(Picture):
    """One stroke: its loudness re the hardest, dB of K-weighted energy, and the mean of its spectrum over the logarithm of
    frequency, Hz; None for silence."""

    velocity: int
    level_db: float | None
    brightness_hz: float | None


def strip_velocities() -> list[int]:
    """Sixteen strengths from softest to hardest, evenly."""
    return [round(SOFTEST + (HARDEST - SOFTEST) * step / (STEPS - 1)) for step in range(STEPS)]


def draw_strengths(hit: Hit, *, sample_rate: int, bpm: float) -> tuple[StrengthAt, ...]:
    """The strip of a hit, softest first."""
    tempo = stroke_tempo(hit, bpm)
    strokes = {velocity: cached_mono(hit, velocity, 0, sample_rate, tempo).audio for velocity in strip_velocities()}
    hardest = _loudness_db(strokes[HARDEST], sample_rate)
    found = []
    for velocity, audio in strokes.items():
        level = _loudness_db(audio, sample_rate)
        bright = None if level is None else brightness_hz(*spectrum_of(audio, sample_rate=sample_rate))
        found.append(
            StrengthAt(
                velocity=velocity,
                level_db=None if level is None or hardest is None else round(level - hardest, 2),
                brightness_hz=None if bright is None else round(bright, 1),
            )
        )
    return tuple(found)


def _loudness_db(audio: Samples, sample_rate: int) -> float | None:
    if float(np.max(np.abs(audio), initial=0.0)) < SILENT:
        return None
    return energy_loudness_db(audio, sample_rate=sample_rate)

"""The bass: a sub with harmonics, and a short blip at each start so that note changes are heard."""

from __future__ import annotations

from typing import Literal

import numpy as np

from juglant.core.model.parameter import Description, parameter
from juglant.core.signal.drive import drive
from juglant.core.signal.envelope import staged, with_edges
from juglant.core.types import Samples

HARMONICS = 12
# Peak the sum of partials is brought to, whatever their number.
PEAK = 0.9


class Bass(Description):
    """Bass engine: sub with harmonics, start blip."""

    engine: Literal["sub-bass"] = "sub-bass"
    harmonics_pct: float = parameter(
        35, 0, 80, "%", "Level of each harmonic against the one before it.", title="Harmonics", step=1
    )
    drive_db: float = parameter(0, 0, 30, "dB", "Gain into saturation.", title="Drive", step=0.5)
    attack_ms: float = parameter(4, 1, 200, "ms", "Rise of each note.", title="Attack", scale="log", step=1)
    release_ms: float = parameter(
        12, 3, 400, "ms", "Fall at the end of each note, inside its length.", title="Release", scale="log", step=1
    )
    fall_db_per_s: float = parameter(0, 0, 48, "dB/s", "How fast a held note fades.", title="Fade", step=1)
    blip_semitones: float = parameter(
        24, 7, 48, "semitones", "Pitch of the start blip above the note.", title="Blip pitch", step=1
    )
    blip_ms: float = parameter(
        18, 3, 120, "ms", "Time the blip takes to fall by 24 dB.", title="Blip decay", scale="log", step=1
    )
    blip_db: float = parameter(-18, -60, 0, "dB", "Level of the start blip; -60 is off.", title="Blip level", step=0.5)


def render_note(settings: Bass, frequency_hz: float, *, frames: int, sample_rate: int) -> Samples:
    """Render one note of `frames` length, (frames,), starting and ending in silence."""
    time = np.arange(frames) / sample_rate
    ratio = settings.harmonics_pct / 100
    count = max(1, min(HARMONICS, int(0.45 * sample_rate / frequency_hz)))
    weights = ratio ** np.arange(count)
    kept = np.flatnonzero(weights > 1e-6)
    turn = 2 * np.pi * frequency_hz * time
    tone = np.zeros(frames)
    for k in kept:
        tone += weights[k] * np.sin((k + 1) * turn)
    cycle = 2 * np.pi * np.arange(512) / 512
    peak = np.max(np.abs(sum(weights[k] * np.sin((k + 1) * cycle) for k in kept)))
    tone = drive(
        tone * (PEAK / peak), drive_db=settings.drive_db, edged=settings.harmonics_pct > 0, sample_rate=sample_rate
    )
    tone *= 10 ** (-settings.fall_db_per_s * time / 20)
    if settings.blip_db > -60:
        shape = staged(
            attack_ms=0.5, hold_ms=1, decay_ms=settings.blip_ms, release_ms=settings.blip_ms, sample_rate=sample_rate
        )[:frames]
        high = frequency_hz * 2 ** (settings.blip_semitones / 12)
        blip = 10 ** (settings.blip_db / 20) * np.sin(2 * np.pi * high * time[: shape.size])
        tone[: shape.size] += blip * shape
    # A note shorter than its own edges keeps half of its length for each.
    longest_ms = frames / sample_rate * 500
    return with_edges(
        tone,
        start_ms=min(settings.attack_ms, longest_ms),
        end_ms=min(settings.release_ms, longest_ms),
        sample_rate=sample_rate,
    )

"""A stand-in for pads and stabs: saws on the notes of a chord behind a low-pass."""

from __future__ import annotations

from typing import Literal

import numpy as np
from pydantic import Field

from juglant.core.parameter.parameter import Description, parameter
from juglant.core.signal.envelope import staged
from juglant.core.signal.filters import butterworth, filter_hit
from juglant.core.synth.bass_sources import TOP_SHARE, edged
from juglant.core.types import Samples

# Semitones above the root.
CHORDS: dict[str, tuple[int, ...]] = {
    "minor": (0, 3, 7, 12),
    "major": (0, 4, 7, 12),
    "minor seventh": (0, 3, 7, 10),
    "fifth": (0, 7, 12),
}
SAW_WIDTH = 0.5


class Chord(Description):
    """Chord engine: root, chord, brightness, envelope."""

    engine: Literal["chord"] = "chord"
    landing_hz: float = parameter(233, 60, 500, "Hz", "The root of the chord.", title="Root", scale="log", step=0.1)
    chord: Literal["minor", "major", "minor seventh", "fifth"] = Field(default="minor", title="Chord")
    detune_cents: float = parameter(
        14, 0, 60, "cents", "How far apart the two saws of each note are.", title="Detune", step=1, musical=(4, 30)
    )
    filter_hz: float = parameter(
        1400, 150, 12000, "Hz", "Above it the chord rolls off, 24 dB per octave.", title="Filter", scale="log", step=20,
        musical=(500, 5000),
    )  # fmt: skip
    attack_ms: float = parameter(
        40, 0.5, 2000, "ms", "Time to come in.", title="Comes in", scale="log", step=1, musical=(2, 400)
    )
    hold_ms: float = parameter(600, 0, 8000, "ms", "Time at full level.", title="Hold", step=5, musical=(40, 3000))
    decay_ms: float = parameter(
        600, 5, 4000, "ms", "Time to fall by 24 dB.", title="Decay", scale="log", step=5, musical=(60, 2000)
    )
    release_ms: float = parameter(
        300, 5, 2000, "ms", "Time to fall from there to silence.", title="Release", scale="log", step=5, musical=(40, 800)
    )


def render(settings: Chord, *, tune: float, sample_rate: int) -> Samples:
    """Render the chord, (frames,); `tune` is a ratio applied to its notes."""
    envelope = staged(
        attack_ms=settings.attack_ms,
        hold_ms=settings.hold_ms,
        decay_ms=settings.decay_ms,
        release_ms=settings.release_ms,
        sample_rate=sample_rate,
    )
    notes = CHORDS[settings.chord]
    out = np.zeros(envelope.size)
    for step in notes:
        hz = min(settings.landing_hz * tune * 2 ** (step / 12), TOP_SHARE * sample_rate / 2)
        out += edged(
            "saw", hz, width=SAW_WIDTH, detune_cents=settings.detune_cents, frames=envelope.size, sample_rate=sample_rate
        )[0]
    corner = min(settings.filter_hz, TOP_SHARE * sample_rate)
    return filter_hit(out / len(notes), butterworth(4, corner, "lowpass", sample_rate=sample_rate)) * envelope

"""Everything that is measured of one hit, in one place."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from juglant.core.measure.bands import zones_db
from juglant.core.measure.checks import checked, mono
from juglant.core.measure.landing import Landing, measure_landing
from juglant.core.measure.level import db, hit_loudness, true_peak
from juglant.core.measure.timing import Timing, measure_timing
from juglant.core.music.notes import nearest_note, note_name
from juglant.core.types import Samples

CONCERT_A4_HZ = 440.0


@dataclass(frozen=True)
class HitMeasures:
    """One hit's figures; None where the signal does not allow one."""

    landing: Landing
    timing: Timing
    note: str | None
    note_number: int | None
    cents: float | None
    peak_db: float | None
    true_peak_db: float | None
    loudness_lufs: float | None
    dc: float
    zones: dict[str, float | None]


def measure_hit(audio: Samples, *, sample_rate: int, bpm: float, a4_hz: float) -> HitMeasures:
    """Measure one hit: (frames,) or (channels, frames).

    bpm: tempo at which the hit is repeated for its loudness. Raises InvalidAudio for audio that cannot be measured.
    """
    block = checked(audio, sample_rate)
    signal = mono(block)
    landing = measure_landing(signal, sample_rate=sample_rate)
    number, cents = nearest_note(landing.landing_hz, a4_hz) if landing.landing_hz else (None, None)
    silent = not np.any(block)
    return HitMeasures(
        landing=landing,
        timing=measure_timing(signal, sample_rate=sample_rate, firm_hz=landing.firm_hz),
        note=None if number is None else note_name(number),
        note_number=number,
        cents=cents,
        peak_db=None if silent else db(float(np.max(np.abs(block)))),
        true_peak_db=None if silent else db(true_peak(block)),
        loudness_lufs=None if silent else hit_loudness(block, bpm, sample_rate=sample_rate),
        dc=float(block.mean()),
        zones=zones_db(signal, sample_rate=sample_rate),
    )


def flat_figures(found: HitMeasures) -> dict[str, object]:
    """The figures by the names that files and the command line use, units in the keys."""
    landing, timing = found.landing, found.timing
    return {
        "onset_ms": timing.onset_ms,
        "landing_hz": landing.landing_hz,
        "heard_hz": landing.heard_hz,
        "verdict": landing.verdict,
        "uncertainty_cents": landing.uncertainty_cents,
        "also_hz": landing.also_hz,
        "note": found.note,
        "cents": found.cents,
        "confidence": landing.confidence,
        "cycles": landing.cycles,
        "drift_cents_per_s": landing.drift_cents_per_s,
        "sweep_semitones": landing.sweep_semitones,
        "sweep_ms": landing.sweep_ms,
        "length_ms": timing.length_ms,
        "length_silent_ms": timing.length_silent_ms,
        "t60_ms": timing.t60_ms,
        "attack_ms": timing.attack_ms,
        "click_db": timing.click_db,
        "peak_db": found.peak_db,
        "true_peak_db": found.true_peak_db,
        "loudness_lufs": found.loudness_lufs,
        "dc": found.dc,
        "zones": found.zones,
    }

"""Where a kick could land in the key, ranked, and how to get it there."""

from __future__ import annotations

from dataclasses import dataclass

from juglant.core.model.fields import limits_of
from juglant.core.model.hit import Hit, Layer
from juglant.core.model.track import Track
from juglant.core.music.notes import cents_between, note_hz
from juglant.core.music.scales import nearest_scale_note, pitch_class, scale_classes, spelled
from juglant.core.synth.beater import Beater
from juglant.core.synth.clap import Clap
from juglant.core.synth.metal import Metal
from juglant.core.synth.rumble import Rumble

LOWEST_NOTE, HIGHEST_NOTE = 26, 43  # D1 36.7 Hz to G2 98 Hz
# Below this common club systems are 10 dB down or more: this project's choice.
COMMON_LOWEST_HZ = 40.0
CHARACTER_SEMITONES = 4


@dataclass(frozen=True)
class Target:
    """One place to land: note, shift from the present landing, and why it is good or not."""

    note: int
    name: str
    frequency_hz: float
    shift_cents: float
    degree: int
    score: float
    reason: str


def targets(track: Track, landing_hz: float, *, most: int = 6) -> list[Target]:
    """Targets in the key, best first: the tonic, then the fifth, then what is near and does not fight the bass."""
    sheet = track.sheet
    classes, tonic = scale_classes(sheet.tonic, sheet.scale), pitch_class(sheet.tonic)
    bass_hz = {note_hz(note.note, sheet.a4_hz) for note in track.notes()}
    found = []
    for number in range(LOWEST_NOTE, HIGHEST_NOTE + 1):
        if number % 12 not in classes:
            continue
        frequency = note_hz(number, sheet.a4_hz)
        shift = cents_between(frequency, landing_hz)
        degree = (number - tonic) % 12
        score, reasons = 0.0, []
        if degree == 0:
            reasons.append("the tonic")
        elif degree == 7:
            score += 2
            reasons.append("the fifth: leaves the tonic to the bass")
        else:
            score += 4
            reasons.append("in the scale")
        score += abs(shift) / 150
        if abs(shift) > 100 * CHARACTER_SEMITONES:
            score += 3
            reasons.append("so far that the kick changes character")
        if frequency < COMMON_LOWEST_HZ:
            score += 2
            reasons.append("below what common systems play")
        close = [abs(frequency - hz) for hz in bass_hz if 0.5 < abs(frequency - hz) < 15]
        if close:
            score += 1
            reasons.append(f"{min(close):.1f} Hz from a bass note: may beat")
        name = spelled(number, sheet.tonic, sheet.scale, sheet.middle_c)
        found.append(Target(number, name, frequency, shift, degree, score, ", ".join(reasons)))
    return sorted(found, key=lambda target: (target.score, abs(target.shift_cents)))[:most]


def off_key_cents(track: Track, landing_hz: float) -> tuple[int, float]:
    """Nearest note of the key and the distance to it in cents."""
    sheet = track.sheet
    return nearest_scale_note(landing_hz, sheet.tonic, sheet.scale, sheet.a4_hz)


def _retuned(layer: Layer, ratio: float) -> Layer:
    source = layer.source
    limits = limits_of(type(source), "landing_hz")
    if limits is None or isinstance(source, (Beater, Clap, Metal, Rumble)):
        return layer
    wanted = source.landing_hz * ratio
    if limits.low <= wanted <= limits.high:
        return layer.model_copy(update={"source": source.model_copy(update={"landing_hz": round(wanted, 4)})})
    cents = min(2400.0, max(-2400.0, layer.tune_cents + cents_between(wanted, source.landing_hz)))
    return layer.model_copy(update={"tune_cents": cents})


def retuned(hit: Hit, from_hz: float, to_hz: float) -> Hit:
    """The hit with every pitched layer moved by the ratio of two frequencies; unpitched layers stay."""
    return hit.model_copy(update={"layers": tuple(_retuned(layer, to_hz / from_hz) for layer in hit.layers)})

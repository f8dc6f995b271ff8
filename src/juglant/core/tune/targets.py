"""Where a hit could land in the key, ranked, with what each place costs; and what each school of tuning asks for."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from juglant.core.measure.landing import FIRM_CYCLES
from juglant.core.model.sheet import Sheet
from juglant.core.model.track import Track
from juglant.core.music.notes import cents_between, note_hz, note_number
from juglant.core.music.scales import nearest_scale_note, pitch_class, scale_classes, spelled
from juglant.core.music.tempo import BEATS_PER_BAR
from juglant.core.tune.key_limits import CHARACTER_SEMITONES
from juglant.core.tune.systems import SYSTEMS

School = Literal["tonic", "fifth", "chords", "unpitched"]
LOWEST_NOTE, HIGHEST_NOTE = 26, 43  # D1 36.7 Hz to G2 98 Hz
# Further than this nothing is offered for a hit that is no kick.
REACH_SEMITONES = 7
# Below this half of the systems of the table are 10 dB down or more.
COMMON_LOWEST_HZ = sorted(system.lowest_hz for system in SYSTEMS)[2]
BEATS_BELOW_HZ = 15.0
FIFTH = 7


@dataclass(frozen=True)
class Target:
    """One place to land: note, shift from the present landing, and why it is good or not.

    length_ms: how long the hit would sound if it were moved by playback speed; bass_apart_hz: distance to the nearest
    note of the bass line.
    """

    note: int
    name: str
    frequency_hz: float
    shift_cents: float
    degree: int
    score: float
    reason: str
    length_ms: float | None
    bass_apart_hz: float | None


@dataclass(frozen=True)
class Advice:
    """What one school asks for: where to land (None where it asks for something else), and why."""

    school: School
    target: Target | None
    reason: str


def is_far(shift_cents: float) -> bool:
    """Whether a move is so far that a hit changes character, to a tenth of a semitone as it is shown."""
    return round(abs(shift_cents) / 100, 1) > CHARACTER_SEMITONES


def _target(track: Track, number: int, pitch_hz: float, length_ms: float | None) -> Target:
    sheet = track.sheet
    frequency = note_hz(number, sheet.a4_hz)
    shift = cents_between(frequency, pitch_hz)
    degree = (number - pitch_class(sheet.tonic)) % 12
    score, reasons = 0.0, []
    if degree == 0:
        reasons.append("the tonic")
    elif degree == FIFTH:
        score += 2
        reasons.append("the fifth: leaves the tonic to the bass")
    else:
        score += 4
        reasons.append("in the scale")
    score += abs(shift) / 150
    if is_far(shift):
        score += 3
    if frequency < COMMON_LOWEST_HZ:
        score += 2
        reasons.append("below what common systems play")
    apart = {note: abs(frequency - note_hz(note, sheet.a4_hz)) for note in {one.note for one in track.notes()}}
    close = {note: hz for note, hz in apart.items() if 0.5 < hz < BEATS_BELOW_HZ}
    if close:
        score += 1
        beside = min(close, key=lambda note: (close[note], note))
        name = spelled(beside, sheet.tonic, sheet.scale, sheet.middle_c)
        reasons.append(f"{close[beside]:.1f} Hz from {name} of the bass: may beat")
    return Target(
        note=number,
        name=spelled(number, sheet.tonic, sheet.scale, sheet.middle_c),
        frequency_hz=frequency,
        shift_cents=shift,
        degree=degree,
        score=score,
        reason=", ".join(reasons),
        length_ms=None if length_ms is None else length_ms * pitch_hz / frequency,
        bass_apart_hz=min(apart.values(), default=None),
    )


def targets(
    track: Track, pitch_hz: float, *, most: int = 6, length_ms: float | None = None, is_kick: bool = True
) -> list[Target]:
    """Targets in the key, best first: the tonic, then the fifth, then what is near and does not fight the bass.

    A kick may land anywhere from D1 to G2, any other hit within a fifth of where it is.
    """
    sheet = track.sheet
    classes = scale_classes(sheet.tonic, sheet.scale)
    here = round(note_number(pitch_hz, sheet.a4_hz))
    near = set(range(here - REACH_SEMITONES, here + REACH_SEMITONES + 1))
    numbers = set(range(LOWEST_NOTE, HIGHEST_NOTE + 1)) if is_kick else near
    found = [_target(track, number, pitch_hz, length_ms) for number in sorted(numbers) if number % 12 in classes]
    return sorted(found, key=lambda target: (target.score, abs(target.shift_cents)))[:most]


# C1.
BASS_OCTAVE = 24


def chord_roots(track: Track) -> list[tuple[int, int]]:
    """Bar and root, as the lowest such note of it, for every bar in which a bass note starts; what is said counts first.

    The root of a bar is the note, in any octave, that the line holds longest there, the first of those that tie: this
    project's reading of the chords.
    """
    held: dict[int, dict[int, float]] = {}
    lowest: dict[tuple[int, int], int] = {}
    for note in track.notes():
        bar, name = int(note.at_beats // BEATS_PER_BAR), note.note % 12
        times = held.setdefault(bar, {})
        times[name] = times.get(name, 0.0) + note.length_beats
        lowest[bar, name] = min(lowest.get((bar, name), note.note), note.note)
    # Of equals `max` takes the first, and names stand in the order in which they came.
    roots = {bar: max(times, key=lambda name: times[name]) for bar, times in held.items()}
    found = {bar: lowest[bar, name] for bar, name in roots.items()}
    # A root that is said has the octave in which the line has it, or that of the bass.
    for bar, said in enumerate(track.sheet.roots[: track.sheet.bars]):
        if said is not None:
            found[bar] = lowest.get((bar, said), BASS_OCTAVE + said)
    return sorted(found.items())


def advice(track: Track, pitch_hz: float, *, length_ms: float | None = None, is_kick: bool = True) -> list[Advice]:
    """What each school asks for, in the order tonic, fifth, following the chords, short and unpitched."""
    every = targets(track, pitch_hz, most=100, length_ms=length_ms, is_kick=is_kick)
    out = []
    for school, degree, why in (
        ("tonic", 0, "it agrees with every chord that has the tonic in it, and with the key itself"),
        ("fifth", FIFTH, "it is in tune with the tonic and leaves the tonic's own frequency to the bass"),
    ):
        best = next((one for one in every if one.degree == degree), None)
        absent = "the key has no such note within reach"
        out.append(Advice(school, best, why if best else absent))  # type: ignore[arg-type]
    roots = chord_roots(track)
    names = list(dict.fromkeys(number % 12 for _, number in roots))
    if not names:
        out.append(Advice("chords", None, "the track has no bass notes yet"))
    else:
        nearest = [nearest_of_class(track, number, pitch_hz, length_ms) for number in names]
        best = min(nearest, key=lambda one: abs(one.shift_cents))
        listed = ", ".join(f"{one.name} ({one.shift_cents:+.0f} cents)" for one in nearest)
        reason = (
            f"the line rests on one root: {listed}"
            if len(names) == 1
            else f"the line has {len(names)} roots: a version of the hit for each, {listed}"
        )
        out.append(Advice("chords", best, reason))
    out.append(
        Advice(
            "unpitched",
            None,
            f"shorter than {1000 * FIRM_CYCLES / pitch_hz:.0f} ms it has under {FIRM_CYCLES:.0f} cycles at "
            f"{pitch_hz:.0f} Hz, and is heard as no note",
        )
    )
    return out


def nearest_of_class(track: Track, pitch_class_of: int, pitch_hz: float, length_ms: float | None = None) -> Target:
    """The note of a pitch class that is nearest to a pitch."""
    number = nearest_of_pitch_class(pitch_class_of, pitch_hz, track.sheet.a4_hz)
    return _target(track, number, pitch_hz, length_ms)


def tonic_near(frequency_hz: float, sheet: Sheet) -> int:
    """The note of the tonic that is nearest to a frequency."""
    return nearest_of_pitch_class(pitch_class(sheet.tonic), frequency_hz, sheet.a4_hz)


def nearest_of_pitch_class(wanted: int, frequency_hz: float, a4_hz: float) -> int:
    """The note of a pitch class, 0..11, that is nearest to a frequency."""
    here = note_number(frequency_hz, a4_hz)
    return min((n for n in range(12, 108) if n % 12 == wanted), key=lambda n: abs(n - here))


def off_key_cents(track: Track, landing_hz: float) -> tuple[int, float]:
    """Nearest note of the key and the distance to it in cents."""
    sheet = track.sheet
    return nearest_scale_note(landing_hz, sheet.tonic, sheet.scale, sheet.a4_hz)

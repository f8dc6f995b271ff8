"""Starting points for every role, each measured, and in tune with the track when it is chosen.

A kick lands on the tonic; any other pitched hit on the nearest note of the key.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

from juglant.core.hit.colours import coloured
from juglant.core.hit.fit import fit_layers, fitted
from juglant.core.hit.levelled import as_loud
from juglant.core.hit.recorded import unlike_recorded
from juglant.core.hit.render import render_hit
from juglant.core.hit.start import Family, Start, usual_choke, usual_strokes
from juglant.core.hit.start_hats import CLAPS, HATS, OPEN_HATS
from juglant.core.hit.start_kicks import KICKS
from juglant.core.hit.start_others import CHORDS, PERCUSSION, RUMBLES
from juglant.core.hit.start_skins import SNARES, TOMS
from juglant.core.hit.start_subs import SUBS
from juglant.core.hit.transpose import retuned
from juglant.core.measure.bands import zones_db
from juglant.core.measure.character import measure_character
from juglant.core.measure.landing import Landing, Verdict, measure_landing
from juglant.core.measure.timing import measure_timing
from juglant.core.memory import newest
from juglant.core.model.hit import Hit, Layer
from juglant.core.model.ids import Role
from juglant.core.model.sheet import Sheet
from juglant.core.model.strokes import Stroke
from juglant.core.music.notes import cents_between, nearest_note, note_hz
from juglant.core.music.scales import nearest_scale_note, pitch_class, scale_classes, spelled
from juglant.core.music.tempo import beat_ms
from juglant.core.synth.chord import Chord
from juglant.core.types import Samples

# Kicks land between these (brief: common systems play little below, and ears hear no kick above).
LOWEST_HZ, HIGHEST_HZ = 38.0, 84.0
# Layers that lose this much by their starts or polarity are fitted before anything is measured.
FITTED_FROM_DB = 0.8
ROUNDS, LANDED_CENTS = 5, 0.5


# Semitones.
MINOR_THIRD = 3
# K-weighted energy of one stroke of every start, dB, under -1 dBTP (this project's choice: what every start of a role has).
LOUDNESS_DB: dict[Role, float] = {
    "kick": 24.0,
    "snare": 18.5,
    "clap": 19.0,
    "hat": 10.0,
    "open hat": 16.5,
    "tom": 18.0,
    "rumble": 27.0,
    "percussion": 16.5,
    "chord": 22.0,
    "sub": 27.0,
}


@dataclass(frozen=True)
class MeasuredStart:
    """A starting point in tune with a sheet, and what it measures there; zones in dB re the whole hit.

    unlike: what of it no recorded sound of its role has, on purpose.
    """

    role: Role
    name: str
    help: str
    family: Family
    unlike: tuple[str, ...]
    hit: Hit
    strokes: tuple[Stroke, ...]
    choke: int
    landing_hz: float | None
    note: str | None
    verdict: Verdict
    length_ms: float | None
    length_beats: float | None
    zones: dict[str, float | None]
    strongest_zone: str


STARTS: tuple[Start, ...] = tuple(
    replace(one, hit=coloured(one.hit))
    for one in (*KICKS, *SNARES, *CLAPS, *HATS, *OPEN_HATS, *TOMS, *RUMBLES, *PERCUSSION, *CHORDS, *SUBS)
)


def kick_tonic_hz(frequency_hz: float, sheet: Sheet) -> float:
    """The tonic nearest to a frequency on which a kick can land, Hz."""
    first = note_hz(pitch_class(sheet.tonic), sheet.a4_hz)
    octaves = [first * 2**k for k in range(12)]
    allowed = [hz for hz in octaves if LOWEST_HZ <= hz <= HIGHEST_HZ]
    return float(min(allowed, key=lambda hz: abs(math.log2(hz / frequency_hz))))


def _chords_in_key(hit: Hit, sheet: Sheet) -> Hit:
    """A hit with its chords on the tonic that is nearest to where they are, minor or major as the scale has it."""
    minor = (pitch_class(sheet.tonic) + MINOR_THIRD) % 12 in scale_classes(sheet.tonic, sheet.scale)

    def moved(layer: Layer) -> Layer:
        one = layer.source
        if not isinstance(one, Chord):
            return layer
        octaves = round(math.log2(one.landing_hz / (root := note_hz(48 + pitch_class(sheet.tonic), sheet.a4_hz))))
        # A third is in key only as the scale has it.
        kept = one.chord == "fifth" or minor == (one.chord != "major")
        kind = one.chord if kept else "minor" if minor else "major"
        source = one.model_copy(update={"landing_hz": round(root * 2**octaves, 4), "chord": kind})
        return layer.model_copy(update={"source": source})

    return hit.model_copy(update={"layers": tuple(moved(layer) for layer in hit.layers)})


def _wanted_hz(start: Start, landing_hz: float, sheet: Sheet) -> float:
    """Where a start should land: a kick on the tonic, anything else on the nearest note of the key."""
    if start.role == "rumble":
        # It has the pitch of its kick.
        return landing_hz
    if start.role == "kick":
        return kick_tonic_hz(landing_hz, sheet)
    number, _ = nearest_scale_note(landing_hz, sheet.tonic, sheet.scale, sheet.a4_hz)
    return note_hz(number, sheet.a4_hz)


@newest(128)
def measured_start(start: Start, sheet: Sheet) -> MeasuredStart:
    """A starting point on the track's tonic, and what it measures (pure, remembered, bounded)."""
    rate, hit = sheet.sample_rate, _chords_in_key(start.hit, sheet)
    if start.role != "kick" and (fit := fit_layers(hit, rate, sheet.bpm)) is not None:
        if fit.after_db - fit.now_db >= FITTED_FROM_DB:
            hit = fitted(hit, fit)
    tried: list[tuple[float, int, Hit, Samples, Landing]] = []
    for turn in range(ROUNDS):
        audio = render_hit(hit, sample_rate=rate, bpm=sheet.bpm).mono
        landing = measure_landing(audio, sample_rate=rate)
        if landing.landing_hz is None:
            # Nothing to be read in the first place, or moved by the right ratio and no longer sure enough to be read.
            tried.append((LANDED_CENTS if turn else math.inf, turn, hit, audio, landing))
            break
        wanted = _wanted_hz(start, landing.landing_hz, sheet)
        off = abs(cents_between(wanted, landing.landing_hz))
        tried.append((off, turn, hit, audio, landing))
        if off < LANDED_CENTS:
            break
        hit = retuned(hit, landing.landing_hz, wanted)
    # A loose kick does not follow cent by cent: the round that came nearest counts.
    _, _, hit, audio, landing = min(tried, key=lambda one: one[:2])
    hit = as_loud(hit, LOUDNESS_DB[start.role], sample_rate=rate, bpm=sheet.bpm)
    audio = render_hit(hit, sample_rate=rate, bpm=sheet.bpm).mono
    note = None
    if landing.landing_hz is not None:
        number, _ = nearest_note(landing.landing_hz, sheet.a4_hz)
        note = spelled(number, sheet.tonic, sheet.scale, sheet.middle_c)
    length_ms, zones = measure_timing(audio, sample_rate=rate).length_ms, zones_db(audio, sample_rate=rate)
    return MeasuredStart(
        start.role,
        start.name,
        start.help,
        start.family,
        _unlike(start.role, audio, rate),
        hit.model_copy(update={"kick": None}),
        usual_strokes(start.role, sheet.length_beats),
        usual_choke(start.role),
        landing.landing_hz,
        note,
        landing.verdict,
        length_ms,
        None if length_ms is None else length_ms / beat_ms(sheet.bpm),
        zones,
        max(zones, key=lambda name: -math.inf if (level := zones[name]) is None else level),
    )


def _unlike(role: Role, audio: Samples, sample_rate: int) -> tuple[str, ...]:
    found = measure_character(audio, sample_rate=sample_rate)
    return () if found is None else tuple(unlike_recorded(role, found))


def measured_starts(sheet: Sheet, role: Role, kick: Hit) -> list[MeasuredStart]:
    """Every starting point of a role in tune with a sheet; a rumble is made of the track's kick."""
    found = [start for start in STARTS if start.role == role]
    if role == "rumble":
        made_of = kick.model_copy(update={"locked": (), "front": (), "ranges": ()})
        found = [replace(start, hit=start.hit.model_copy(update={"kick": made_of})) for start in found]
    return [measured_start(start, sheet) for start in found]

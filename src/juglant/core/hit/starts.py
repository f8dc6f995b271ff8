"""Starting points for a kick: names of our own, common practice as ranges, each in tune with the track when it is chosen.

Common practice (brief): decay 150-250 ms and release 50-150 ms; a 24 dB/octave low-pass at 80-120 Hz that opens with the
hit; about two octaves of pitch drop over 80-180 ms for a loose kick, far less time for a tight one; half a beat long
where a kick is on every beat, up to about 700 ms where the kick is the bass. What each turned out to be is measured.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache

from juglant.core.hit.render import render_hit
from juglant.core.measure.bands import zones_db
from juglant.core.measure.landing import Landing, Verdict, measure_landing
from juglant.core.measure.timing import measure_timing
from juglant.core.model.hit import Hit, Layer
from juglant.core.model.sheet import Sheet
from juglant.core.music.notes import cents_between, nearest_note, note_hz
from juglant.core.music.scales import pitch_class, spelled
from juglant.core.music.tempo import beat_ms
from juglant.core.synth.beater import Beater
from juglant.core.synth.sweep import Sweep
from juglant.core.synth.tail import Tail
from juglant.core.tune.targets import retuned
from juglant.core.types import Samples

# Kicks land between these (brief: common systems play little below, and ears hear no kick above).
LOWEST_HZ, HIGHEST_HZ = 38.0, 84.0
ROUNDS, LANDED_CENTS = 5, 0.5


@dataclass(frozen=True)
class Start:
    """One starting point as it is described."""

    name: str
    help: str
    hit: Hit


@dataclass(frozen=True)
class MeasuredStart:
    """A starting point in tune with a sheet, and what it measures there; zones in dB re the whole hit."""

    name: str
    help: str
    hit: Hit
    landing_hz: float | None
    note: str | None
    verdict: Verdict
    length_ms: float | None
    length_beats: float | None
    zones: dict[str, float | None]
    strongest_zone: str


def _kick(name: str, text: str, **layers: tuple[Sweep | Beater | Tail, float, float]) -> Start:
    """A start from its layers: source, level in dB, offset in ms."""
    made = tuple(
        Layer(id=key, name=key.capitalize(), source=source, gain_db=gain_db, offset_ms=offset_ms)
        for key, (source, gain_db, offset_ms) in layers.items()
    )
    return Start(name, text, Hit(layers=made))


STARTS: tuple[Start, ...] = (
    _kick(
        "Quay",
        "Round and warm, opens with the hit",
        beater=(Beater(colour_db_per_octave=-1, high_pass_hz=1600, low_pass_hz=9000, decay_ms=7, blip_db=-18), -11, 0),
        body=(
            Sweep(
                landing_hz=52,
                start_semitones=24,
                sweep_ms=90,
                shape=0.2,
                hold_ms=15,
                decay_ms=170,
                release_ms=80,
                low_pass_hz=110,
                low_pass_open_octaves=4,
                low_pass_close_ms=45,
                drive_db=3,
            ),
            -1,
            0,
        ),
    ),
    _kick(
        "Rivet",
        "Short and tight, mostly knock",
        beater=(Beater(colour_db_per_octave=0.5, high_pass_hz=2500, low_pass_hz=12000, decay_ms=5, blip_hz=240), -9, 0),
        body=(
            Sweep(landing_hz=60, start_semitones=36, sweep_ms=28, hold_ms=8, decay_ms=105, release_ms=55, drive_db=6),
            -1,
            0,
        ),
    ),
    _kick(
        "Dredger",
        "The kick is the bass: a long tuned tail",
        beater=(Beater(high_pass_hz=1200, low_pass_hz=7000, decay_ms=9, blip_db=-14), -12, 0),
        body=(
            Sweep(landing_hz=46, start_semitones=30, sweep_ms=70, hold_ms=20, decay_ms=180, release_ms=90, drive_db=5),
            -2,
            0,
        ),
        tail=(Tail(landing_hz=46, attack_ms=40, hold_ms=180, decay_ms=420, release_ms=140, drive_db=6), -4, 4),
    ),
    _kick(
        "Breakwater",
        "Hard and saturated, for fast tempos",
        beater=(Beater(colour_db_per_octave=1, high_pass_hz=1800, low_pass_hz=14000, decay_ms=11, blip_db=-10), -8, 0),
        body=(
            Sweep(
                landing_hz=50,
                start_semitones=40,
                sweep_ms=75,
                curve=0.8,
                shape=0.4,
                hold_ms=30,
                decay_ms=150,
                release_ms=60,
                drive_db=18,
            ),
            -3,
            0,
        ),
    ),
    _kick(
        "Lantern",
        "Loose and deep, two octaves of slow drop",
        beater=(Beater(colour_db_per_octave=-3, high_pass_hz=900, low_pass_hz=5000, decay_ms=12, blip_db=-12), -14, 0),
        body=(
            Sweep(landing_hz=48, start_semitones=24, sweep_ms=120, hold_ms=25, decay_ms=240, release_ms=130, drive_db=2),
            -1,
            0,
        ),
        tail=(Tail(landing_hz=48, attack_ms=70, hold_ms=30, decay_ms=200, release_ms=110), -7, 6),
    ),
    _kick(
        "Pebble",
        "Light, soft attack, little sub",
        beater=(
            Beater(colour_db_per_octave=-2, high_pass_hz=1100, low_pass_hz=6500, decay_ms=6, blip_hz=320, blip_db=-8),
            -10,
            0,
        ),
        body=(
            Sweep(
                landing_hz=66,
                start_semitones=12,
                sweep_ms=35,
                shape=0.6,
                attack_ms=2,
                hold_ms=10,
                decay_ms=120,
                release_ms=70,
            ),
            -2,
            0,
        ),
    ),
)


def tonic_near(frequency_hz: float, sheet: Sheet) -> float:
    """The tonic nearest to a frequency on which a kick can land, Hz."""
    first = note_hz(pitch_class(sheet.tonic), sheet.a4_hz)
    octaves = [first * 2**k for k in range(12)]
    allowed = [hz for hz in octaves if LOWEST_HZ <= hz <= HIGHEST_HZ]
    return float(min(allowed, key=lambda hz: abs(math.log2(hz / frequency_hz))))


@lru_cache(maxsize=64)
def measured_start(start: Start, sheet: Sheet) -> MeasuredStart:
    """A starting point on the track's tonic, and what it measures (pure, remembered, bounded)."""
    rate, hit = sheet.sample_rate, start.hit
    tried: list[tuple[float, int, Hit, Samples, Landing]] = []
    for turn in range(ROUNDS):
        audio = render_hit(hit, sample_rate=rate).audio
        landing = measure_landing(audio, sample_rate=rate)
        if landing.landing_hz is None:
            tried.append((math.inf, turn, hit, audio, landing))
            break
        wanted = tonic_near(landing.landing_hz, sheet)
        off = abs(cents_between(wanted, landing.landing_hz))
        tried.append((off, turn, hit, audio, landing))
        if off < LANDED_CENTS:
            break
        hit = retuned(hit, landing.landing_hz, wanted)
    # A loose kick does not follow cent by cent: the round that came nearest counts.
    _, _, hit, audio, landing = min(tried, key=lambda one: one[:2])
    note = None
    if landing.landing_hz is not None:
        number, _ = nearest_note(landing.landing_hz, sheet.a4_hz)
        note = spelled(number, sheet.tonic, sheet.scale, sheet.middle_c)
    length_ms, zones = measure_timing(audio, sample_rate=rate).length_ms, zones_db(audio, sample_rate=rate)
    return MeasuredStart(
        start.name,
        start.help,
        hit,
        landing.landing_hz,
        note,
        landing.verdict,
        length_ms,
        None if length_ms is None else length_ms / beat_ms(sheet.bpm),
        zones,
        max(zones, key=lambda name: -math.inf if (level := zones[name]) is None else level),
    )


def measured_starts(sheet: Sheet) -> list[MeasuredStart]:
    """Every starting point in tune with a sheet."""
    return [measured_start(start, sheet) for start in STARTS]

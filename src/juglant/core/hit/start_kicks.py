"""Kicks to start from: names of our own, common practice as ranges.

Common practice (brief): decay 150-250 ms and release 50-150 ms; a 24 dB/octave low-pass at 80-120 Hz that opens with the
hit; about two octaves of pitch drop over 80-180 ms for a loose kick, far less time for a tight one; half a beat long
where a kick is on every beat, up to about 700 ms where the kick is the bass. Recorded kicks have 14 to 43 dB less above
2 kHz than in all, from the beater (docs, starting points). What each turned out to be is measured.
"""

from __future__ import annotations

from juglant.core.hit.start import Family, Start, layered
from juglant.core.model.hit import Hit
from juglant.core.synth.beater import Beater
from juglant.core.synth.registry import AnyEngine
from juglant.core.synth.skins import Skins
from juglant.core.synth.sweep import Sweep
from juglant.core.synth.tail import Tail


def _kick(family: Family, name: str, text: str, **layers: tuple[AnyEngine, float, float]) -> Start:
    """A start from its layers: source, level in dB, offset in ms."""
    return Start("kick", name, text, Hit(layers=layered(**layers)), family)


KICKS: tuple[Start, ...] = (
    _kick("house", "Quay", "Round and warm, opens with the hit",
        beater=(
            Beater(
                colour_db_per_octave=-1, high_pass_hz=1600, low_pass_hz=9000, decay_ms=7, blip_db=-18, knock_hz=1900,
                knock_ms=8, knock_db=-6,
            ),
            -6, 0,
        ),
        body=(
            Sweep(
                landing_hz=52, start_semitones=24, sweep_ms=90, shape=0.2, hold_ms=15, decay_ms=170, release_ms=80,
                low_pass_hz=110, low_pass_open_octaves=4, low_pass_close_ms=45, drive_db=3,
            ),
            -1, 0,
        ),
    ),
    _kick("techno", "Rivet", "Short and tight, mostly knock",
        beater=(
            Beater(
                colour_db_per_octave=0.5, high_pass_hz=2500, low_pass_hz=12000, decay_ms=5, blip_hz=240, knock_hz=2400,
                knock_ms=6, knock_db=-10,
            ),
            -7, 0,
        ),
        body=(
            Sweep(landing_hz=60, start_semitones=36, sweep_ms=28, hold_ms=8, decay_ms=105, release_ms=55, drive_db=6),
            -1, 0,
        ),
    ),
    _kick("deep", "Dredger", "The kick is the bass: a long tuned tail",
        beater=(
            Beater(high_pass_hz=1200, low_pass_hz=7000, decay_ms=9, blip_db=-14, knock_hz=1500, knock_db=-8), -5, 0,
        ),
        body=(
            Sweep(landing_hz=46, start_semitones=30, sweep_ms=70, hold_ms=20, decay_ms=180, release_ms=90, drive_db=5),
            -2, 0,
        ),
        tail=(Tail(landing_hz=46, attack_ms=40, hold_ms=180, decay_ms=420, release_ms=140, drive_db=6), -4, 4),
    ),
    _kick("deep", "Hawser", "A beat and a half of tuned tail, two octaves down to it, an octave above for small systems",
        beater=(
            Beater(high_pass_hz=1300, low_pass_hz=8000, decay_ms=7, blip_db=-24, knock_hz=1700, knock_ms=7, knock_db=-6),
            -6, 0,
        ),
        body=(
            Sweep(landing_hz=46, start_semitones=24, sweep_ms=60, hold_ms=25, decay_ms=220, release_ms=110, drive_db=4),
            -3, 0,
        ),
        tail=(
            Tail(
                landing_hz=46, attack_ms=25, hold_ms=420, decay_ms=560, release_ms=160, bright_db=-16, bright_ms=70,
                drive_db=5,
            ),
            -4, 3,
        ),
        upper=(Tail(landing_hz=92, attack_ms=12, hold_ms=160, decay_ms=420, release_ms=140, drive_db=3), -13, 3),
    ),
    _kick("hard", "Breakwater", "Hard and saturated, for fast tempos",
        beater=(
            Beater(colour_db_per_octave=1, high_pass_hz=1800, low_pass_hz=14000, decay_ms=11, blip_db=-10), -8, 0,
        ),
        body=(
            Sweep(
                landing_hz=50, start_semitones=40, sweep_ms=75, curve=0.8, shape=0.4, hold_ms=30, decay_ms=150,
                release_ms=60, drive_db=18,
            ),
            -3, 0,
        ),
    ),
    _kick("deep", "Lantern", "Loose and deep, two octaves of slow drop",
        beater=(
            Beater(
                colour_db_per_octave=-3, high_pass_hz=900, low_pass_hz=5000, decay_ms=12, blip_db=-12, knock_hz=1200,
                knock_ms=12, knock_db=-8,
            ),
            -5, 0,
        ),
        body=(
            Sweep(landing_hz=48, start_semitones=24, sweep_ms=120, hold_ms=25, decay_ms=240, release_ms=130, drive_db=2),
            -1, 0,
        ),
        tail=(Tail(landing_hz=48, attack_ms=70, hold_ms=30, decay_ms=200, release_ms=110), -7, 6),
    ),
    _kick("minimal", "Pebble", "Light, soft attack, little sub",
        beater=(
            Beater(
                colour_db_per_octave=-2, high_pass_hz=1100, low_pass_hz=6500, decay_ms=6, blip_hz=320, blip_db=-8,
                knock_hz=1700, knock_ms=5, knock_db=-10,
            ),
            -7, 0,
        ),
        body=(
            Sweep(
                landing_hz=66, start_semitones=12, sweep_ms=35, shape=0.6, attack_ms=2, hold_ms=14, decay_ms=130,
                release_ms=70, drive_db=5,
            ),
            -2, 0,
        ),
    ),
    _kick("acoustic", "Stave", "A drum and a felt beater, damped by hand",
        beater=(
            Beater(
                colour_db_per_octave=-3, high_pass_hz=700, low_pass_hz=5000, decay_ms=14, blip_db=-60, knock_hz=900,
                knock_ms=14, knock_db=-6, seed=4,
            ),
            -11, 0,
        ),
        skins=(
            Skins(
                landing_hz=56, apart_semitones=5, ring_ms=380, second_ring_ms=260, second_db=-14, damping=2.4, place=0,
                stiffness=0, strength=0.9, drop_semitones=2, drop_ms=60, heard_by="velocity", shell_cm=40, drive_db=9,
                limit_db=12,
            ),
            0, 0,
        ),
    ),
    _kick("acoustic", "Cooper", "A drum, a hard beater, a hole in the front",
        beater=(
            Beater(
                colour_db_per_octave=0, high_pass_hz=2000, low_pass_hz=10000, decay_ms=5, blip_db=-60, knock_hz=2800,
                knock_ms=6, knock_db=-2, seed=11,
            ),
            -8, 0,
        ),
        skins=(
            Skins(
                landing_hz=60, apart_semitones=9, ring_ms=340, second_ring_ms=200, second_db=-20, damping=2.2, place=0,
                stiffness=0.2, strength=1, drop_semitones=3, drop_ms=40, heard_by="velocity", shell_cm=40, drive_db=12,
                limit_db=14,
            ),
            0, 0,
        ),
    ),
    _kick("hard", "Anvil", "A square edge on a short fall",
        beater=(
            Beater(high_pass_hz=1400, low_pass_hz=15000, decay_ms=16, blip_db=-20, knock_hz=1300, knock_ms=20, knock_db=0),
            -6, 0,
        ),
        body=(
            Sweep(
                landing_hz=58, start_semitones=30, sweep_ms=45, curve=1.3, shape=1.2, hold_ms=40, decay_ms=110,
                release_ms=40, low_pass_hz=900, low_pass_slope_db=12, drive_db=24,
            ),
            -4, 0,
        ),
    ),
    _kick("broken", "Fender", "An octave above its note for a moment, then down",
        beater=(
            Beater(
                high_pass_hz=2200, low_pass_hz=11000, decay_ms=6, blip_hz=420, blip_db=-14, knock_hz=2100, knock_ms=7,
                knock_db=-8,
            ),
            -6, 0,
        ),
        body=(
            Sweep(
                landing_hz=55, start_semitones=12, sweep_ms=60, curve=1.8, shape=0.1, hold_ms=25, decay_ms=140,
                release_ms=70, drive_db=8,
            ),
            -1, 0,
        ),
    ),
)  # fmt: skip

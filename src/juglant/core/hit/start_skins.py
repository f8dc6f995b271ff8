"""Snares and toms to start from: names of our own, each measured and held against recorded ones.

Common practice (brief): a snare's tone one or two octaves above the kick, its noise above; skins within an octave of each
other; stroke strength about 70 % to the stick's level. Recorded (docs, starting points): a tom rings one to four seconds
and has -12 to -50 dB above 2 kHz, all of it from the stick; a snare's wires outlast its tone.
"""

from __future__ import annotations

from juglant.core.chain.reverb import Reverb
from juglant.core.chain.saturate import Saturate
from juglant.core.hit.start import ALIKE, STRUCK, Start, layered, start, with_chain
from juglant.core.model.hit import Hit
from juglant.core.synth.beater import Beater
from juglant.core.synth.fm import Fm
from juglant.core.synth.skins import Skins
from juglant.core.synth.snare import Snare
from juglant.core.synth.sweep import Sweep


def _gangway() -> Start:
    skins = Skins(
        landing_hz=185, apart_semitones=7, ring_ms=320, second_ring_ms=420, damping=0.8, heard_by="velocity", shell_cm=14,
        stick_db=-16, stick_hz=4200, second_db=-8, wires_db=-13, wires_hz=1400, wires_ms=150, stiffness=0.7, place=0.3,
        drop_semitones=1.5, drive_db=2, limit_db=4, seed=3,
    )  # fmt: skip
    return start("snare", "acoustic", "Gangway", "Two skins and wires, played with a stick", STRUCK, skins=(skins, 0, 0))


def _halfdeck() -> Start:
    skins = Skins(
        landing_hz=147, apart_semitones=9, ring_ms=460, second_ring_ms=520, damping=0.7, heard_by="velocity", shell_cm=18,
        stick_db=-22, stick_hz=3200, second_db=-6, wires_db=-11, wires_hz=1000, wires_ms=240, stiffness=0.55, place=0.2,
        drop_semitones=2, seed=9,
    )  # fmt: skip
    return start("snare", "acoustic", "Halfdeck", "Deep shell, long wires, lazy", STRUCK, skins=(skins, 0, 0))


def _yard() -> Start:
    """A tight snare and a large room, shut early."""
    layers = layered(snare=(Snare(landing_hz=165, tone_ms=70, noise_ms=190, noise_db=-6, high_pass_hz=700, seed=5), -1, 0))
    layers = with_chain(layers, "snare", Reverb(ring_ms=900, level_db=-9, low_cut_hz=300, wide=True))
    return Start("snare", "Yard", "A large room around it, wide", Hit(layers=layers, velocity=ALIKE), "hard")


SNARES: tuple[Start, ...] = (
    _gangway(),
    _halfdeck(),
    start("snare", "techno", "Shutter", "Tight tone and noise", ALIKE, synthetic=True, snare=(
        Snare(tone_ms=70, noise_ms=120, drive_db=5, high_pass_hz=1200, noise_db=-8), -1, 0,
    )),
    start("snare", "house", "Sailcloth", "Long noise over a low tone", ALIKE, snare=(
        Snare(landing_hz=140, tone_ms=110, noise_ms=330, high_pass_hz=900, noise_attack_ms=1.5, noise_db=-6, seed=7), -1, 0,
    )),
    start("snare", "minimal", "Cleat", "A dry knock with little noise", ALIKE, synthetic=True,
        snare=(Snare(landing_hz=220, start_semitones=19, tone_ms=60, noise_ms=110, noise_db=-13, seed=3), -1, 0),
        knock=(Fm(landing_hz=440, ratio=1.4, index=2, decay_ms=40, release_ms=60, band_hz=1000, band_octaves=2), -9, 0),
    ),
    _yard(),
)  # fmt: skip


def _hull() -> Start:
    layers = layered(
        skins=(
            Skins(
                landing_hz=82, ring_ms=2600, second_ring_ms=2000, apart_semitones=4, stiffness=0.35, drop_semitones=2.5,
                drop_ms=120, damping=1.3, heard_by="velocity", shell_cm=40, stick_db=-24, stick_hz=2400, second_db=-8,
                place=0.2,
            ),
            -1,
            0,
        ),
    )  # fmt: skip
    layers = with_chain(layers, "skins", Saturate(curve="soft", drive_db=6, from_hz=120, to_hz=300))
    return Start("tom", "Hull", "Deep, its middle saturated alone", Hit(layers=layers, velocity=STRUCK), "acoustic")


def _tom(landing_hz: float, ring_ms: float, stiffness: float, stick_db: float, **more: float) -> Skins:
    return Skins.model_validate(
        {
            "landing_hz": landing_hz, "ring_ms": ring_ms, "second_ring_ms": 0.75 * ring_ms, "stiffness": stiffness,
            "stick_db": stick_db, "heard_by": "velocity", "damping": 1, "drop_semitones": 1.5, "drop_ms": 90,
            "second_db": -9, "shell_cm": 30,
        }
        | more
    )  # fmt: skip


TOMS: tuple[Start, ...] = (
    start("tom", "acoustic", "Barrel", "Round, soft mallet", STRUCK, skins=(
        _tom(110, 2200, 0.25, -24, stick_hz=2200, apart_semitones=3, damping=1.3, place=0.2), 3, 0,
    )),
    _hull(),
    start("tom", "acoustic", "Keelson", "High, hard stick", STRUCK, skins=(
        _tom(175, 1700, 0.6, -22, place=0.25, apart_semitones=5, stick_hz=4000, damping=2.2), 3, 0,
    )),
    start("tom", "house", "Tumbrel", "Damped and short, tuned to sit with a line", STRUCK, skins=(
        _tom(131, 1000, 0.4, -26, second_db=-20, damping=1.8, drop_semitones=4, drop_ms=50, place=0.15, limit_db=8), 3, 0,
    )),
    start("tom", "techno", "Bollard", "A swept tone with a knock", ALIKE, synthetic=True,
        body=(
            Sweep(landing_hz=110, start_semitones=14, sweep_ms=55, decay_ms=260, release_ms=140, shape=0.3, drive_db=4),
            -1, 0,
        ),
        knock=(
            Beater(high_pass_hz=1200, low_pass_hz=7000, decay_ms=7, blip_hz=300, blip_db=-10, knock_hz=1500, knock_db=-4),
            -14, 0,
        ),
    ),
    start("tom", "broken", "Gourd", "A hand on a small skin, high and open", STRUCK, skins=(
        _tom(233, 1300, 0.35, -24, second_db=-60, damping=1.5, place=0.4, drop_semitones=1, stick_hz=2600), 3, 0,
    )),
)  # fmt: skip

"""Every other hit to start from: names of our own, common practice as ranges, each measured.

Common practice (brief): a snare's tone one or two octaves above the kick, its noise above; a clap's strongest band at
1-2 kHz, a snare's below it; hats live above 5 kHz; skins within an octave of each other and ringing under a second; drum
reverb under a second; stroke strength about 70 % to the stick's level.
"""

from __future__ import annotations

from juglant.core.chain.reverb import Reverb
from juglant.core.chain.saturate import Saturate
from juglant.core.hit.start import Start, layered, with_chain
from juglant.core.model.hit import Hit
from juglant.core.model.ids import Role
from juglant.core.model.velocity import Velocity, VelocityMap
from juglant.core.synth.beater import Beater
from juglant.core.synth.chord import Chord
from juglant.core.synth.clap import Clap
from juglant.core.synth.fm import Fm
from juglant.core.synth.metal import Metal
from juglant.core.synth.registry import AnyEngine
from juglant.core.synth.rumble import Rumble
from juglant.core.synth.skins import Skins
from juglant.core.synth.snare import Snare
from juglant.core.synth.sweep import Sweep

# A soft stroke is a softer stick too, and rings shorter (skins: strength); the level comes from the map alone.
STRUCK = Velocity(
    range_db=6,
    darker_octaves=1,
    softer_ms=1,
    maps=(
        VelocityMap(layer_id="skins", parameter="strength", soft=0.2),
        VelocityMap(layer_id="skins", parameter="stiffness", soft=0.25),
    ),
)
OPENING = Velocity(range_db=20, darker_octaves=1.2, softer_ms=1, robins=4, robin_db=1.2, robin_cents=15)
ALIKE = Velocity(range_db=18, darker_octaves=1.5, softer_ms=1, robins=3, robin_db=1, robin_cents=12)


def _hit(role: Role, name: str, text: str, velocity: Velocity, **layers: tuple[AnyEngine, float, float]) -> Start:
    return Start(role, name, text, Hit(layers=layered(**layers), velocity=velocity))


def _huddle() -> Start:
    """Two different claps, one on each side: wide, and both still there in mono."""
    layers = layered(
        left=(Clap(bursts=4, spacing_ms=8, seed=11), -3, 0), right=(Clap(bursts=3, spacing_ms=11, seed=23), -3, 2)
    )
    layers = with_chain(with_chain(layers, "left", pan_pct=-80), "right", pan_pct=80)
    return Start(
        "clap", "Huddle", "Two different claps, wide, and both still there in mono", Hit(layers=layers, velocity=ALIKE)
    )


def _gangway() -> Start:
    layers = layered(
        skins=(
            Skins(
                landing_hz=185, apart_semitones=7, ring_ms=220, second_ring_ms=260, wires_db=-3, wires_ms=120,
                stiffness=0.75, place=0.35, drop_semitones=2, drive_db=3, limit_db=3,
            ),
            -1,
            0,
        ),
        crack=(Beater(colour_db_per_octave=1, high_pass_hz=2500, low_pass_hz=14000, decay_ms=9, blip_db=-60), -13, 0),
    )  # fmt: skip
    return Start("snare", "Gangway", "Two skins and wires, played with a stick", Hit(layers=layers, velocity=STRUCK))


def _gallery() -> Start:
    layers = layered(clap=(Clap(bursts=5, spacing_ms=10, tail_ms=200, centre_hz=1300, seed=5), -2, 0))
    layers = with_chain(layers, "clap", Reverb(ring_ms=700, level_db=-12, low_cut_hz=400, wide=True))
    return Start("clap", "Gallery", "A large room behind it, wide", Hit(layers=layers, velocity=ALIKE))


def _hull() -> Start:
    layers = layered(
        skins=(
            Skins(landing_hz=98, ring_ms=700, second_ring_ms=520, apart_semitones=4, stiffness=0.35, drop_semitones=5),
            -1,
            0,
        ),
        thud=(Sweep(landing_hz=98, start_semitones=12, sweep_ms=40, decay_ms=180, release_ms=90), -6, 0),
    )
    layers = with_chain(layers, "skins", Saturate(curve="soft", drive_db=6, from_hz=120, to_hz=300))
    return Start("tom", "Hull", "Deep, its middle saturated alone", Hit(layers=layers, velocity=STRUCK))


DRUMS: tuple[Start, ...] = (
    _gangway(),
    _hit("snare", "Shutter", "Tight tone and noise", ALIKE, snare=(Snare(tone_ms=60, noise_ms=70, drive_db=6), -1, 0)),
    _hit(
        "snare", "Sailcloth", "Long noise over a low tone", ALIKE,
        snare=(Snare(landing_hz=140, tone_ms=120, noise_ms=260, high_pass_hz=700, noise_attack_ms=1.5, seed=7), -1, 0),
    ),
    _hit(
        "snare", "Cleat", "A dry knock with little noise", ALIKE,
        snare=(Snare(landing_hz=220, start_semitones=19, tone_ms=45, noise_ms=45, noise_db=-9, seed=3), -1, 0),
        knock=(Fm(landing_hz=440, ratio=1.4, index=2, decay_ms=30, release_ms=40, band_hz=1000, band_octaves=2), -9, 0),
    ),
    _hit("clap", "Mooring", "Four hands in a small room", ALIKE, clap=(Clap(), -1, 0)),
    _huddle(),
    _hit("clap", "Slip", "Two hands, very tight", ALIKE, clap=(
        Clap(bursts=2, spacing_ms=5, burst_ms=4, tail_ms=60, centre_hz=1300, width_octaves=1, room_db=-60, seed=2), -1, 0,
    )),
    _gallery(),
    _hit("hat", "Tinder", "Closed and dry", OPENING, ring=(Metal(open=0.08), 4, 0)),
    _hit("hat", "Needle", "Thin, mostly ring", OPENING, ring=(
        Metal(base_hz=620, oscillators=4, open=0.05, noise_db=-24, high_pass_hz=8500), 4, 0,
    )),
    _hit("hat", "Sleet", "Soft, mostly noise", OPENING, ring=(
        Metal(open=0.16, ring_db=-15, noise_db=-3, noise_hz=7500), 4, 0,
    )),
    _hit("hat", "Filings", "Dirty and low, half open", OPENING, ring=(
        Metal(base_hz=310, open=0.34, high_pass_hz=5500, apart=1.4, noise_db=-14, seed=4), 4, 0,
    )),
    _hit("open hat", "Halyard", "Open, rings for half a second", OPENING, ring=(Metal(open=0.72), 4, 0)),
    _hit("open hat", "Spray", "Open, mostly noise", OPENING, ring=(Metal(open=0.64, ring_db=-12, noise_db=-3), 4, 0)),
    _hit("open hat", "Brine", "Half open, tight", OPENING, ring=(Metal(open=0.5, base_hz=480), 4, 0)),
    _hit("open hat", "Squall", "Long, rough and low", OPENING, ring=(
        Metal(open=0.86, base_hz=290, high_pass_hz=5200, apart=1.6), 4, 0,
    )),
    _hit("tom", "Barrel", "Round, soft mallet", STRUCK, skins=(Skins(landing_hz=123, stiffness=0.25, ring_ms=520), 5, 0)),
    _hull(),
    _hit("tom", "Keelson", "High and short, hard stick", STRUCK, skins=(
        Skins(landing_hz=196, ring_ms=380, second_ring_ms=200, second_db=-12, stiffness=0.8, drop_semitones=2, place=0.35),
        5, 0,
    )),
    _hit("tom", "Bollard", "A swept tone with a knock", ALIKE,
        body=(
            Sweep(landing_hz=110, start_semitones=14, sweep_ms=55, decay_ms=220, release_ms=110, shape=0.3, drive_db=4),
            -1, 0,
        ),
        knock=(Beater(high_pass_hz=1200, low_pass_hz=6000, decay_ms=6, blip_hz=300, blip_db=-10), -14, 0),
    ),
    _hit("rumble", "Undertow", "Even and dark, a room under the gaps", ALIKE, rumble=(Rumble(), -3, 0)),
    _hit("rumble", "Swell", "Rises after the kick, long room", ALIKE, rumble=(
        Rumble(room_pct=95, ring_ms=1400, take_ms=90, fade_db=0, gap_ms=45, drive_db=12), -3, 0,
    )),
    _hit("rumble", "Gravel", "Saturated, with an octave above for small systems", ALIKE, rumble=(
        Rumble(room_pct=45, drive_db=18, low_pass_hz=170, upper_db=-14, take_ms=110, fade_db=1.5), -3, 0,
    )),
    _hit("rumble", "Keel", "Tight repeats, hardly a room, mono", ALIKE, rumble=(
        Rumble(room_pct=20, ring_ms=250, take_ms=90, fade_db=2, upper_db=-40, gap_ms=60), -3, 0,
    )),
    _hit("percussion", "Marble", "A small bell-like knock", ALIKE, knock=(
        Fm(landing_hz=466, ratio=1.41, index=1.5, decay_ms=90, release_ms=110), -2, 0,
    )),
    _hit("percussion", "Rowlock", "Wooden and dry", ALIKE, knock=(
        Fm(landing_hz=350, ratio=2.4, index=3, index_ms=15, decay_ms=45, release_ms=50, band_hz=1000, band_octaves=2.5),
        -2, 0,
    )),
    _hit("percussion", "Bottle", "Hollow, falls as it rings", ALIKE, knock=(
        Fm(landing_hz=233, ratio=0.5, index=2, drop_semitones=5, drop_ms=60, decay_ms=130, release_ms=120), -2, 0,
    )),
    _hit("chord", "Estuary", "A wide held chord that swells in", ALIKE, chord=(
        Chord(attack_ms=120, hold_ms=1400, decay_ms=600, release_ms=400, filter_hz=1200), -4, 0,
    )),
    _hit("chord", "Fathom", "A dark open fifth that hangs", ALIKE, chord=(
        Chord(attack_ms=300, hold_ms=1000, decay_ms=900, release_ms=500, filter_hz=600, chord="fifth"), -3, 0,
    )),
    _hit("chord", "Skiff", "A seventh, plucked", ALIKE, chord=(
        Chord(attack_ms=2, hold_ms=20, decay_ms=260, release_ms=200, filter_hz=1600, chord="minor seventh"), -3, 0,
    )),
    _hit("chord", "Signal", "A short bright stab", ALIKE, chord=(
        Chord(attack_ms=3, hold_ms=60, decay_ms=140, release_ms=120, filter_hz=2600, detune_cents=8), -3, 0,
    )),
    _hit("percussion", "Cork", "A short pop with a breath", ALIKE,
        knock=(Fm(landing_hz=290, ratio=1, index=1, drop_semitones=14, drop_ms=18, decay_ms=40, release_ms=40), -2, 0),
        breath=(Beater(high_pass_hz=3000, low_pass_hz=12000, decay_ms=25, blip_db=-60), -18, 2),
    ),
)  # fmt: skip

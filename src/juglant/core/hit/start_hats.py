"""Claps, hats and cymbals to start from: names of our own, each measured and held against recorded ones.

Common practice (brief): a clap's strongest band at 1-2 kHz, its bursts 8-12 ms apart; hats live above 5 kHz. Recorded
(docs, starting points): a hat's mean frequency lies at 3-9 kHz and it falls in a fifth to half a second.
"""

from __future__ import annotations

from juglant.core.chain.reverb import Reverb
from juglant.core.hit.start import ALIKE, OPENING, Start, layered, start, with_chain
from juglant.core.model.hit import Hit
from juglant.core.synth.beater import Beater
from juglant.core.synth.clap import Clap
from juglant.core.synth.metal import Metal


def _huddle() -> Start:
    """Two different claps, one on each side: wide, and both still there in mono."""
    layers = layered(
        left=(Clap(bursts=4, spacing_ms=8, tail_ms=70, centre_hz=1350, width_octaves=2.1, seed=11), -3, 0),
        right=(Clap(bursts=3, spacing_ms=11, tail_ms=80, centre_hz=1350, width_octaves=2.1, seed=23), -3, 2),
    )
    layers = with_chain(with_chain(layers, "left", pan_pct=-80), "right", pan_pct=80)
    hit = Hit(layers=layers, velocity=ALIKE)
    return Start("clap", "Huddle", "Two different claps, wide, and both still there in mono", hit, "house")


def _gallery() -> Start:
    layers = layered(clap=(Clap(bursts=5, spacing_ms=10, tail_ms=120, centre_hz=1300, seed=5), -2, 0))
    layers = with_chain(layers, "clap", Reverb(ring_ms=700, level_db=-12, low_cut_hz=400, wide=True))
    return Start("clap", "Gallery", "A large room behind it, wide", Hit(layers=layers, velocity=ALIKE), "deep", True)


CLAPS: tuple[Start, ...] = (
    start("clap", "techno", "Mooring", "Four hands in a small room", ALIKE, clap=(
        Clap(tail_ms=85, room_ms=200, centre_hz=1200, width_octaves=1.1), -1, 0,
    )),
    _huddle(),
    start("clap", "minimal", "Slip", "Two hands, very tight", ALIKE, synthetic=True, clap=(
        Clap(
            bursts=2, spacing_ms=6, burst_ms=3, tail_ms=40, centre_hz=1500, width_octaves=0.9, room_db=-60, spread_pct=0,
            seed=2,
        ),
        -1, 0,
    )),
    _gallery(),
    start("clap", "house", "Quorum", "A dozen hands, loosely together", ALIKE, clap=(
        Clap(
            bursts=12, spacing_ms=4, spread_pct=60, burst_ms=9, tail_ms=105, tail_db=-6, centre_hz=1040, width_octaves=2.6,
            room_ms=180, room_db=-20, seed=33,
        ),
        -1, 0,
    )),
    start("clap", "hard", "Planking", "Wide band, hard and close", ALIKE, clap=(
        Clap(
            bursts=3, spacing_ms=12, spread_pct=5, burst_ms=5, tail_ms=48, tail_db=0, centre_hz=1700, width_octaves=2.6,
            room_db=-30, room_ms=120, seed=8,
        ),
        -1, 0,
    )),
)  # fmt: skip

HATS: tuple[Start, ...] = (
    start("hat", "house", "Tinder", "Closed and dry", OPENING, ring=(
        Metal(
            base_hz=380, open=0.26, high_pass_hz=4200, noise_hz=4500, noise_db=-6, ring_db=0, tilt_db_per_octave=-5,
            wash_db=-14, wash_ms=150,
        ),
        4, 0,
    )),
    start("hat", "minimal", "Needle", "Thin, mostly ring", OPENING, ring=(
        Metal(
            base_hz=620, oscillators=4, open=0.34, noise_db=-22, ring_db=0, high_pass_hz=6500, tilt_db_per_octave=-3,
            wash_db=-16, wash_ms=130,
        ),
        4, 0,
    )),
    start("hat", "deep", "Sleet", "Soft, mostly noise", OPENING, ring=(
        Metal(
            open=0.34, ring_db=-12, noise_db=0, noise_hz=3800, high_pass_hz=4000, tilt_db_per_octave=-6, attack_ms=1.5,
            wash_db=-14, wash_ms=140,
        ),
        4, 0,
    )),
    start("hat", "techno", "Filings", "Dirty and low", OPENING, ring=(
        Metal(
            base_hz=270, open=0.32, high_pass_hz=3500, apart=1.4, noise_db=-10, ring_db=0, noise_hz=4500,
            tilt_db_per_octave=-6, wash_db=-12, wash_ms=130, seed=4,
        ),
        4, 0,
    )),
    start("hat", "acoustic", "Foot", "Shut by the foot: two plates, no stick", OPENING, ring=(
        Metal(
            base_hz=330, open=0.46, high_pass_hz=3500, noise_hz=3300, noise_db=0, ring_db=-2, tilt_db_per_octave=-7,
            attack_ms=4, wash_db=-18, wash_ms=150, seed=6,
        ),
        4, 0,
    )),
    start("hat", "acoustic", "Tally", "A stick on closed plates", OPENING,
        ring=(
            Metal(
                base_hz=460, open=0.24, high_pass_hz=4600, noise_hz=4200, noise_db=-8, ring_db=0, tilt_db_per_octave=-6,
                wash_db=-7, wash_ms=190, seed=12,
            ),
            2, 0,
        ),
        stick=(Beater(high_pass_hz=3000, low_pass_hz=9000, decay_ms=4, blip_db=-60, knock_hz=4200, knock_db=-2), 0, 0),
    ),
)  # fmt: skip

OPEN_HATS: tuple[Start, ...] = (
    start("open hat", "house", "Halyard", "Open, rings for half a second", OPENING, ring=(
        Metal(
            base_hz=380, open=0.6, high_pass_hz=4000, noise_hz=4500, tilt_db_per_octave=-5, wash_db=-10, wash_ms=620,
        ),
        4, 0,
    )),
    start("open hat", "deep", "Spray", "Open, mostly noise", OPENING, ring=(
        Metal(
            open=0.62, ring_db=-12, noise_db=-3, noise_hz=3800, high_pass_hz=4000, tilt_db_per_octave=-5, wash_db=-14,
            wash_ms=500,
        ),
        4, 0,
    )),
    start("open hat", "minimal", "Brine", "Half open, tight", OPENING, ring=(
        Metal(
            open=0.46, base_hz=480, high_pass_hz=4800, noise_hz=5200, tilt_db_per_octave=-4, wash_db=-12, wash_ms=260,
        ),
        4, 0,
    )),
    start("open hat", "techno", "Squall", "Long, rough and low", OPENING, ring=(
        Metal(
            open=0.78, base_hz=290, high_pass_hz=3600, apart=1.6, tilt_db_per_octave=-6, wash_db=-8, wash_ms=1000,
            noise_hz=4200,
        ),
        4, 0,
    )),
    start("open hat", "acoustic", "Sheer", "Half-open plates that sizzle against each other", OPENING,
        ring=(
            Metal(
                base_hz=340, open=0.5, high_pass_hz=3500, noise_hz=4000, noise_db=-7, tilt_db_per_octave=-6, wash_db=-6,
                wash_ms=420, seed=12,
            ),
            2, 0,
        ),
        stick=(Beater(high_pass_hz=3000, low_pass_hz=9000, decay_ms=5, blip_db=-60, knock_hz=3200, knock_db=-8), -8, 0),
    ),
    start("open hat", "acoustic", "Carillon", "A ride: the stick's ping over a long wash", OPENING,
        ring=(
            Metal(
                base_hz=240, open=0.5, high_pass_hz=3000, noise_hz=5000, noise_db=-18, ring_db=0, tilt_db_per_octave=-6,
                apart=1.2, wash_db=-16, wash_ms=1800, seed=21,
            ),
            2, 0,
        ),
        ping=(Beater(high_pass_hz=4000, low_pass_hz=9000, decay_ms=5, blip_db=-60, knock_hz=3900, knock_ms=60, knock_db=-3),
            -4, 0),
    ),
    start("open hat", "hard", "Breaker", "A crash: bright at once, long behind", OPENING, ring=(
        Metal(
            base_hz=210, open=0.7, high_pass_hz=2500, noise_hz=3000, noise_db=-4, ring_db=-6, tilt_db_per_octave=-5,
            attack_ms=2, apart=1.5, wash_db=-9, wash_ms=1600, seed=17,
        ),
        4, 0,
    )),
)  # fmt: skip

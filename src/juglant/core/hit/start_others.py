"""Rumbles, chords and percussion to start from: names of our own, common practice as ranges, each measured."""

from __future__ import annotations

from juglant.core.hit.start import ALIKE, STRUCK, Start, start
from juglant.core.synth.beater import Beater
from juglant.core.synth.chord import Chord
from juglant.core.synth.fm import Fm
from juglant.core.synth.metal import Metal
from juglant.core.synth.rumble import Rumble
from juglant.core.synth.skins import Skins

RUMBLES: tuple[Start, ...] = (
    start("rumble", "techno", "Undertow", "Even and dark, a room under the gaps", ALIKE, rumble=(
        Rumble(even_pct=100), -3, 0,
    )),
    start("rumble", "deep", "Swell", "Rises after the kick, long room", ALIKE, rumble=(
        Rumble(room_pct=95, ring_ms=1400, take_ms=90, fade_db=0, gap_ms=45, even_pct=60, drive_db=12, low_pass_hz=90),
        -3, 0,
    )),
    start("rumble", "hard", "Gravel", "Saturated, with an octave above for small systems", ALIKE, rumble=(
        Rumble(room_pct=45, drive_db=18, low_pass_hz=170, upper_db=-14, take_ms=110, even_pct=60, fade_db=1.5), -3, 0,
    )),
    start("rumble", "minimal", "Keel", "Tight repeats, hardly a room, mono", ALIKE, rumble=(
        Rumble(room_pct=20, ring_ms=250, take_ms=90, fade_db=2, even_pct=60, upper_db=-40, gap_ms=60), -3, 0,
    )),
    start("rumble", "broken", "Ballad", "Triplets against the beat", ALIKE, rumble=(
        Rumble(division="1/16 triplet", room_pct=40, ring_ms=400, take_ms=70, fade_db=0.5, upper_db=-11, gap_ms=40,
            even_pct=50, low_pass_hz=160),
        -3, 0,
    )),
    start("rumble", "house", "Lighter", "Wide above, mono below, two octaves up at its top", ALIKE, rumble=(
        Rumble(room_pct=75, ring_ms=900, width_pct=45, even_pct=85, upper_db=-10, upper_semitones=24,
            low_pass_hz=110, fade_db=0.5),
        -3, 0,
    )),
)  # fmt: skip

CHORDS: tuple[Start, ...] = (
    start("chord", "deep", "Estuary", "A wide held chord that swells in", ALIKE, chord=(
        Chord(attack_ms=120, hold_ms=1400, decay_ms=600, release_ms=400, filter_hz=1200), -4, 0,
    )),
    start("chord", "techno", "Fathom", "A dark open fifth that hangs", ALIKE, chord=(
        Chord(attack_ms=300, hold_ms=1000, decay_ms=900, release_ms=500, filter_hz=600, chord="fifth"), -3, 0,
    )),
    start("chord", "house", "Skiff", "A seventh, plucked", ALIKE, chord=(
        Chord(attack_ms=2, hold_ms=20, decay_ms=260, release_ms=200, filter_hz=1600, chord="minor seventh"), -3, 0,
    )),
    start("chord", "house", "Signal", "A short bright stab", ALIKE, chord=(
        Chord(attack_ms=3, hold_ms=60, decay_ms=140, release_ms=120, filter_hz=2600, detune_cents=8), -3, 0,
    )),
    start("chord", "minimal", "Lull", "A narrow triad that fades at once", ALIKE, chord=(
        Chord(attack_ms=10, hold_ms=60, decay_ms=420, release_ms=320, filter_hz=800, detune_cents=3), -3, 0,
    )),
    start("chord", "hard", "Klaxon", "Open fifths, bright and wide", ALIKE, chord=(
        Chord(attack_ms=1, hold_ms=160, decay_ms=220, release_ms=140, filter_hz=5000, detune_cents=34, chord="fifth"),
        -3, 0,
    )),
)  # fmt: skip

PERCUSSION: tuple[Start, ...] = (
    start("percussion", "minimal", "Marble", "A small bell-like knock", ALIKE, knock=(
        Fm(landing_hz=466, ratio=1.41, index=1.5, decay_ms=90, release_ms=110), -2, 0,
    )),
    start("percussion", "house", "Rowlock", "Wooden and dry", ALIKE, knock=(
        Fm(landing_hz=350, ratio=2.4, index=3, index_ms=15, decay_ms=45, release_ms=50, band_hz=1000, band_octaves=2.5),
        -2, 0,
    )),
    start("percussion", "deep", "Bottle", "Hollow, falls as it rings", ALIKE, knock=(
        Fm(landing_hz=233, ratio=0.5, index=2, drop_semitones=5, drop_ms=60, decay_ms=130, release_ms=120), -2, 0,
    )),
    start("percussion", "minimal", "Cork", "A short pop with a breath", ALIKE,
        knock=(Fm(landing_hz=290, ratio=1, index=1, drop_semitones=14, drop_ms=18, decay_ms=40, release_ms=40), -2, 0),
        breath=(Beater(high_pass_hz=3000, low_pass_hz=12000, decay_ms=25, blip_db=-60), -18, 2),
    ),
    start("percussion", "acoustic", "Calabash", "A conga: a hand near the rim of a long shell", STRUCK, skins=(
        Skins(
            landing_hz=208, ring_ms=650, second_db=-60, damping=0.7, stiffness=0.55, place=0.6, drop_semitones=0.5,
            heard_by="velocity", stick_db=-20, stick_hz=2200,
        ),
        2, 0,
    )),
    start("percussion", "house", "Grain", "A shaker: to and fro, no pitch", ALIKE, seeds=(
        Beater(high_pass_hz=4500, low_pass_hz=12000, decay_ms=55, colour_db_per_octave=-2, blip_db=-60), 0, 0,
    )),
    start("percussion", "techno", "Peg", "A rim: wood and edge at once", ALIKE,
        edge=(Beater(
            high_pass_hz=1500, low_pass_hz=9000, decay_ms=7, blip_db=-60, knock_hz=1650, knock_ms=14, knock_db=0,
        ), 0, 0),
        wood=(Fm(landing_hz=440, ratio=1.5, index=1, decay_ms=30, release_ms=40), -8, 0),
    ),
    start("percussion", "broken", "Chock", "A hollow block", ALIKE, block=(
        Fm(landing_hz=620, ratio=2.76, index=1.2, index_ms=12, decay_ms=55, release_ms=60, drop_semitones=0), -2, 0,
    )),
    start("percussion", "house", "Ferry", "A bell of bent metal, two tones", ALIKE,
        low=(Fm(landing_hz=540, ratio=2, index=1.2, decay_ms=170, release_ms=160, drop_semitones=0), -4, 0),
        high=(Fm(landing_hz=800, ratio=2, index=1.2, decay_ms=150, release_ms=140, drop_semitones=0), -5, 0),
    ),
    start("percussion", "broken", "Latch", "Keys in a tin: bright, short and uneven", ALIKE, tin=(
        Metal(
            base_hz=900, open=0.25, high_pass_hz=2500, noise_db=-20, tilt_db_per_octave=-5, apart=1.7, wash_db=-10,
            wash_ms=90, seed=19,
        ),
        4, 0,
    )),
    start("percussion", "deep", "Draft", "A breath: soft noise that comes and goes", ALIKE, breath=(
        Beater(high_pass_hz=600, low_pass_hz=4200, decay_ms=110, colour_db_per_octave=-3, blip_db=-60), 0, 0,
    )),
)  # fmt: skip

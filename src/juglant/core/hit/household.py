"""A stand-in for a microphone: a dozen things of a household, struck in a small room, and the room without them.

Made by the engines, so that the way from a recording to a hit can be walked, and tried, where there is no microphone. The
room, its hum and its hiss are this project's choice; they are what a plain room with a plain preamplifier may have.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from scipy import signal

from juglant.core.chain.reverb import Reverb
from juglant.core.errors import NoSuchPart
from juglant.core.hit.render import render_hit
from juglant.core.memory import newest
from juglant.core.model.hit import Hit, Layer
from juglant.core.model.velocity import Velocity
from juglant.core.signal.shift import resampled
from juglant.core.synth.beater import Beater
from juglant.core.synth.clap import Clap
from juglant.core.synth.fm import Fm
from juglant.core.synth.metal import Metal
from juglant.core.synth.registry import AnyEngine
from juglant.core.synth.skins import Skins
from juglant.core.synth.snare import Snare
from juglant.core.synth.sweep import Sweep
from juglant.core.types import Samples

RATE = 48000
# What reaches the microphone at full strength, peak; the room without anything: mains hum, its octave, hiss (rms).
STRUCK_DB, HUM_HZ, HUM_DB, HUM_OCTAVE_DB, HISS_DB = -6.0, 50.0, -62.0, -70.0, -74.0
# A whole number of periods of the hum, so that it goes on where it begins again.
ROOM_S = 4.0
# Its way through converters and buffers, to be measured and taken out.
LATENCY_MS = 23.0
SOFTEST_DB, DETUNED_CENTS = -30.0, 40.0
ROOM = Reverb(ring_ms=380, before_ms=4, low_cut_hz=90, high_cut_hz=6000, level_db=-20, seed=17)


@dataclass(frozen=True)
class Thing:
    """Something to strike, what it is like, and its sound: one engine or two with their levels, dB."""

    name: str
    help: str
    sounds: tuple[tuple[AnyEngine, float], ...]


THINGS: tuple[Thing, ...] = (
    Thing("Cushion", "a fist on a sofa: low and short", (
        (Sweep(landing_hz=61, start_semitones=9, sweep_ms=22, hold_ms=8, decay_ms=130, low_pass_hz=400), 0),
        (Beater(colour_db_per_octave=-4, high_pass_hz=200, low_pass_hz=2500, decay_ms=14, seed=3), -15),
    )),
    Thing("Mattress", "both hands flat: lower, longer", (
        (Sweep(landing_hz=47, start_semitones=7, sweep_ms=30, hold_ms=20, decay_ms=240, low_pass_hz=300), 0),
        (Beater(colour_db_per_octave=-5, high_pass_hz=150, low_pass_hz=1800, decay_ms=20, seed=8), -18),
    )),
    Thing("Cupboard door", "shut: a boxy thump with a click", (
        (Skins(landing_hz=94, ring_ms=260, second_ring_ms=180, damping=1.4, stick_db=-18, stick_hz=2600, seed=4), 0),
        (Beater(high_pass_hz=800, low_pass_hz=6000, decay_ms=9, seed=5), -12),
    )),
    Thing("Drawer", "pushed to: a knock and what lies in it", (
        (Skins(landing_hz=168, ring_ms=180, second_ring_ms=200, stick_db=-14, stick_hz=3000, wires_db=-12, wires_hz=1800,
               wires_ms=120, seed=6), 0),
        (Clap(bursts=4, spacing_ms=18, spread_pct=45, burst_ms=5, tail_ms=70, centre_hz=2600, seed=9), -9),
    )),
    Thing("Book", "dropped flat: a slap", (
        (Clap(bursts=2, spacing_ms=6, spread_pct=20, burst_ms=4, tail_ms=110, centre_hz=1300, width_octaves=2.5,
              seed=2), 0),
        (Sweep(landing_hz=120, start_semitones=5, sweep_ms=15, hold_ms=4, decay_ms=60), -8),
    )),
    Thing("Hands", "clapped once", (
        (Clap(bursts=3, spacing_ms=9, spread_pct=25, burst_ms=4, tail_ms=90, centre_hz=1600, seed=7), 0),
    )),
    Thing("Keys in a tin", "shaken once: high, flat, short", (
        (Metal(base_hz=720, apart=1.3, open=0.08, high_pass_hz=4500, noise_db=-6, wash_db=-20, seed=11), 0),
    )),
    Thing("Pan lid", "struck: high and long", (
        (Metal(base_hz=540, apart=1.2, open=0.6, high_pass_hz=3000, ring_db=0, noise_db=-14, seed=12), 0),
    )),
    Thing("Glass", "tapped with a pencil: one clear tone", (
        (Fm(landing_hz=880, ratio=2.76, index=0.8, index_ms=30, decay_ms=190, release_ms=200), 0),
        (Beater(high_pass_hz=3000, low_pass_hz=12000, decay_ms=4, seed=13), -14),
    )),
    Thing("Table", "knuckle on wood: a tuned knock", (
        (Fm(landing_hz=260, ratio=1.47, index=1.1, index_ms=12, decay_ms=45, release_ms=50), 0),
        (Beater(high_pass_hz=600, low_pass_hz=5000, decay_ms=6, seed=14), -10),
    )),
    Thing("Running water", "a jet against a sink: a burst of hiss", (
        (Snare(landing_hz=200, tone_db=-40, high_pass_hz=1200, low_pass_hz=11000, noise_attack_ms=12, noise_ms=420,
               noise_db=0, drive_db=0, seed=15), 0),
    )),
    Thing("Breath", "through the teeth: soft, high, without a start", (
        (Snare(landing_hz=200, tone_db=-40, high_pass_hz=3200, low_pass_hz=14000, noise_attack_ms=20, noise_ms=160,
               noise_db=0, drive_db=0, seed=16), 0),
    )),
)  # fmt: skip


@newest(48)
def _in_the_room(number: int, turn: int) -> Samples:
    """A thing struck, at full strength, with the room; `turn`: no two strikes are the same, (frames,) at 48 kHz."""
    random = np.random.default_rng([number, turn])
    layers = []
    for place, (engine, gain_db) in enumerate(THINGS[number].sounds):
        fields, changes = type(engine).model_fields, dict[str, float]()
        if "seed" in fields:
            changes["seed"] = (1 + 13 * turn + place) % 9999
        if "landing_hz" in fields:
            changes["landing_hz"] = engine.model_dump()["landing_hz"] * 2 ** (random.uniform(-1, 1) * DETUNED_CENTS / 1200)
        source = engine.model_copy(update=changes)
        layers.append(Layer(id=f"part-{place + 1}", name=f"Part {place + 1}", source=source, gain_db=gain_db))
    hit = Hit(layers=tuple(layers), velocity=Velocity(), bus=(ROOM,), bind=True)
    mono = render_hit(hit, sample_rate=RATE).mono
    return np.asarray(mono * (10 ** (STRUCK_DB / 20) / max(float(np.max(np.abs(mono))), 1e-9)))


def struck(number: int, strength: int, turn: int, *, sample_rate: int) -> Samples:
    """Thing `number` struck at a strength of 1 to 127, (frames,); softer is darker too. Raises NoSuchPart."""
    if not 0 <= number < len(THINGS):
        raise NoSuchPart(f"there are {len(THINGS)} things to strike, from 0 on; there is no {number}")
    sound = _in_the_room(number, turn)
    soft = 1 - strength / 127
    # One pole that closes by three octaves from 18 kHz: what is struck softly has less of a top.
    pole = np.exp(-2 * np.pi * 18000 * 2 ** (-3 * soft) / RATE)
    darker = _one_pole(sound, float(pole)) if soft > 0 else sound
    return np.asarray(resampled(darker[None, :] * 10 ** (SOFTEST_DB * soft / 20), RATE, sample_rate)[0])


def _one_pole(sound: Samples, pole: float) -> Samples:
    return np.asarray(signal.lfilter([1 - pole], [1, -pole], sound))


def room_tone(*, sample_rate: int) -> Samples:
    """The room with nothing in it, a piece that goes on where it begins again, (frames,)."""
    seconds = np.arange(round(ROOM_S * sample_rate)) / sample_rate
    hiss = np.random.default_rng(23).standard_normal(seconds.size) * 10 ** (HISS_DB / 20)
    hum = np.sqrt(2) * (
        10 ** (HUM_DB / 20) * np.sin(2 * np.pi * HUM_HZ * seconds)
        + 10 ** (HUM_OCTAVE_DB / 20) * np.sin(4 * np.pi * HUM_HZ * seconds + 1)
    )
    return np.asarray(hiss + hum)

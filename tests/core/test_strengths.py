"""Strength from 1 to 127: every step is its own, louder and brighter as struck things are, and the strip says so."""

from __future__ import annotations

import itertools

import numpy as np
import pytest

from juglant.core.hit.starts import STARTS
from juglant.core.hit.strokes import render_stroke
from juglant.core.model.hit import MAX_LAYERS, Hit, Layer
from juglant.core.model.ids import Role
from juglant.core.model.velocity import MOST_MAPS, Velocity, VelocityMap
from juglant.core.pictures.strengths import draw_strengths
from juglant.core.synth.metal import Metal
from juglant.core.synth.skins import Skins

RATE = 48000
ROLES: tuple[Role, ...] = ("kick", "snare", "clap", "hat", "tom", "percussion")


def brightness(audio: np.ndarray) -> float:
    """Mean of the spectrum over octaves, by energy, from 30 Hz on."""
    power, hz = np.abs(np.fft.rfft(audio)) ** 2, np.fft.rfftfreq(audio.size, 1 / RATE)
    heard = (hz > 30) & (hz < 18000)
    return float(2 ** (np.sum(power[heard] * np.log2(hz[heard])) / np.sum(power[heard])))


def above_db(audio: np.ndarray, from_hz: float) -> float:
    """What lies above a frequency, dB re all of it."""
    power, hz = np.abs(np.fft.rfft(audio)) ** 2, np.fft.rfftfreq(audio.size, 1 / RATE)
    return 10 * float(np.log10(np.sum(power[hz > from_hz]) / np.sum(power)))


def rms_db(audio: np.ndarray) -> float:
    return 10 * float(np.log10(np.sum(audio**2)))


@pytest.mark.parametrize("role", ROLES)
def test_every_start_is_louder_and_brighter_the_harder_it_is_struck(role: Role) -> None:
    """Common practice, and physics of struck things: softer strokes are duller, not only quieter."""
    for start in (one for one in STARTS if one.role == role):
        strokes = [render_stroke(start.hit, velocity=v, sample_rate=RATE, bpm=126).mono for v in range(1, 128, 14)]
        levels, bright = [rms_db(one) for one in strokes], [brightness(one) for one in strokes]
        assert all(b > a for a, b in itertools.pairwise(levels)), start.name
        # What is above a sound's own middle, of a kick its click, comes in with strength.
        top = [above_db(one, 1000 if role == "kick" else 2 * bright[-1]) for one in strokes]
        # Where there is next to nothing of it, it may come and go by a little.
        assert all(b > a - (0.5 if a > -24 else 2) for a, b in itertools.pairwise(top)), start.name
        assert top[-1] > top[0] + 1, start.name
        drawn = draw_strengths(start.hit, sample_rate=RATE, bpm=126)
        assert [one.velocity for one in drawn] == sorted({one.velocity for one in drawn})
        assert (drawn[0].velocity, drawn[-1].velocity, drawn[-1].level_db, len(drawn)) == (1, 127, 0, 16)
        ends = (drawn[0].brightness_hz, drawn[-1].brightness_hz)
        assert ends == pytest.approx((bright[0], bright[-1]), rel=0.03), start.name


def test_127_strengths_of_a_hit_with_all_the_layers_it_can_hold_are_127_sounds() -> None:
    sources = [Skins(landing_hz=60 + 20 * at, ring_ms=80) if at % 2 else Metal(open=0.1) for at in range(MAX_LAYERS)]
    layers = tuple(Layer(id=f"l{at}", name=f"L{at}", source=one, gain_db=-18) for at, one in enumerate(sources))
    maps = tuple(
        VelocityMap(layer_id=one.id, parameter="ring_ms" if isinstance(one.source, Skins) else "attack_ms", soft=10 + at)
        for at, one in enumerate(layers[:MOST_MAPS])
    )
    hit = Hit(layers=layers, velocity=Velocity(maps=maps, darker_octaves=3, range_db=40))
    strokes = [render_stroke(hit, velocity=v, sample_rate=RATE).mono for v in range(1, 128)]
    assert all(np.all(np.isfinite(one)) for one in strokes)
    assert len({one.tobytes() for one in strokes}) == 127
    levels = [rms_db(one) for one in strokes]
    assert all(b > a for a, b in itertools.pairwise(levels))


def test_silence_has_no_strength() -> None:
    drawn = draw_strengths(Hit(), sample_rate=RATE, bpm=126)
    assert {(one.level_db, one.brightness_hz) for one in drawn} == {(None, None)}

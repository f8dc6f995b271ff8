"""Layer fit: planted offsets and inversions are found, what is right stays, and what it says is what is rendered."""

from __future__ import annotations

import numpy as np
import pytest
from scipy import signal as dsp

from juglant.core.hit.fit import LayerFit, fit_layers, fitted
from juglant.core.hit.render import render_hit, render_layer
from juglant.core.model.hit import Hit, Layer
from juglant.core.model.track import Track
from juglant.core.synth.beater import Beater
from juglant.core.synth.sweep import Sweep
from juglant.core.synth.tail import Tail

RATE = 48000
KICK = Sweep(landing_hz=52, start_semitones=30, sweep_ms=60, hold_ms=30, decay_ms=250)
# Noise over all bands, about 20 dB under the copies.
NOISE = Beater(high_pass_hz=20, low_pass_hz=20000, decay_ms=200, blip_db=-60)


def copies(offset_ms: float = 0, inverted: bool = False, **second: float) -> Hit:
    """One sound twice, the copy quieter and placed elsewhere, and noise over both."""
    return Hit(
        layers=(
            Layer(id="one", name="One", source=KICK),
            Layer(id="two", name="Two", source=KICK, offset_ms=offset_ms, inverted=inverted, **{"gain_db": -4, **second}),
            Layer(id="noise", name="Noise", source=NOISE, gain_db=-12),
        )
    )


def fit_of(hit: Hit) -> LayerFit:
    found = fit_layers(hit, RATE)
    assert found is not None
    return found


def low_gain_db(hit: Hit) -> float:
    """The sum's energy re the layers' energies, 20-150 Hz, filtered in time by another filter's hands."""
    sections = dsp.butter(4, [20, 150], "bandpass", fs=RATE, output="sos")

    def energy(audio: np.ndarray) -> float:
        return float(np.sum(dsp.sosfiltfilt(sections, np.pad(audio, RATE)) ** 2))

    apart = sum(energy(render_layer(layer, sample_rate=RATE)) for layer in hit.layers)
    return 10 * np.log10(energy(render_hit(hit, sample_rate=RATE).audio) / apart)


@pytest.mark.parametrize("frames", [-480, -211, -37, 5, 120, 333, 479])
@pytest.mark.parametrize("inverted", [False, True])
def test_planted_offsets_and_inversions_are_found(frames: int, inverted: bool) -> None:
    hit = copies(1000 * frames / RATE, inverted)
    after = fitted(hit, fit_of(hit))
    assert abs(after.layers[1].offset_ms) * RATE / 1000 < 1.01
    assert after.layers[1].inverted is False


@pytest.mark.parametrize("second", [{"gain_db": -15}, {"high_cut_hz": 16000}, {"low_cut_hz": 11, "gain_db": 3}])
def test_they_are_found_in_copies_of_another_level_and_band(second: dict[str, float]) -> None:
    hit = copies(3.5, True, **second)
    moved = {layer.id: layer for layer in fitted(hit, fit_of(hit)).layers}
    apart_ms = moved["two"].offset_ms - moved["one"].offset_ms
    assert abs(apart_ms) < 2.5
    assert moved["two"].inverted is moved["one"].inverted


def test_what_is_right_already_stays() -> None:
    hit = copies()
    assert fitted(hit, fit_of(hit)) == hit
    assert fit_of(hit).after_db == pytest.approx(fit_of(hit).now_db)


def test_it_says_what_is_rendered() -> None:
    hit = copies(1.0, True, gain_db=-1)
    found = fit_of(hit)
    assert found.now_db == pytest.approx(low_gain_db(hit), abs=0.05)
    assert found.after_db == pytest.approx(low_gain_db(fitted(hit, found)), abs=0.05)
    assert found.after_db > found.now_db + 2
    # Two nearly equal copies in step: twice the energy there was apart.
    assert found.after_db == pytest.approx(3, abs=0.2)
    assert max(found.bands_after_db) == pytest.approx(3, abs=0.05)


def test_a_hit_is_never_worse_after_it(solved: Track) -> None:
    kick = solved.kick
    for turned in range(len(kick.layers)):
        layers = tuple(
            layer.model_copy(update={"inverted": i == turned, "offset_ms": layer.offset_ms + 2.3 * i})
            for i, layer in enumerate(kick.layers)
        )
        found = fit_of(Hit(layers=layers))
        assert found.after_db >= found.now_db - 1e-6


def test_what_has_no_low_end_is_left_where_it_is() -> None:
    click = Layer(id="click", name="Click", source=Beater(high_pass_hz=4000, blip_db=-60), offset_ms=4.2, inverted=True)
    tail = Layer(id="tail", name="Tail", source=Tail(landing_hz=52))
    hit = Hit(layers=(click, Layer(id="body", name="Body", source=KICK), tail))
    assert fitted(hit, fit_of(hit)).layers[0] == click


@pytest.mark.parametrize("count", [0, 1])
def test_there_is_nothing_to_fit_in_less_than_two(count: int) -> None:
    assert fit_layers(Hit(layers=copies().layers[:count]), RATE) is None
    muted = tuple(layer.model_copy(update={"muted": True}) for layer in copies().layers)
    assert fit_layers(Hit(layers=muted), RATE) is None

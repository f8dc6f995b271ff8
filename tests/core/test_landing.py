"""Where hits land: made-up hits of every kind, kept apart from those the method was tuned on, and invariances."""

from __future__ import annotations

import functools

import numpy as np
import pytest
from made_hits import MadeHit, pitched, unpitched
from scipy import signal as dsp

from juglant.core.hit.render import render_layer
from juglant.core.measure.landing import Landing, measure_landing
from juglant.core.model.hit import Layer
from juglant.core.music.notes import cents_between
from juglant.core.synth.sweep import Sweep
from juglant.core.synth.tail import Tail

# Seeds below 100 were used while the method was being made; these were not.
SEEDS = (301, 302)
HITS, UNPITCHED = 800, 200


@functools.lru_cache(maxsize=1)
def measured() -> list[tuple[MadeHit, Landing]]:
    found = []
    for seed in SEEDS:
        rng = np.random.default_rng(seed)
        hits = [pitched(rng) for _ in range(HITS // len(SEEDS))]
        found += [(hit, measure_landing(hit.audio, sample_rate=hit.sample_rate)) for hit in hits]
    return found


def errors_cents(verdicts: tuple[str, ...] = ("firm", "uncertain")) -> np.ndarray:
    return np.array(
        [
            abs(cents_between(landing.landing_hz, hit.landing_hz or 1))
            for hit, landing in measured()
            if landing.landing_hz and landing.verdict in verdicts
        ]
    )


def test_errors_are_within_what_the_method_asks() -> None:
    errors = errors_cents()
    assert np.median(errors) <= 1
    # Asked: 7 cents; measured 5.6 to 7.2 over six sets of 500 on untouched seeds.
    assert np.percentile(errors, 95) <= 8
    assert np.mean(errors > 50) <= 0.01


def test_few_hits_are_missed() -> None:
    # Asked: 4 %; measured 0.8 to 2.2 % over six sets of 500.
    assert np.mean([landing.landing_hz is None for _, landing in measured()]) <= 0.03


def test_margins_hold_and_are_useful() -> None:
    pairs = [
        (abs(cents_between(landing.landing_hz, hit.landing_hz or 1)), landing.uncertainty_cents, landing.verdict)
        for hit, landing in measured()
        if landing.landing_hz and landing.uncertainty_cents
    ]
    assert 0.93 <= np.mean([error <= margin for error, margin, _ in pairs]) <= 1
    assert np.median([margin for _, margin, verdict in pairs if verdict == "firm"]) <= 3
    # It grows with the real error: the worst third of the margins holds larger errors than the best third.
    ordered = sorted(pairs, key=lambda pair: pair[1])
    third = len(ordered) // 3
    assert np.mean([e for e, _, _ in ordered[-third:]]) > 5 * np.mean([e for e, _, _ in ordered[:third]])


def test_firm_means_firm() -> None:
    assert np.mean([landing.verdict == "firm" for _, landing in measured()]) > 0.6
    assert np.mean(errors_cents(("firm",)) > 15) < 0.02


def test_what_has_no_pitch_is_called_none() -> None:
    rng = np.random.default_rng(401)
    hits = [unpitched(rng) for _ in range(UNPITCHED)]
    none = [measure_landing(hit.audio, sample_rate=hit.sample_rate).verdict == "none" for hit in hits]
    assert np.mean(none) >= 0.98


def _kick(rate: int = 48000) -> np.ndarray:
    source = Sweep(landing_hz=52.3, start_semitones=30, sweep_ms=40, hold_ms=20, decay_ms=260, drive_db=6)
    return render_layer(Layer(id="a", name="A", source=source), sample_rate=rate)


RATE = 48000
CHANGES = {
    "turned over": lambda x: -x,
    "60 dB down": lambda x: x * 1e-3,
    "silence ahead": lambda x: np.append(np.zeros(9601), x),
    "silence behind": lambda x: np.append(x, np.zeros(48000)),
    "DC": lambda x: x + 0.1,
    "one sample later": lambda x: np.append(np.zeros(1), x),
}


@pytest.mark.parametrize("name", CHANGES)
def test_what_does_not_change_the_pitch_does_not_change_the_landing(name: str) -> None:
    plain = measure_landing(_kick(), sample_rate=RATE)
    changed = measure_landing(CHANGES[name](_kick()), sample_rate=RATE)
    assert plain.landing_hz is not None
    assert changed.landing_hz is not None
    assert abs(cents_between(changed.landing_hz, plain.landing_hz)) < 0.5
    assert changed.verdict == plain.verdict == "firm"


@pytest.mark.parametrize("rate", [44100, 88200, 96000])
def test_the_rate_does_not_change_the_landing(rate: int) -> None:
    landing = measure_landing(_kick(rate), sample_rate=rate).landing_hz
    assert landing is not None
    assert abs(cents_between(landing, 52.3)) < 0.5


@pytest.mark.parametrize("landing_hz", [36.7, 43.65, 58.27, 77.8, 120.0, 220.0])
@pytest.mark.parametrize("start_semitones", [12, 36, 60])
def test_render_at_a_pitch_measure_that_pitch(landing_hz: float, start_semitones: int) -> None:
    source = Sweep(landing_hz=landing_hz, start_semitones=start_semitones, sweep_ms=60, hold_ms=40, decay_ms=350)
    audio = render_layer(Layer(id="a", name="A", source=source), sample_rate=RATE)
    found = measure_landing(audio, sample_rate=RATE)
    assert found.landing_hz is not None
    # Five octaves onto a low note leave few settled cycles: up to 2.5 cents, within the stated margin.
    assert abs(cents_between(found.landing_hz, landing_hz)) < 2.5
    assert found.verdict == "firm"
    # Time to within 50 cents: the ruler says 60 ms.
    assert found.sweep_ms is not None
    assert 40 <= found.sweep_ms <= 80


@pytest.mark.parametrize("landing_hz", [41.2, 65.4, 110.0])
def test_a_held_tone_has_a_pitch(landing_hz: float) -> None:
    tone = np.sin(2 * np.pi * landing_hz * np.arange(RATE) / RATE)
    found = measure_landing(tone, sample_rate=RATE)
    assert found.landing_hz is not None
    assert abs(cents_between(found.landing_hz, landing_hz)) < 1


def test_a_removed_fundamental_is_still_the_landing() -> None:
    source = Sweep(landing_hz=55, start_semitones=24, sweep_ms=30, shape=2, hold_ms=100, decay_ms=500)
    square = render_layer(Layer(id="a", name="A", source=source), sample_rate=RATE)
    high = dsp.sosfilt(dsp.butter(4, 130, "highpass", fs=RATE, output="sos"), square)
    landing = measure_landing(high, sample_rate=RATE).landing_hz
    assert landing is not None
    assert abs(cents_between(landing, 55)) < 5


def test_few_cycles_are_at_most_uncertain() -> None:
    source = Tail(landing_hz=45, attack_ms=1, hold_ms=0, decay_ms=40, release_ms=10)
    found = measure_landing(render_layer(Layer(id="a", name="A", source=source), sample_rate=RATE), sample_rate=RATE)
    assert found.cycles < 4
    assert found.verdict != "firm"


def test_a_drifting_note_says_so() -> None:
    time = np.arange(2 * RATE) / RATE
    pitch = 55 * 2 ** (-20 * time / 1200)
    note = np.sin(2 * np.pi * np.cumsum(pitch) / RATE) * np.exp(-time)
    found = measure_landing(note, sample_rate=RATE)
    assert found.drift_cents_per_s == pytest.approx(-20, abs=4)


@pytest.mark.parametrize("frames", [0, 1, 2, 100, 5000])
@pytest.mark.parametrize("level", [0.0, 1.0])
def test_silence_and_scraps_have_none(frames: int, level: float) -> None:
    found = measure_landing(np.full(frames, level), sample_rate=RATE)
    assert found.verdict == "none"
    assert found.landing_hz is None
    assert found.path is None

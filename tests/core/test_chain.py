"""Processors: their own laws, measured; every end of every ruler; what each says it changed.

Crossovers, EQ, compressor and reverb are held against their published formulas (Linkwitz 1976; Bristow-Johnson; Giannoulis,
Massberg & Reiss 2012; Schroeder 1965); the rest against what they promise.
"""

from __future__ import annotations

import math
from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import signal as dsp

from juglant.core.chain.compressor import Compressor
from juglant.core.chain.delay import BEATS, Delay
from juglant.core.chain.drawn import Drawn, Point
from juglant.core.chain.equalizer import Equalizer
from juglant.core.chain.gate import Gate
from juglant.core.chain.limit import Limit
from juglant.core.chain.registry import APPLIED, AnyProcessor, process
from juglant.core.chain.reverb import Reverb
from juglant.core.chain.reverse import Reverse
from juglant.core.chain.saturate import Saturate
from juglant.core.chain.transient import Transient
from juglant.core.chain.width import Width
from juglant.core.hit.render import render_hit
from juglant.core.hit.stages import change, changes
from juglant.core.measure.level import db, true_peak
from juglant.core.measure.stereo import fold_loss_db
from juglant.core.measure.timing import measure_timing
from juglant.core.model.hit import Hit, Layer
from juglant.core.signal.crossover import split
from juglant.core.signal.drive import CURVES, shape
from juglant.core.signal.filters import cookbook, response
from juglant.core.synth.beater import Beater
from juglant.core.synth.clap import Clap
from juglant.core.synth.skins import Skins
from juglant.core.synth.sweep import Sweep

RATE = 48000
BPM = 126.0


def through(one: AnyProcessor, audio: np.ndarray, bpm: float = BPM) -> np.ndarray:
    return process((one,), np.atleast_2d(audio), sample_rate=RATE, bpm=bpm)[-1]


def sine(hz: float, seconds: float, level_db: float = 0.0) -> np.ndarray:
    return 10 ** (level_db / 20) * np.sin(2 * np.pi * hz * np.arange(round(seconds * RATE)) / RATE)


def spectrum_db(audio: np.ndarray) -> np.ndarray:
    return 20 * np.log10(np.maximum(np.abs(np.fft.rfft(audio)), 1e-12))


@pytest.mark.parametrize("corners", [(120.0,), (120.0, 1000.0), (60.0, 250.0, 4000.0)])
def test_bands_sum_flat_within_a_tenth_of_a_db(corners: tuple[float, ...]) -> None:
    """Linkwitz 1976: each branch -6.02 dB at its corner, the sum all-pass."""
    impulse = np.zeros(1 << 16)
    impulse[0] = 1
    bands = split(impulse, corners, sample_rate=RATE)
    level = spectrum_db(np.sum(bands, axis=0))
    hz = np.fft.rfftfreq(impulse.size, 1 / RATE)
    assert np.max(np.abs(level[(hz > 20) & (hz < 20000)])) < 0.1
    for low, high, corner in zip(bands, bands[1:], corners, strict=False):
        for band in (low, high):
            assert np.interp(corner, hz, spectrum_db(band)) == pytest.approx(-6.02, abs=0.05)


def test_layers_that_meet_at_corners_sum_to_what_was_cut() -> None:
    """Three layers of one source, cut at shared corners: the hit has the spectrum of the source."""
    source = Clap(width_octaves=5, centre_hz=900, room_db=-60)
    cuts = ({"high_cut_hz": 300}, {"low_cut_hz": 300, "high_cut_hz": 1500}, {"low_cut_hz": 1500})
    layers = tuple(Layer(id=f"l{i}", name="L", source=source, **cut) for i, cut in enumerate(cuts))  # type: ignore[arg-type]
    size = 1 << 15
    whole = np.abs(
        np.fft.rfft(render_hit(Hit(layers=(Layer(id="w", name="W", source=source),)), sample_rate=RATE).mono, size)
    )
    parts = np.abs(np.fft.rfft(render_hit(Hit(layers=layers), sample_rate=RATE).mono, size))
    strong = whole > 0.03 * whole.max()
    assert np.max(np.abs(20 * np.log10(parts[strong] / whole[strong]))) < 0.1


@pytest.mark.parametrize("form", ["bell", "low shelf", "high shelf", "high-pass", "low-pass"])
def test_eq_moves_a_tone_as_its_formula_says(form: str) -> None:
    """R. Bristow-Johnson, Audio EQ Cookbook, by the response of its coefficients."""
    one = Equalizer(shape=form, frequency_hz=300, gain_db=-6, q=1.2)  # type: ignore[arg-type]
    sections = cookbook(form, frequency_hz=300, gain_db=-6, q=1.2, sample_rate=RATE)
    for hz in (80.0, 300.0, 1500.0):
        heard = through(one, sine(hz, 0.5))[0][RATE // 4 :]
        rms = math.sqrt(2 * float(np.mean(heard**2)))
        assert db(rms) == pytest.approx(
            20 * math.log10(abs(response(sections, np.array([hz]), sample_rate=RATE)[0])), abs=0.05
        )


@pytest.mark.parametrize(("threshold_db", "ratio", "knee_db"), [(-20, 4, 0), (-20, 4, 12), (-30, 20, 6), (-12, 1.5, 24)])
@pytest.mark.parametrize("level", [-40.0, -24.0, -20.0, -16.0, -6.0, 0.0])
def test_compressor_at_rest(threshold_db: float, ratio: float, knee_db: float, level: float) -> None:
    """Giannoulis, Massberg & Reiss 2012, eq. 4, written out again here: a steady level settles on the curve."""
    over = level - threshold_db
    if 2 * over < -knee_db:
        wanted = level
    elif 2 * over >= knee_db:
        wanted = threshold_db + over / ratio
    else:
        wanted = level + (1 / ratio - 1) * (over + knee_db / 2) ** 2 / (2 * knee_db)
    one = Compressor(threshold_db=threshold_db, ratio=ratio, knee_db=knee_db, attack_ms=1, release_ms=5)
    steady = np.full(RATE, 10 ** (level / 20))
    assert db(float(through(one, steady)[0, -1])) == pytest.approx(wanted, abs=0.01)


@pytest.mark.parametrize("attack_ms", [5.0, 30.0])
def test_compressor_falls_by_63_percent_in_its_attack(attack_ms: float) -> None:
    """Method: times are 63 % time constants."""
    steady = np.full(RATE, 1.0)
    one = Compressor(threshold_db=-20, ratio=2, knee_db=0, attack_ms=attack_ms, release_ms=500)
    gain = 20 * np.log10(through(one, steady)[0])
    at = int(np.argmax(gain <= -10 * (1 - math.exp(-1))))
    assert 1000 * at / RATE == pytest.approx(attack_ms, rel=0.02)


@pytest.mark.parametrize("ring_ms", [120.0, 400.0, 1500.0])
def test_reverb_rings_as_long_as_it_says(ring_ms: float) -> None:
    """Schroeder 1965: T60 by backward integration, within 7 %: the highs of a room die sooner."""
    click = np.zeros(RATE // 10)
    click[10] = 1
    wet = through(Reverb(ring_ms=ring_ms, level_db=0, before_ms=0, low_cut_hz=500), click)[0]
    wet[: RATE // 200] = 0
    assert measure_timing(wet, sample_rate=RATE).t60_ms == pytest.approx(ring_ms, rel=0.07)


def test_echoes_stay_out_of_the_low_end_and_say_what_they_cost() -> None:
    kick = render_hit(Hit(layers=(Layer(id="k", name="K", source=Sweep(landing_hz=55)),)), sample_rate=RATE).audio[None, :]
    kind = {"level_db": 0.0, "attack_ms": 500.0}
    for echo in (Reverb(low_cut_hz=300, **kind), Delay(low_cut_hz=300, **kind)):  # type: ignore[arg-type]
        assert abs(change(kick, through(echo, kick), sample_rate=RATE).low_db or 9) < 0.2
    open_below = change(kick, through(Delay(low_cut_hz=20, every="1/16", **kind), kick), sample_rate=RATE)  # type: ignore[arg-type]
    assert (open_below.low_db or 0) > 1


@pytest.mark.parametrize("every", sorted(BEATS))
@pytest.mark.parametrize("bpm", [40.0, 126.0, 260.0])
def test_echoes_fall_on_their_note_values(every: str, bpm: float) -> None:
    click = np.zeros(200)
    click[0] = 1
    one = Delay(every=every, feedback_pct=50, level_db=0, low_cut_hz=20, high_cut_hz=18000)  # type: ignore[arg-type]
    out = through(one, click, bpm)[0]
    for k in (1, 2, 3):
        wanted = round(k * BEATS[every] * 60 / bpm * RATE)
        near = np.abs(out[wanted - 3 : wanted + 8])
        assert int(np.argmax(near)) == pytest.approx(3, abs=3)
        assert near.max() == pytest.approx(
            0.5 ** (k - 1) * np.abs(out[round(BEATS[every] * 60 / bpm * RATE) :][:8]).max(), rel=0.05
        )


@pytest.mark.parametrize("curve", ["soft", "hard", "fold", "uneven"])
@pytest.mark.parametrize(("hz", "drive_db"), [(58.27, 30.0), (250.0, 18.0), (250.0, 30.0)])
def test_drives_do_not_alias(curve: str, hz: float, drive_db: float) -> None:
    """Method: aliased components at least 80 dB under the fundamental, for notes up to 250 Hz."""
    count = 12 * RATE
    # Whole cycles and a window, so that what lies between the partials is what does not belong.
    hz = round(hz * 10) / 10
    out = shape(np.sin(2 * np.pi * hz * np.arange(count) / RATE), CURVES.index(curve), drive_db=drive_db, sample_rate=RATE)
    middle = out[RATE : 11 * RATE] * dsp.windows.blackmanharris(10 * RATE)
    power = np.abs(np.fft.rfft(middle))
    at = np.fft.rfftfreq(middle.size, 1 / RATE)
    near = np.abs(at / hz - np.round(at / hz)) * hz < 1.0
    fundamental = power[np.abs(at - hz) < 0.5].max()
    assert 20 * np.log10(power[~near & (at > 20)].max() / fundamental) < -80


def test_a_confined_drive_leaves_the_rest_alone() -> None:
    """The 120-300 Hz region saturated alone: 50 Hz and 5 kHz pass within a dB, 200 Hz gains harmonics."""
    one = Saturate(curve="soft", drive_db=18, from_hz=120, to_hz=300)
    sound = sine(50, 1) * 0.3 + sine(5000, 1) * 0.3
    before, after = (np.abs(np.fft.rfft(x[RATE // 2 :])) for x in (sound, through(one, sound)[0]))
    hz = np.fft.rfftfreq(RATE // 2, 1 / RATE)
    for tone in (50, 5000):
        at = int(np.argmin(np.abs(hz - tone)))
        assert 20 * np.log10(after[at] / before[at]) == pytest.approx(0, abs=1)
    driven = np.abs(np.fft.rfft(through(one, sine(200, 1))[0][RATE // 2 :]))
    assert 20 * np.log10(driven[int(np.argmin(np.abs(hz - 600)))] / driven[int(np.argmin(np.abs(hz - 200)))]) > -20


@pytest.mark.parametrize("gain_db", [0.0, 6.0, 24.0])
@pytest.mark.parametrize("ceiling", [-6.0, -1.0])
def test_limiter_holds_the_true_peak(gain_db: float, ceiling: float) -> None:
    """ITU-R BS.1770-5 annex 2: four times oversampled peak at most the ceiling."""
    noise = np.random.default_rng(2).standard_normal((2, RATE // 2)) * 0.5
    out = through(Limit(gain_db=gain_db, ceiling_dbtp=ceiling), noise)
    assert db(true_peak(out)) <= ceiling + 0.05
    assert db(true_peak(out)) > ceiling - 1


def test_transient_moves_attack_and_sustain_apart() -> None:
    hit = render_hit(Hit(layers=(Layer(id="b", name="B", source=Skins(ring_ms=500, strength=1)),)), sample_rate=RATE).audio
    early, late = slice(0, RATE // 100), slice(RATE // 5, RATE // 2)

    def moved(one: Transient, where: slice) -> float:
        return db(float(np.max(np.abs(through(one, hit)[0][where])))) - db(float(np.max(np.abs(hit[where]))))

    assert moved(Transient(attack_db=6, sustain_db=0), early) > 3
    assert abs(moved(Transient(attack_db=6, sustain_db=0), late)) < 1
    assert moved(Transient(attack_db=0, sustain_db=-12), late) < -4
    assert abs(moved(Transient(attack_db=0, sustain_db=-12), early)) < 1


def test_a_gate_cuts_hits_out_of_a_steady_sound() -> None:
    out = through(Gate(pattern="x--x", step="1/16", edge_ms=1), np.ones(RATE))[0]
    step = 0.25 * 60 / BPM * RATE
    for index in range(8):
        inside = out[round((index + 0.3) * step) : round((index + 0.7) * step)]
        assert np.allclose(inside, 1.0 if index % 4 in (0, 3) else 0.0, atol=1e-6)


def test_drawn_points_are_the_gain() -> None:
    one = Drawn(points=(Point(at_ms=0, level_db=-12), Point(at_ms=100, level_db=0), Point(at_ms=200, level_db=-60)))
    out = through(one, np.ones(RATE))[0]
    assert db(float(out[round(0.05 * RATE)])) == pytest.approx(-6, abs=0.01)
    assert db(float(out[round(0.1 * RATE)])) == pytest.approx(0, abs=0.01)
    assert out.size == round(0.2 * RATE) + 1
    with pytest.raises(ValueError, match="must rise"):
        Drawn(points=(Point(at_ms=5, level_db=0), Point(at_ms=5, level_db=-3)))


def test_reverse_twice_is_the_sound() -> None:
    hit = render_hit(Hit(layers=(Layer(id="c", name="C", source=Clap()),)), sample_rate=RATE).audio
    twice = process((Reverse(), Reverse()), hit[None, :], sample_rate=RATE, bpm=BPM)[-1][0]
    start = int(np.argmax(np.correlate(twice, hit[:4000], "full"))) - 3999
    assert np.allclose(twice[start + 480 : start + 4000], hit[480:4000], atol=1e-6)


def test_two_different_claps_lose_less_in_mono_than_a_delayed_copy() -> None:
    """Two unlike sides of equal power lose 3.01 dB on average, in no band more; a late copy combs: its notches are gone."""
    clap = Clap(tail_db=-6, room_db=-60, width_octaves=3)
    copy = through(
        Width(apart_ms=1, copy_db=0),
        render_hit(Hit(layers=(Layer(id="a", name="A", source=clap),)), sample_rate=RATE).audio,
    )
    two = tuple(
        Layer(id=name, name=name, source=clap.model_copy(update={"seed": seed}), pan_pct=pan)
        for name, seed, pan in (("a", 1, -100), ("b", 2, 100))
    )
    both = render_hit(Hit(layers=two), sample_rate=RATE).audio
    assert fold_loss_db(both) == pytest.approx(-3.01, abs=0.8)

    def deepest(audio: np.ndarray) -> float:
        hz = np.fft.rfftfreq(1 << 15, 1 / RATE)
        sides = np.mean(np.abs(np.fft.rfft(audio, 1 << 15)) ** 2, axis=0)
        folded = np.abs(np.fft.rfft(audio.mean(axis=0), 1 << 15)) ** 2
        edges = np.geomspace(400, 3000, 25)
        where = [(hz >= a) & (hz < b) for a, b in pairwise(edges)]
        return min(10 * math.log10(folded[w].sum() / sides[w].sum()) for w in where)

    assert deepest(copy) < -15
    assert deepest(both) > -10
    assert fold_loss_db(np.ones(100)) is None


def test_a_sound_strikes_the_skins() -> None:
    """Reinforcing a snare: the skins answer the layer that strikes them, and only where it sounds."""
    stick = Layer(id="stick", name="S", source=Beater(decay_ms=15), muted=True)
    skins = Layer(id="skins", name="K", source=Skins(landing_hz=180), struck_by="stick")
    hit = Hit(layers=(stick, skins))
    struck, plain = (
        render_hit(hit, sample_rate=RATE).audio,
        render_hit(Hit(layers=(stick, skins.model_copy(update={"struck_by": None}))), sample_rate=RATE).audio,
    )
    assert struck.size != plain.size or not np.allclose(struck, plain)
    other = stick.model_copy(update={"source": Beater(decay_ms=15, seed=9)})
    assert not np.allclose(render_hit(Hit(layers=(other, skins)), sample_rate=RATE).audio, struck)
    with pytest.raises(ValueError, match="not struck itself"):
        Hit(layers=(skins.model_copy(update={"struck_by": "skins"}),))


def test_every_stage_says_what_it_changed() -> None:
    hit = render_hit(Hit(layers=(Layer(id="k", name="K", source=Sweep(landing_hz=55)),)), sample_rate=RATE).audio[None, :]
    chain = (
        Equalizer(shape="bell", frequency_hz=55, gain_db=-6, q=0.5),
        Equalizer(gain_db=0),
        Compressor(makeup_db=3, ratio=1),
    )
    stages = [hit, *process(chain, hit, sample_rate=RATE, bpm=BPM)]
    cut, nothing, louder = changes(stages, sample_rate=RATE)
    assert (cut.low_db or 0) < -4
    assert not cut.idle
    assert nothing.idle
    assert louder.peak_db == pytest.approx(3, abs=0.01)
    assert louder.loudness_db == pytest.approx(3, abs=0.01)
    assert louder.crest_db == pytest.approx(0, abs=0.01)


def _numbers(model: type[AnyProcessor]) -> dict[str, tuple[float, float]]:
    fields = model.model_json_schema()["properties"]
    return {n: (f["minimum"], f["maximum"]) for n, f in fields.items() if "minimum" in f and f["type"] == "number"}


HIT = render_hit(
    Hit(layers=(Layer(id="a", name="A", source=Sweep(decay_ms=120)), Layer(id="b", name="B", source=Beater()))),
    sample_rate=RATE,
).audio


@pytest.mark.parametrize("model", list(APPLIED), ids=lambda model: model.__name__)
@given(data=st.data())
@settings(max_examples=12, deadline=None)
def test_no_setting_breaks_a_sound(model: type[AnyProcessor], data: st.DataObject) -> None:
    """Every parameter at its ends and at random, all at once, on one or two channels, on silence and on one sample."""
    values = {
        name: data.draw(st.one_of(st.sampled_from(ends), st.floats(*ends)), label=name)
        for name, ends in _numbers(model).items()
    }
    one = model(**values)
    for audio in (HIT[None, :], np.stack((HIT, 0.5 * HIT)), np.zeros((1, 4800)), np.ones((2, 1)) * 0.5):
        before = audio.copy()
        out = process((one,), audio, sample_rate=RATE, bpm=BPM)[-1]
        assert np.all(np.isfinite(out))
        assert np.array_equal(audio, before)
        assert out.shape[0] in (audio.shape[0], 2)
        if not audio.any():
            assert not out.any()

"""What each engine of the kit is: partials of skins, bursts of claps, edges of squares; measured, against theory."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from scipy import signal as dsp
from scipy import special

from juglant.core.hit.render import render_hit
from juglant.core.measure.landing import measure_landing
from juglant.core.model.hit import Hit, Layer
from juglant.core.signal.limiter import limited
from juglant.core.synth import clap, metal, skins
from juglant.core.synth.clap import Clap
from juglant.core.synth.fm import Fm
from juglant.core.synth.metal import Metal
from juglant.core.synth.registry import RENDERERS, AnyEngine, render_engine
from juglant.core.synth.skins import Skins
from juglant.core.synth.snare import Snare
from juglant.core.synth.sweep import Sweep

RATE = 48000


def rendered(source: AnyEngine, rate: int = RATE) -> np.ndarray:
    return render_engine(source, tune=1, sample_rate=rate)


def spectrum(audio: np.ndarray, rate: int = RATE) -> tuple[np.ndarray, np.ndarray]:
    """Frequencies and power of a whole sound."""
    return np.fft.rfftfreq(audio.size, 1 / rate), np.abs(np.fft.rfft(audio)) ** 2


def strongest_band_hz(audio: np.ndarray) -> float:
    """Centre of the loudest third-octave band, base ten."""
    frequency, power = spectrum(audio)
    centres = 1000 * 10 ** (np.arange(-16, 13) / 10)
    sums = [power[(frequency >= c / 10**0.05) & (frequency < c * 10**0.05)].sum() for c in centres]
    return float(centres[int(np.argmax(sums))])


def brightness_hz(audio: np.ndarray) -> float:
    frequency, power = spectrum(audio)
    return float(frequency @ power / power.sum())


def fall_s(audio: np.ndarray, down_db: float) -> float:
    """When what is left of the energy has fallen by so much (Schroeder 1965)."""
    left = np.cumsum(audio[::-1] ** 2)[::-1]
    return float(np.argmax(left < left[0] * 10 ** (-down_db / 10))) / RATE


# Zeros j_mn of the Bessel functions, Abramowitz & Stegun table 9.5, lowest first.
ZEROS = [2.40483, 3.83171, 5.13562, 5.52008, 6.38016, 7.01559, 7.58834, 8.41724, 8.65373, 8.77148]


def test_modes_are_those_of_a_circular_membrane() -> None:
    ratios, diameters, zeros = skins.modes()
    assert zeros[: len(ZEROS)] == pytest.approx(ZEROS, abs=1e-5)
    assert ratios[0] == 1
    assert np.all(np.diff(ratios) > 0)
    for m, zero in zip(diameters, zeros, strict=True):
        assert abs(special.jv(m, zero)) < 1e-9


@pytest.mark.parametrize("landing_hz", [110, 200, 390])
@pytest.mark.parametrize("place", [0.25, 0.6])
def test_partials_of_a_skin_are_within_three_cents_of_theory(landing_hz: float, place: float) -> None:
    struck = Skins(
        landing_hz=landing_hz, place=place, ring_ms=1000, damping=0, drop_semitones=0, second_db=-60, stiffness=1
    )
    audio = rendered(struck)
    padded = np.zeros(1 << 20)
    padded[: audio.size] = audio
    frequency, power = spectrum(padded)
    heard = 0
    for ratio, weight in zip(skins.modes()[0][:8], skins.mode_weights(place), strict=False):
        if abs(weight) < 0.3:
            continue
        near = np.flatnonzero(np.abs(frequency / (landing_hz * ratio) - 1) < 0.02)
        peak = frequency[near[np.argmax(power[near])]]
        assert abs(1200 * np.log2(peak / (landing_hz * ratio))) < 3
        heard += 1
    assert heard >= 4


def test_struck_in_the_middle_only_modes_without_diameters_sound() -> None:
    weights, diameters = skins.mode_weights(0.0), skins.modes()[1]
    assert np.all(np.abs(weights[diameters > 0]) < 1e-9)
    assert np.all(np.abs(weights[diameters == 0]) > 0.1)


def test_a_harder_stroke_is_stiffer_and_rings_longer_not_just_louder() -> None:
    soft, hard = (rendered(Skins(strength=strength)) for strength in (0.2, 1.0))
    assert np.max(np.abs(hard)) > 3 * np.max(np.abs(soft))
    assert brightness_hz(hard) > 1.03 * brightness_hz(soft)
    assert fall_s(hard, 40) > 1.3 * fall_s(soft, 40)


def test_skins_answer_any_sound_that_strikes_them() -> None:
    struck = Skins(landing_hz=150, drop_semitones=0, second_db=-60)
    strike = rendered(Snare(tone_db=-60, noise_ms=5))
    answer = skins.render(struck, tune=1, sample_rate=RATE, strike=strike)
    assert strongest_band_hz(strike) > 1000
    found = measure_landing(answer, sample_rate=RATE)
    assert found.landing_hz == pytest.approx(150, rel=0.01)


@pytest.mark.parametrize("apart", [0, 7, 12])
def test_the_second_skin_is_tuned_where_it_says(apart: float) -> None:
    pair = Skins(landing_hz=100, apart_semitones=apart, second_db=0, drop_semitones=0, second_ring_ms=1000, ring_ms=300)
    audio = rendered(pair)[RATE // 3 :]
    frequency, power = spectrum(np.concatenate((audio * np.hanning(audio.size), np.zeros(1 << 19))))
    assert frequency[np.argmax(power)] == pytest.approx(100 * 2 ** (apart / 12), rel=0.004)


@pytest.mark.parametrize("bursts", [2, 3, 4, 5])
@pytest.mark.parametrize("seed", [1, 7])
def test_a_clap_has_as_many_hands_as_it_says(bursts: int, seed: int) -> None:
    source = Clap(bursts=bursts, spacing_ms=25, spread_pct=20, burst_ms=4, tail_db=-60, room_db=-60, seed=seed)  # type: ignore[arg-type]
    level = np.convolve(rendered(source) ** 2, np.ones(144) / 144, mode="same")
    peaks, _ = dsp.find_peaks(level, height=0.05 * level.max(), distance=RATE * 15 // 1000)
    assert len(peaks) == bursts
    assert np.diff(peaks) / RATE * 1000 == pytest.approx(np.diff(clap.starts_ms(source))[: bursts - 1], abs=3)


@pytest.mark.parametrize("room_ms", [300, 900])
def test_the_room_rings_as_long_as_it_is_set(room_ms: float) -> None:
    source = Clap(bursts=2, burst_ms=1, spacing_ms=3, tail_db=-60, room_ms=room_ms, room_db=-6, width_octaves=5)
    alone = rendered(source)[RATE * 60 // 1000 :]
    left_db = 10 * np.log10(np.cumsum(alone[::-1] ** 2)[::-1] / np.sum(alone**2) + 1e-30)
    # ISO 3382-1: the line from -5 to -25 dB, extended to -60.
    from_5, to_25 = (int(np.argmax(left_db < -down)) for down in (5, 25))
    t60_ms = 3 * (to_25 - from_5) / RATE * 1000
    assert t60_ms == pytest.approx(room_ms, rel=0.05)


@pytest.mark.parametrize(
    "source", [Metal(), Metal(base_hz=1500, apart=2), Metal(base_hz=80, oscillators=3), Metal(apart=0.3)]
)
@pytest.mark.parametrize("rate", [44100, 48000])
def test_a_hat_folds_nothing_back(source: Metal, rate: int) -> None:
    """Method: below 20 kHz, noise off, against a render at four times the rate: the residual 60 dB under the signal."""
    narrow = metal.ring(source, rate, tune=1, sample_rate=rate)
    wide = metal.ring(source, 4 * rate, tune=1, sample_rate=4 * rate)
    one, other = (np.fft.rfft(x * np.hanning(x.size)) / x.size for x in (narrow, wide))
    kept = np.arange(20, 20000)
    off = np.sum(np.abs(one[kept] - other[kept]) ** 2) / np.sum(np.abs(other[kept]) ** 2)
    assert 10 * np.log10(off) < -60


def test_closed_half_open_and_open_are_one_control() -> None:
    lengths = [fall_s(rendered(Metal(open=share)), 24) for share in (0, 0.5, 1)]
    assert lengths[0] < 0.05 < lengths[1] < 0.25 < lengths[2]
    assert lengths[1] / lengths[0] == pytest.approx(lengths[2] / lengths[1], rel=0.35)


EXTREMES = [
    {"ratio": 8, "index": 12, "second_ratio": 12, "second_index": 6},
    {"ratio": 8, "index": 12},
    {"ratio": 1, "index": 12, "second_ratio": 1, "second_index": 6},
    {"ratio": 0.5, "index": 6, "second_ratio": 4, "second_index": 2},
]


@pytest.mark.parametrize("extreme", EXTREMES)
@pytest.mark.parametrize("landing_hz", [62.5, 250])
def test_fm_folds_nothing_back(extreme: dict[str, float], landing_hz: float) -> None:
    """Method: notes up to 250 Hz, aliases 80 dB under the fundamental. Whole ratios leave energy at multiples alone."""
    source = Fm(
        landing_hz=landing_hz, drop_semitones=0, index_ms=1000, second_ms=1000, decay_ms=2000, release_ms=2000, **extreme
    )
    tone = rendered(source)[2400:50400]
    frequency = np.fft.rfftfreq(tone.size, 1 / RATE)
    level = np.abs(np.fft.rfft(tone * dsp.windows.blackmanharris(tone.size)))
    spacing = landing_hz * min(1, extreme["ratio"])
    away = np.abs(frequency / spacing - np.round(frequency / spacing)) * spacing
    # The falling index widens each line a little; between them there is nothing.
    assert 20 * np.log10(level[away > 0.4 * spacing].max() / level.max()) < -80


@pytest.mark.parametrize("cents", [-1200, -300, 500])
def test_a_tuned_hit_is_tuned(cents: float) -> None:
    for source in (
        Skins(landing_hz=120, drop_semitones=0, second_db=-60),
        Fm(landing_hz=150, ratio=2, index=1, drop_semitones=0),
    ):
        layer = Layer(id="a", name="A", source=source, tune_cents=cents)
        found = measure_landing(render_hit(Hit(layers=(layer,)), sample_rate=RATE).audio, sample_rate=RATE)
        assert found.landing_hz == pytest.approx(source.landing_hz * 2 ** (cents / 1200), rel=0.006)


@pytest.mark.parametrize("seed", [1, 2])
def test_the_limiter_holds_the_peak_and_turns_down_before_it(seed: int) -> None:
    quiet = 0.05 * np.random.default_rng(seed).standard_normal(RATE)
    loud = quiet.copy()
    loud[RATE // 2] = 2.0
    out = limited(loud, ceiling=0.9, sample_rate=RATE)
    assert np.max(np.abs(out)) <= 0.9 + 1e-12
    gain = out / loud
    # In place a millisecond ahead, by no step; back within a tenth of a second; far away nothing is touched.
    assert gain[RATE // 2 - 30] < 0.6
    assert np.max(np.abs(np.diff(gain))) < 0.02
    assert gain[: RATE // 2 - 480] == pytest.approx(1)
    assert gain[RATE // 2 + RATE // 10 :] == pytest.approx(1)
    assert limited(quiet, ceiling=0.9, sample_rate=RATE) is quiet


def test_what_the_kit_sounds_like_is_common_practice() -> None:
    """Common practice: a clap is strongest at 1-2 kHz and a snare under that; a snare's tone is one or two octaves over
    a kick's; a hat's energy lies above 5 kHz."""
    beat, snap = rendered(Clap()), rendered(Snare())
    assert 890 < strongest_band_hz(beat) < 2240
    assert strongest_band_hz(snap) < strongest_band_hz(beat)
    kick = measure_landing(rendered(Sweep()), sample_rate=RATE).landing_hz
    tone = measure_landing(rendered(Snare(noise_db=-60)), sample_rate=RATE).landing_hz
    assert kick is not None
    assert tone is not None
    assert 1 <= np.log2(tone / kick) <= 2
    frequency, power = spectrum(rendered(Metal()))
    assert power[frequency > 5000].sum() > 0.95 * power.sum()


def _anything(model: type) -> st.SearchStrategy:
    parts = {}
    for name, field in model.model_json_schema()["properties"].items():
        if "minimum" in field:
            ends = (field["minimum"], field["maximum"])
            numbers = st.integers if field["type"] == "integer" else st.floats
            parts[name] = st.sampled_from(ends) | numbers(*ends)
        elif "enum" in field:
            parts[name] = st.sampled_from(field["enum"])
    return st.builds(model, **parts)


@pytest.mark.parametrize("model", RENDERERS)
def test_nothing_that_can_be_set_breaks_a_hit(model: type) -> None:
    @settings(max_examples=12, deadline=None, derandomize=True, database=None, suppress_health_check=list(HealthCheck))
    @given(_anything(model))
    def holds(source: AnyEngine) -> None:
        kick = Hit(layers=(Layer(id="k", name="K", source=Sweep()),))
        whole = Hit(layers=(Layer(id="a", name="A", source=source, gain_db=6),), kick=kick)
        audio = np.atleast_2d(render_hit(whole, sample_rate=RATE).audio)
        assert np.all(np.isfinite(audio))
        assert np.max(np.abs(audio), initial=0) <= 10 ** (24 / 20)
        # Silent to -90 dBFS at both ends.
        assert np.max(np.abs(audio[:, (0, -1)])) < 10 ** (-90 / 20)

    holds()

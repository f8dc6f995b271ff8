"""Times, levels and bands of hits, against closed forms."""

from __future__ import annotations

import numpy as np
import pytest
from scipy import signal as dsp

from juglant.core.errors import InvalidAudio
from juglant.core.measure.bands import CENTRES_HZ, LOW_CENTRES_HZ, band_energies, low_band_frames, zone_of
from juglant.core.measure.hit import flat_figures, measure_hit
from juglant.core.measure.level import hit_loudness, loop_loudness, true_peak
from juglant.core.measure.timing import measure_timing, onset_frame

RATE = 48000


def decaying(hz: float, tau_s: float, seconds: float, rate: int = RATE) -> np.ndarray:
    time = np.arange(round(seconds * rate)) / rate
    return np.sin(2 * np.pi * hz * time) * np.exp(-time / tau_s) * np.clip(time / 0.002, 0, 1)


@pytest.mark.parametrize("tau_s", [0.05, 0.1, 0.3])
@pytest.mark.parametrize("hz", [50, 80, 400])
def test_lengths_and_t60_of_an_exponential_decay(hz: float, tau_s: float) -> None:
    """Published: T60 = 6.908 tau (Schroeder 1965); a level of -24 dB is reached after 2.763 tau."""
    found = measure_timing(decaying(hz, tau_s, 12 * tau_s), sample_rate=RATE)
    assert found.t60_ms == pytest.approx(6908 * tau_s, rel=0.03)
    assert found.length_ms == pytest.approx(2763 * tau_s, rel=0.08, abs=12)
    assert found.length_silent_ms == pytest.approx(6908 * tau_s, rel=0.08, abs=12)


@pytest.mark.parametrize("lead_ms", [0, 3, 57.3, 400])
@pytest.mark.parametrize("hiss_db", [None, -60])
def test_onset_is_found_after_latency(lead_ms: float, hiss_db: float | None) -> None:
    hit = np.append(np.zeros(round(lead_ms * 48)), decaying(60, 0.1, 1.0))
    if hiss_db is not None:
        hit = hit + 10 ** (hiss_db / 20) * np.random.default_rng(1).standard_normal(hit.size)
    assert 1000 * onset_frame(hit, sample_rate=RATE) / RATE == pytest.approx(lead_ms, abs=3.5)


def test_a_decay_into_noise_ends_in_noise() -> None:
    hit = decaying(60, 0.1, 2.0) + 0.1 * np.random.default_rng(2).standard_normal(2 * RATE)
    found = measure_timing(hit, sample_rate=RATE)
    assert found.length_silent_ms is None


@pytest.mark.parametrize("attack_ms", [5, 20, 60])
def test_attack_is_ten_to_ninety_per_cent(attack_ms: float) -> None:
    time = np.arange(RATE) / RATE
    tone = np.sin(2 * np.pi * 100 * time) * np.clip(time / (attack_ms / 1000), 0, 1)
    # A straight rise spends 80 % of its time between 10 and 90 %; the low band smears by a few ms.
    assert measure_timing(tone, sample_rate=RATE).attack_ms == pytest.approx(0.8 * attack_ms, abs=6)


def test_click_is_what_is_above_2_khz_in_the_first_ten_ms() -> None:
    low = decaying(60, 0.1, 1.0)
    burst = np.zeros(low.size)
    burst[:480] = 0.2 * np.sin(2 * np.pi * 6000 * np.arange(480) / RATE)
    found = measure_timing(low + burst, sample_rate=RATE)
    wanted = 10 * np.log10(np.sum(burst**2) / np.sum((low + burst) ** 2))
    assert found.click_db == pytest.approx(wanted, abs=0.5)
    assert (measure_timing(low, sample_rate=RATE).click_db or -999) < wanted - 20


BAD_AUDIO = [
    (np.zeros(0), RATE, "empty"),
    (np.array([0.0, np.nan, 0.5]), RATE, "NaN or infinity"),
    (np.array([0.0, np.inf]), RATE, "NaN or infinity"),
    (np.zeros((64, 100)), RATE, "1 to 32 channels, got 64"),
    (np.zeros(100), 5, "4000 to 400000 Hz, got 5"),
    (np.zeros(100), 768_000, "768"),
]


@pytest.mark.parametrize(("audio", "rate", "says"), BAD_AUDIO)
def test_what_cannot_be_measured_is_refused_with_a_reason(audio: np.ndarray, rate: int, says: str) -> None:
    with pytest.raises(InvalidAudio, match=says):
        measure_hit(audio, sample_rate=rate, bpm=120, a4_hz=440)


@pytest.mark.parametrize("audio", [np.zeros(1), np.zeros(48000), np.array([1.0]), np.zeros((32, 64))])
def test_silence_and_one_sample_have_figures_that_are_null(audio: np.ndarray) -> None:
    figures = flat_figures(measure_hit(audio, sample_rate=RATE, bpm=120, a4_hz=440))
    assert figures["landing_hz"] is None
    assert figures["note"] is None
    assert figures["verdict"] == "none"
    assert (figures["peak_db"] is None) == (not np.any(audio))


def test_measuring_does_not_change_the_audio_and_stereo_of_two_equals_is_mono() -> None:
    hit = decaying(55, 0.15, 1.0)
    kept = hit.copy()
    one = flat_figures(measure_hit(hit, sample_rate=RATE, bpm=120, a4_hz=440))
    two = flat_figures(measure_hit(np.stack((hit, hit)), sample_rate=RATE, bpm=120, a4_hz=440))
    assert np.array_equal(hit, kept)
    assert one["landing_hz"] == pytest.approx(two["landing_hz"])
    # Two equal channels are 3.01 LU louder than one (BS.1770: energies add).
    assert isinstance(one["loudness_lufs"], float)
    assert two["loudness_lufs"] == pytest.approx(one["loudness_lufs"] + 3.01, abs=0.01)


@pytest.mark.parametrize("gain_db", [-60, -20, 6])
def test_gain_moves_levels_and_nothing_else(gain_db: float) -> None:
    hit = decaying(55, 0.15, 1.0)
    plain, turned = (
        flat_figures(measure_hit(x, sample_rate=RATE, bpm=120, a4_hz=440)) for x in (hit, hit * 10 ** (gain_db / 20))
    )
    for key in ("peak_db", "true_peak_db"):
        assert turned[key] == pytest.approx(plain[key] + gain_db, abs=1e-6)  # type: ignore[operator]
    for key in ("landing_hz", "length_ms", "t60_ms", "attack_ms", "click_db"):
        assert turned[key] == pytest.approx(plain[key], rel=1e-4), key


def test_a_hit_is_as_loud_as_its_strokes_repeated() -> None:
    hit = decaying(100, 0.1, 0.4)
    by_hand = np.zeros(16 * 24000)
    for stroke in range(16):
        by_hand[stroke * 24000 : stroke * 24000 + hit.size] = hit
    assert hit_loudness(hit, 120, sample_rate=RATE) == pytest.approx(loop_loudness(by_hand, sample_rate=RATE), abs=0.15)


def test_true_peak_of_a_tone_between_samples() -> None:
    time = np.arange(4800)
    tone = 0.5 * np.sin(np.pi / 2 * time + np.pi / 4)
    assert true_peak(tone) == pytest.approx(0.5, rel=0.02)
    assert true_peak(np.zeros(10)) == 0


# The reference for every stated band figure (method: bands), written out.
def reference_band(signal: np.ndarray, centre_hz: float, rate: int) -> np.ndarray:
    sections = dsp.butter(3, [centre_hz / 10**0.05, centre_hz * 10**0.05], "bandpass", fs=rate, output="sos")
    padded = np.concatenate((np.zeros(rate // 2), signal, np.zeros(rate // 2)))
    return dsp.sosfilt(sections, dsp.sosfilt(sections, padded)[::-1])[::-1]


@pytest.mark.parametrize("row", [0, 3, 6, 9])
@pytest.mark.parametrize("rate", [44100, 48000, 96000])
def test_low_bands_by_frame_agree_with_the_reference(row: int, rate: int) -> None:
    rng = np.random.default_rng(row)
    loop = rng.standard_normal(rate) * np.repeat(rng.uniform(0.1, 1, 10), rate // 10)
    found = low_band_frames(loop, sample_rate=rate)[row]
    # The loop with its own wrap: three passes, the middle one counts.
    filtered = reference_band(np.tile(loop, 3), LOW_CENTRES_HZ[row], rate)[rate // 2 :][loop.size : 2 * loop.size]
    frame = round(0.02 * rate)
    wanted = np.sum(filtered.reshape(-1, frame) ** 2, axis=1)
    assert found.size == wanted.size
    # Method: a faster way agrees within 0.1 dB.
    assert np.max(np.abs(10 * np.log10(found / wanted))) < 0.1


@pytest.mark.parametrize("hz", [31.6, 63.1, 1000, 8000])
def test_one_shot_bands_agree_with_the_reference(hz: float) -> None:
    hit = decaying(hz, 0.1, 0.8)
    energies = band_energies(hit, sample_rate=RATE)
    for centre in CENTRES_HZ[::4]:
        wanted = float(np.sum(reference_band(hit, centre, RATE) ** 2))
        if wanted > 1e-6 * max(energies.values()):
            assert 10 * np.log10(energies[centre] / wanted) == pytest.approx(0, abs=0.1)


def test_zones_cover_every_band() -> None:
    names = [zone_of(centre) for centre in CENTRES_HZ]
    assert all(names)
    # Zones are stretches: each name appears in one run.
    runs = [name for i, name in enumerate(names) if i == 0 or name != names[i - 1]]
    assert len(runs) == len(set(runs))

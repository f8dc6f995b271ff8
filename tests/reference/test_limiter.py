"""What leaves the page's preview limiter, measured on arrays: the worklet's own file run outside the browser.

The plan: everything that is loud or fast goes in up to 12 dB over; what comes out is held against the ceiling by an eight
times oversampled peak of its own, and against what a limiter must leave alone (low tones, image, quiet sounds).
"""

from __future__ import annotations

import subprocess
from pathlib import Path

import numpy as np
import pytest
from scipy.signal import butter, resample_poly, sosfilt

from juglant.core.hit.render import render_hit
from juglant.core.hit.starts import measured_starts
from juglant.core.model.hit import Hit
from juglant.core.model.sheet import Sheet

HERE = Path(__file__).resolve().parents[1]
WORKLET = HERE.parent / "web" / "public" / "limiter.js"
RATE = 48000
CEILING_DB, ALLOWED_DB = -1.0, 0.1
OVER_DB = 12.0
STRUCK = ("kick", "snare", "clap")


def leaves(audio: np.ndarray, rate: int = RATE) -> np.ndarray:
    """What comes out for (channels, frames) and a tenth of a second of silence, (2, more frames)."""
    audio = np.pad(audio, ((0, 0), (0, rate // 10)))
    channels, frames = audio.shape
    arguments = ["node", str(HERE / "worklet.mjs"), str(WORKLET), str(rate), str(channels), str(frames)]
    done = subprocess.run(arguments, input=audio.astype("<f4").tobytes(), stdout=subprocess.PIPE, check=True)
    return np.frombuffer(done.stdout, "<f4").astype(float).reshape(2, frames)


def true_peak_db(audio: np.ndarray) -> float:
    """ITU-R BS.1770-5 annex 2 with twice its points: eight looks a sample."""
    return float(20 * np.log10(max(np.abs(resample_poly(side, 8, 1)).max() for side in audio)))


def floor_filtered(audio: np.ndarray) -> np.ndarray:
    """As the page has it ahead of the limiter: Butterworth of order 4 at 20 Hz."""
    return np.asarray(sosfilt(butter(4, 20, "highpass", fs=RATE, output="sos"), audio, axis=-1))


def sine(hz: float, seconds: float = 1.0, rate: int = RATE) -> np.ndarray:
    return np.sin(2 * np.pi * hz * np.arange(round(rate * seconds)) / rate + 0.3)


def over(audio: np.ndarray, db: float) -> np.ndarray:
    """Scaled so that its largest sample stands this far over full scale."""
    return audio / np.abs(audio).max() * 10 ** (db / 20)


def start(role: str, index: int) -> np.ndarray:
    hit = measured_starts(Sheet(), role, Hit())[index].hit
    return render_hit(hit, sample_rate=RATE, bpm=126).audio


def noise() -> np.ndarray:
    return np.random.default_rng(7).standard_normal(RATE)


def steps() -> np.ndarray:
    """Square steps of changing height, each 50 ms."""
    heights = np.random.default_rng(3).uniform(-1, 1, 20)
    return np.repeat(heights, RATE // 20)


def struck_again(audio: np.ndarray) -> np.ndarray:
    out = np.zeros(RATE)
    for at in (0, RATE // 4, RATE // 2, RATE // 2 + 900):
        room = min(audio.shape[-1], RATE - at)
        out[at : at + room] += audio[..., :room].sum(axis=0) if audio.ndim == 2 else audio[:room]
    return out


SOUNDS = {
    **{f"sine {hz} Hz": (lambda hz=hz: sine(hz)) for hz in (25, 40, 55, 100, 440, 1000, 3000, 7000, 9999, 12000, 15000)},
    "white noise": noise,
    "square steps": steps,
    "one sample": lambda: np.eye(1, RATE, 4000)[0],
    **{f"{role} {i}": (lambda r=role, i=i: struck_again(start(r, i))) for role in STRUCK for i in (0, 1)},
}


@pytest.mark.parametrize(
    ("sound", "over_db"),
    [*((sound, OVER_DB) for sound in SOUNDS), ("white noise", 4.0), ("kick 0", 4.0), ("sine 9999 Hz", 6.0)],
)
def test_nothing_leaves_over_the_ceiling(sound: str, over_db: float) -> None:
    audio = over(SOUNDS[sound](), over_db)
    out = leaves(floor_filtered(np.stack((audio, 0.7 * audio))))
    assert true_peak_db(out) <= CEILING_DB + ALLOWED_DB


@pytest.mark.parametrize("rate", [44100, 88200, 96000])
def test_the_ceiling_holds_at_every_project_rate(rate: int) -> None:
    parts = [over(sine(hz, 0.5, rate), 9) for hz in (60, 997, 15000)] + [over(noise()[: rate // 2], OVER_DB)]
    out = leaves(np.concatenate(parts)[np.newaxis], rate)
    assert true_peak_db(out) <= CEILING_DB + ALLOWED_DB


@pytest.mark.parametrize(("left", "right"), [(1.0, 0.0), (0.0, 1.0), (1.0, -1.0)])
def test_one_side_alone_is_held_and_the_image_stays(left: float, right: float) -> None:
    audio = over(struck_again(start("clap", 0)) + 0.2 * noise(), OVER_DB)
    out = leaves(np.stack((left * audio, right * audio)))
    assert true_peak_db(out + 1e-12) <= CEILING_DB + ALLOWED_DB
    np.testing.assert_allclose(out[0] * right, out[1] * left, atol=1e-6)


def test_one_channel_goes_to_both_sides() -> None:
    audio = over(sine(80), 6)
    out = leaves(audio[np.newaxis])
    np.testing.assert_array_equal(out[0], out[1])
    assert true_peak_db(out) <= CEILING_DB + ALLOWED_DB


def spectrum_db(tone: np.ndarray) -> np.ndarray:
    """Energy by frequency of one second, re all of it, dB; one bin a hertz (Hann window)."""
    energy = np.abs(np.fft.rfft(tone * np.hanning(len(tone)))) ** 2
    return 10 * np.log10(energy / energy.sum() + 1e-30)


def test_a_low_tone_gains_nothing_above_2_khz() -> None:
    out = leaves(over(sine(100, 2.0), OVER_DB)[np.newaxis])[0]
    # From its first sample on, with what its sudden start would bring by itself taken away by the window.
    for second in (out[:RATE], out[RATE : 2 * RATE]):
        added = 10 ** (spectrum_db(second)[2000:] / 10)
        assert 10 * np.log10(added.sum()) < -60


@pytest.mark.parametrize("hz", [25, 31, 45, 80, 160])
def test_low_tones_stay_low_tones(hz: int) -> None:
    # Total harmonic distortion of a held tone once the gain rests, by spectrum: under -80 dB.
    second = leaves(over(sine(hz, 3.0), OVER_DB)[np.newaxis])[0][2 * RATE : 3 * RATE]
    energy = 10 ** (spectrum_db(second) / 10)
    beside = np.abs(np.arange(energy.size) - hz) > 3
    assert 10 * np.log10(energy[beside].sum()) < -80
    assert -1.3 < 20 * np.log10(np.abs(second).max()) <= CEILING_DB


def test_what_is_under_the_ceiling_passes_sample_for_sample() -> None:
    audio = 0.8 * over(noise(), 0)[: RATE // 2] * np.hanning(RATE // 2)
    out = leaves(audio[np.newaxis])[0]
    late = int(np.argmax(np.correlate(out[:6000], audio[:5000], "valid")))
    np.testing.assert_allclose(out[late : late + len(audio)], audio, atol=1e-6)
    # Two averages of 1.25 ms and half an interpolator: what the page adds to its latency.
    assert late / RATE == pytest.approx(0.0028, abs=0.0002)


def test_it_lets_go_again() -> None:
    audio = 0.1 * sine(200, 2.0)
    audio[:4800] *= 10 ** (OVER_DB / 20) * 10
    out = leaves(audio[np.newaxis])[0]
    assert np.abs(out[RATE : 2 * RATE]).max() == pytest.approx(0.1, rel=0.01)


def test_samples_that_are_no_numbers_are_silence() -> None:
    audio = over(sine(60), 6)
    audio[1000:1010], audio[2000], audio[3000] = np.nan, np.inf, -1e30
    out = leaves(audio[np.newaxis])
    assert np.isfinite(out).all()
    assert true_peak_db(out) <= CEILING_DB + ALLOWED_DB

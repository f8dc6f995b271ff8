"""The main job against published values: the source beside each check, and whether a value is from memory."""

from __future__ import annotations

import math
import struct

import numpy as np
import pytest
from scipy import signal as dsp

from juglant.core.analysis.analyse import analyse
from juglant.core.hit.render import render_layer
from juglant.core.measure.bands import CENTRES_HZ
from juglant.core.measure.level import k_weighting, loop_loudness, true_peak
from juglant.core.measure.timing import measure_timing
from juglant.core.model.hit import Hit, Layer
from juglant.core.model.strokes import BassNote
from juglant.core.model.track import Track
from juglant.core.music.notes import note_number
from juglant.core.signal.filters import SHAPES, butterworth, cookbook, filter_signal, response
from juglant.core.synth.sweep import Sweep
from juglant.core.synth.tail import Tail
from juglant.formats.wav import sampler_chunk, wav_24, wav_float

RATE = 48000


def tone(hz: float, seconds: float, level_dbfs: float, channels: int = 1) -> np.ndarray:
    wave = 10 ** (level_dbfs / 20) * np.sin(2 * np.pi * hz * np.arange(round(seconds * RATE)) / RATE)
    return wave if channels == 1 else np.stack([wave] * channels)


def test_997_hz_full_scale_in_one_channel_reads_minus_3_01() -> None:
    """ITU-R BS.1770-5: a 0 dBFS 997 Hz sine in one channel reads -3.01 LKFS."""
    assert loop_loudness(tone(997, 20, 0), sample_rate=RATE) == pytest.approx(-3.01, abs=0.01)


@pytest.mark.parametrize("level_dbfs", [-23.0, -33.0])
def test_loudness_meter_cases_1_and_2(level_dbfs: float) -> None:
    """EBU Tech 3341 cases 1 and 2: stereo 1 kHz sine at -23 (-33) dBFS for 20 s reads -23.0 (-33.0) +-0.1 LUFS."""
    from juglant.core.measure.level import integrated_loudness, k_weighted

    stereo = tone(1000, 20, level_dbfs, channels=2)
    assert integrated_loudness(k_weighted(stereo, sample_rate=RATE), sample_rate=RATE) == pytest.approx(level_dbfs, abs=0.1)


def test_k_weighting_coefficients_at_48_khz() -> None:
    """ITU-R BS.1770-5 tables 1 and 2 (values from memory)."""
    shelf, high = k_weighting(48000)
    assert shelf[:3] == pytest.approx([1.53512485958697, -2.69169618940638, 1.19839281085285], abs=1e-8)
    assert shelf[4:] == pytest.approx([-1.69065929318241, 0.73248077421585], abs=1e-8)
    assert high[4:] == pytest.approx([-1.99004745483398, 0.99007225036621], abs=1e-8)


def test_true_peak_of_a_quarter_rate_tone() -> None:
    """ITU-R BS.1770-5 annex 2: the fs/4 sine at 45 degrees peaks 3.01 dB over its samples, tolerance +0.2/-0.4 dB."""
    wave = np.sin(np.pi / 2 * np.arange(RATE) + np.pi / 4)
    over = 20 * math.log10(true_peak(wave) / np.max(np.abs(wave)))
    assert 3.01 - 0.4 <= over <= 3.01 + 0.2


def test_third_octave_centres() -> None:
    """IEC 61260-1: exact base-ten centres 1000 * 10^(3x/30)."""
    wanted = [31.62, 39.81, 50.12, 63.10, 79.43, 100.0, 125.9]
    assert [c for c in CENTRES_HZ if 31 < c < 126] == pytest.approx(wanted, abs=0.05)
    assert CENTRES_HZ[0] == pytest.approx(25.12, abs=0.005)
    assert CENTRES_HZ[-1] == pytest.approx(15849, abs=1)


@pytest.mark.parametrize("order", [2, 4])
@pytest.mark.parametrize("corner_hz", [30, 80, 1000])
def test_butterworth_corner_and_slope(order: int, corner_hz: float) -> None:
    """Textbook: -3.01 dB at the corner, 6 dB per octave and order well below a high-pass corner."""
    sections = butterworth(order, corner_hz, "highpass", sample_rate=RATE)
    gain = 20 * np.log10(np.abs(response(sections, np.array([corner_hz, corner_hz / 8, corner_hz / 16]), sample_rate=RATE)))
    assert gain[0] == pytest.approx(-3.01, abs=0.01)
    assert gain[1] - gain[2] == pytest.approx(6.02 * order, abs=0.15)


@pytest.mark.parametrize("gain_db", [-9.0, -4.5, 3.0])
@pytest.mark.parametrize("q", [0.4, 0.707, 4.0])
@pytest.mark.parametrize("shape", SHAPES)
def test_eq_sections_by_the_cookbook(shape: str, q: float, gain_db: float) -> None:
    """R. Bristow-Johnson, Audio EQ Cookbook: gains that its formulas fix exactly."""
    f0 = 75.0
    sections = cookbook(shape, frequency_hz=f0, gain_db=gain_db, q=q, sample_rate=RATE)
    at = np.array([1e-3, f0, 0.499 * RATE])
    low, mid, top = 20 * np.log10(np.maximum(np.abs(response(sections, at, sample_rate=RATE)), 1e-12))
    if shape == "bell":
        assert (low, mid, top) == pytest.approx((0, gain_db, 0), abs=0.01)
    elif shape == "low shelf":
        assert (low, mid, top) == pytest.approx((gain_db, gain_db / 2, 0), abs=0.01)
    elif shape == "high shelf":
        assert (low, mid, top) == pytest.approx((0, gain_db / 2, gain_db), abs=0.01)
    elif shape == "high-pass":
        assert low < -120
        assert (mid, top) == pytest.approx((20 * math.log10(q), 0), abs=0.01)
    else:
        assert (low, mid) == pytest.approx((0, 20 * math.log10(q)), abs=0.01)
        assert top < -90


def test_sections_filter_as_scipy_does() -> None:
    """Library: scipy.signal.sosfilt."""
    noise = np.random.default_rng(3).standard_normal(4000)
    sections = np.vstack([cookbook(shape, frequency_hz=200, gain_db=-6, q=0.9, sample_rate=RATE) for shape in SHAPES])
    assert np.allclose(filter_signal(sections, noise), dsp.sosfilt(sections, noise), atol=1e-12)


@pytest.mark.parametrize("tau_s", [0.08, 0.2])
def test_t60_is_6_908_tau(tau_s: float) -> None:
    """Schroeder 1965: T60 = 6.908 tau, by backward integration."""
    time = np.arange(round(12 * tau_s * RATE)) / RATE
    found = measure_timing(np.sin(2 * np.pi * 60 * time) * np.exp(-time / tau_s), sample_rate=RATE)
    assert found.t60_ms == pytest.approx(6908 * tau_s, rel=0.02)


@pytest.mark.parametrize("bass_note", [33, 36])
def test_beats_are_the_difference_of_the_frequencies(bass_note: int, untouched: Track) -> None:
    """Textbook acoustics (Helmholtz): beats = abs(f1 - f2) a second."""
    kick = Hit(layers=(Layer(id="t", name="T", source=Tail(landing_hz=58.27, attack_ms=2, hold_ms=1500, decay_ms=2000)),))
    track = untouched.having(
        kick=kick, kick_at_beats=(0.0,), bass_notes=(BassNote(at_beats=0, length_beats=3, note=bass_note),)
    )
    found = analyse(track)
    assert found.beating is not None
    apart = abs(58.27 - 440 * 2 ** ((bass_note - 69) / 12))
    assert abs(found.beating.kick_hz - found.beating.bass_hz) == pytest.approx(apart, abs=0.1)
    assert found.beating.beats == pytest.approx(apart * found.beating.overlap_s, rel=0.05)
    # Counted: two steady tones, their envelope has that many minima in the time.
    both = np.sin(2 * np.pi * found.beating.kick_hz * np.arange(RATE) / RATE)
    both += np.sin(2 * np.pi * found.beating.bass_hz * np.arange(RATE) / RATE)
    envelope = np.abs(dsp.hilbert(both))
    # The transform's own edges are no beats.
    minima = [at for at in dsp.argrelmin(envelope, order=1000)[0] if 500 < at < RATE - 500]
    assert abs(len(minima) - apart) <= 1


def chunks(data: bytes) -> dict[bytes, bytes]:
    assert data[:4] == b"RIFF"
    assert struct.unpack("<I", data[4:8])[0] == len(data) - 8
    found, at = {}, 12
    while at < len(data):
        size = struct.unpack("<I", data[at + 4 : at + 8])[0]
        found[data[at : at + 4]] = data[at + 8 : at + 8 + size]
        at += 8 + size + size % 2
    return found


HALF = 2**31  # 0x80000000 is 50 cents


@pytest.mark.parametrize(
    ("hz", "unity", "fraction"),
    [
        (440.0, 69, 0),
        (58.2705, 34, 0),
        (440 * 2 ** (2.5 / 1200), 69, 0),  # within 3 cents of the note
        (440 * 2 ** (50 / 1200), 69, HALF),
        (440 * 2 ** (-30 / 1200), 68, round(0.7 * 2**32)),  # the fraction only counts upwards
        (440 * 2 ** (-1 / 1200), 69, 0),
    ],
)
def test_root_note_bytes(hz: float, unity: int, fraction: int) -> None:
    """RIFF/WAVE multimedia data standards: `smpl` unity note at byte 12, unsigned fraction upwards at byte 16."""
    chunk = sampler_chunk(hz, RATE)
    assert chunk[:4] == b"smpl"
    body = chunk[8:]
    assert len(body) == struct.unpack("<I", chunk[4:8])[0] == 36
    found_unity, found_fraction = struct.unpack("<II", body[12:20])
    assert found_unity == unity
    assert found_fraction == pytest.approx(fraction, abs=2)
    assert struct.unpack("<I", body[8:12])[0] == round(1e9 / RATE)
    # Read the other way round it is the pitch again.
    assert found_unity + found_fraction / 2**32 == pytest.approx(note_number(hz, 440), abs=0.031)


def test_a_hit_without_pitch_has_no_root_note() -> None:
    assert b"smpl" not in chunks(wav_24(np.zeros(100), RATE, landing_hz=None))
    assert b"smpl" in chunks(wav_24(np.zeros(101), RATE, landing_hz=50))


def test_wav_headers_byte_by_byte() -> None:
    audio = np.array([0.0, 0.5, -0.5, 1.0, -1.0])
    whole = chunks(wav_24(audio, RATE, landing_hz=None))
    assert struct.unpack("<HHIIHH", whole[b"fmt "]) == (1, 1, RATE, 3 * RATE, 3, 24)
    values = [int.from_bytes(whole[b"data"][i : i + 3], "little", signed=True) for i in range(0, 15, 3)]
    assert values == [0, 4194304, -4194304, 8388607, -8388607]
    stem = chunks(wav_float(np.stack((audio, audio)), RATE))
    assert struct.unpack("<HHIIHH", stem[b"fmt "][:16]) == (3, 2, RATE, 8 * RATE, 8, 32)
    assert np.frombuffer(stem[b"data"], "<f4").reshape(-1, 2)[:, 1] == pytest.approx(audio)


def test_common_practice_a_kick_rendered_half_a_beat_long_is_measured_so() -> None:
    """Common practice: a house kick lasts about half a beat (238 ms at 126 BPM)."""
    source = Sweep(landing_hz=55, start_semitones=24, sweep_ms=100, attack_ms=0.5, hold_ms=0, decay_ms=238, release_ms=90)
    audio = render_layer(Layer(id="k", name="K", source=source), sample_rate=RATE)
    length = measure_timing(audio, sample_rate=RATE).length_ms
    assert length is not None
    assert length / (60000 / 126) == pytest.approx(0.5, abs=0.05)

"""A recorded line through a chain against the same processing of its file, made with scipy alone.

Equaliser coefficients: R. Bristow-Johnson, Cookbook formulae for audio EQ biquad filter coefficients (from memory). The
compressor: Giannoulis, Massberg, Reiss, Digital Dynamic Range Compressor Design, JAES 2012: soft knee (eq. 4) and
the smooth decoupled follower of the gain in the log domain (eq. 17), from memory.
"""

from __future__ import annotations

import math

import numpy as np
import pytest
from scipy import signal as dsp

from juglant.core.chain.compressor import Compressor
from juglant.core.chain.delay import Delay
from juglant.core.chain.equalizer import Equalizer
from juglant.core.loop.render import render_stem
from juglant.core.model.stem import BASS
from juglant.core.model.track import Track
from juglant.core.synth.bass import Bass
from juglant.core.synth.takes import TakeAudio, provide, take_id
from juglant.core.types import Samples

RATE = 48000
AGREE_DB = -80.0


@pytest.fixture
def line(untouched: Track) -> tuple[Track, Samples]:
    """The demo's line as a recording, and the track that plays it at 0 dB."""
    sheet = untouched.sheet.model_copy(update={"bars": 2})
    saw = untouched.having(bass=Bass(source="saw"), sheet=sheet)
    audio = render_stem(saw, BASS.of("before")) / 10 ** (saw.bass_part.gain_db / 20)
    # Recorded sounds are kept as 32-bit floats.
    audio = audio.astype(np.float32).astype(np.float64)[None]
    name = take_id(audio, RATE)
    provide({name: TakeAudio(audio, RATE)}.get)
    return saw.with_part("bass", instrument=Bass(source="recorded line", take=name), gain_db=0.0), audio[0]


def cookbook(kind: str, hz: float, gain_db: float, q: float) -> Samples:
    w, a = 2 * math.pi * hz / RATE, 10 ** (gain_db / 40)
    alpha, c = math.sin(w) / (2 * q), math.cos(w)
    if kind == "bell":
        b, d = [1 + alpha * a, -2 * c, 1 - alpha * a], [1 + alpha / a, -2 * c, 1 - alpha / a]
    elif kind == "high-pass":
        b, d = [(1 + c) / 2, -(1 + c), (1 + c) / 2], [1 + alpha, -2 * c, 1 - alpha]
    else:
        s = 2 * math.sqrt(a) * alpha
        b = [a * ((a + 1) - (a - 1) * c + s), 2 * a * ((a - 1) - (a + 1) * c), a * ((a + 1) - (a - 1) * c - s)]
        d = [(a + 1) + (a - 1) * c + s, -2 * ((a - 1) + (a + 1) * c), (a + 1) + (a - 1) * c - s]
    return np.array([*b, *d]) / d[0]


def apart_db(one: Samples, other: Samples) -> float:
    return 10 * math.log10(float(np.sum((one - other) ** 2) / np.sum(other**2)) + 1e-30)


def played(track: Track, *chain: object) -> Samples:
    return render_stem(track.having(bass_chain=chain), BASS.of("before"))


@pytest.mark.parametrize(
    ("kind", "hz", "gain_db", "q"),
    [("bell", 116.0, 9.0, 1.4), ("bell", 55.0, -12.0, 4.0), ("high-pass", 40.0, 0.0, 0.71), ("low shelf", 90.0, -6.0, 0.7)],
)
def test_an_equalised_line_is_its_file_equalised(
    kind: str, hz: float, gain_db: float, q: float, line: tuple[Track, Samples]
) -> None:
    track, file = line
    expected = dsp.sosfilt(cookbook(kind, hz, gain_db, q)[None], np.tile(file, 3))[-file.size :]
    stage = Equalizer.model_validate({"shape": kind, "frequency_hz": hz, "gain_db": gain_db, "q": q})
    assert apart_db(played(track, stage), expected) < AGREE_DB
    # It is not the line as it was, too.
    assert apart_db(expected, file) > -30


def test_a_compressed_line_is_its_file_compressed(line: tuple[Track, Samples]) -> None:
    track, file = line
    threshold, ratio, knee, attack_ms, release_ms = -24.0, 4.0, 6.0, 10.0, 80.0
    audio = np.tile(file, 4)
    level = 20 * np.log10(np.maximum(np.abs(audio), 1e-6))
    over = level - threshold
    bend = (1 / ratio - 1) * (over + knee / 2) ** 2 / (2 * knee)
    static = np.where(over < -knee / 2, 0.0, np.where(over > knee / 2, (1 / ratio - 1) * over, bend))
    rise, fall = (math.exp(-1000 / (ms * RATE)) for ms in (attack_ms, release_ms))
    gain, held, now = np.empty(audio.size), 0.0, 0.0
    for i, wanted in enumerate(-static):
        held = max(float(wanted), fall * held + (1 - fall) * float(wanted))
        now = rise * now + (1 - rise) * held
        gain[i] = -now
    expected = (audio * 10 ** (gain / 20))[-file.size :]
    stage = Compressor(threshold_db=threshold, ratio=ratio, knee_db=knee, attack_ms=attack_ms, release_ms=release_ms)
    assert apart_db(played(track, stage), expected) < AGREE_DB


def test_an_echoed_line_is_its_file_with_its_echoes(line: tuple[Track, Samples]) -> None:
    track, file = line
    beat = 60 / track.sheet.bpm * RATE
    sections = np.vstack(
        (dsp.butter(4, 200, "highpass", fs=RATE, output="sos"), dsp.butter(2, 6000, "lowpass", fs=RATE, output="sos"))
    )
    wet = dsp.sosfilt(sections, np.tile(file, 4))
    expected = np.tile(file, 4)
    for turn in range(40):
        late = round(beat * 0.75 * (turn + 1))
        if 0.5**turn < 1e-3:
            break
        expected[late:] += 10 ** (-6 / 20) * 0.5**turn * wet[: expected.size - late]
    stage = Delay(every="1/8 dotted", feedback_pct=50, low_cut_hz=200, high_cut_hz=6000, level_db=-6)
    assert apart_db(played(track, stage), expected[-file.size :]) < AGREE_DB


def test_two_stages_work_in_their_order(line: tuple[Track, Samples]) -> None:
    track, file = line
    boost = Equalizer(frequency_hz=60, gain_db=12, q=1)
    press = Compressor(threshold_db=-30, ratio=6)
    one, other = played(track, boost, press), played(track, press, boost)
    assert apart_db(one, other) > -30
    assert one.size == file.size

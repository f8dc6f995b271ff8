"""What a recording carries, against what was planted in it: hum, hiss, an offset; taken out without touching what stays.

Toms made here under a hum of two tones, white noise and an offset; levels and frequencies are the trial's own.
"""

from __future__ import annotations

import numpy as np
import pytest
from near_meters import RATE, made_snare, made_tom

from juglant.core.measure.carries import carried, cleaned

SECONDS, EVERY_S = 6, 1.5


def toms(level: float = 1.0) -> np.ndarray:
    out = np.zeros(SECONDS * RATE)
    for number in range(3):
        sound = made_tom(92 + 11 * number)
        at = round((0.7 + EVERY_S * number) * RATE)
        out[at : at + sound.size] += level * sound[: out.size - at]
    return out


def hum_of(hum_db: float, hz: float) -> np.ndarray:
    """Two tones, the second 10 dB under the first, of one rms."""
    time = np.arange(SECONDS * RATE) / RATE
    rms = 10 ** (hum_db / 20)
    return rms * np.sqrt(2 / 1.1) * (np.sin(2 * np.pi * hz * time + 1) + np.sqrt(0.1) * np.sin(4 * np.pi * hz * time + 2))


def hiss_of(hiss_db: float) -> np.ndarray:
    return 10 ** (hiss_db / 20) * np.random.default_rng(5).standard_normal(SECONDS * RATE)


PLANTED = [
    (-50.0, -70.0, 50.03, 0.002),
    (-62.0, -74.0, 59.95, 0.0),
    (-40.0, -60.0, 50.0, -0.01),
    (-55.0, -80.0, 60.1, 0.0005),
]


@pytest.mark.parametrize(("hum_db", "hiss_db", "hz", "offset"), PLANTED)
def test_hum_hiss_and_offset_are_read_within_a_decibel(hum_db: float, hiss_db: float, hz: float, offset: float) -> None:
    found = carried(toms() + hum_of(hum_db, hz) + hiss_of(hiss_db) + offset, sample_rate=RATE)
    assert found.hum_db == pytest.approx(hum_db, abs=1)
    assert found.hum_hz == pytest.approx(hz, abs=0.05)
    assert found.partials == 2
    assert found.hiss_db == pytest.approx(hiss_db, abs=1)
    assert found.floor_db == pytest.approx(10 * np.log10(10 ** (hum_db / 10) + 10 ** (hiss_db / 10)), abs=1)
    assert found.offset == pytest.approx(offset, abs=2e-4)


@pytest.mark.parametrize("hiss_db", [-80.0, -66.0, -52.0])
def test_no_hum_is_read_where_none_is(hiss_db: float) -> None:
    found = carried(toms() + hiss_of(hiss_db), sample_rate=RATE)
    assert (found.hum_db, found.hum_hz, found.partials) == (None, None, 0)
    assert found.hiss_db == pytest.approx(hiss_db, abs=1)


@pytest.mark.parametrize(("hum_db", "hiss_db", "hz", "offset"), PLANTED)
def test_what_is_taken_out_is_gone_and_the_sounds_stay(hum_db: float, hiss_db: float, hz: float, offset: float) -> None:
    clean = toms()
    made = clean + hum_of(hum_db, hz) + hiss_of(hiss_db) + offset
    left = cleaned(made[None], sample_rate=RATE, hum=True, hiss_down_db=0, offset=True)[0]
    rests = slice(round(0.1 * RATE), round(0.6 * RATE))
    power = np.abs(np.fft.rfft(left[rests] * np.hanning(RATE // 2))) ** 2
    near = slice(round(hz / 2) - 3, round(hz / 2) + 4)
    before = np.abs(np.fft.rfft((made[rests] - offset) * np.hanning(RATE // 2))) ** 2
    assert 10 * np.log10(power[near].max() / before[near].max()) < -12
    assert 10 * np.log10(np.mean((left - clean)[rests] ** 2)) == pytest.approx(hiss_db, abs=1)
    # Under the toms no more is lost than hiss: their error stays at its level.
    tom = slice(round(0.7 * RATE), round(1.2 * RATE))
    assert 10 * np.log10(np.mean((left - clean)[tom] ** 2)) < hiss_db + 2


def test_hiss_goes_down_where_nothing_else_sounds_and_strokes_keep_theirs() -> None:
    clean = toms()
    left = cleaned((clean + hiss_of(-60))[None], sample_rate=RATE, hum=False, hiss_down_db=12, offset=False)[0]
    rests = slice(round(0.1 * RATE), round(0.6 * RATE))
    assert 10 * np.log10(np.mean(left[rests] ** 2)) == pytest.approx(-72, abs=2)
    for number in range(3):
        at = round((0.7 + EVERY_S * number) * RATE)
        stroke = slice(at, at + round(0.02 * RATE))
        lost = np.sum((left - clean)[stroke] ** 2) / np.sum(clean[stroke] ** 2)
        assert 10 * np.log10(lost) < -25
    # Nothing rings ahead of a stroke: what was quiet before it stays quiet.
    before = slice(round(0.69 * RATE), round(0.6985 * RATE))
    assert np.max(np.abs(left[before])) < 0.01


@pytest.mark.parametrize(
    "sound",
    [
        np.zeros(RATE),
        np.zeros(0),
        np.zeros(10),
        np.full(RATE, 0.3),
        0.4 * np.random.default_rng(2).standard_normal(2 * RATE),
        np.tile(made_snare(200)[: round(0.12 * RATE)], 20),
    ],
    ids=["silence", "nothing", "ten samples", "DC", "noise alone", "no rest"],
)
def test_what_never_rests_says_so_and_stays_as_it_is(sound: np.ndarray) -> None:
    found = carried(sound, sample_rate=RATE)
    assert (found.floor_db, found.hum_db, found.hiss_db, found.rests_s) == (None, None, None, 0)
    if sound.size:
        left = cleaned(sound[None], sample_rate=RATE, hum=True, hiss_down_db=24, offset=False)
        assert np.allclose(left, sound[None], atol=1e-12)

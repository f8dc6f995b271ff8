"""Moving the pitch of recorded sounds: by speed, and with length and attack as they are."""

from __future__ import annotations

import numpy as np
import pytest

from juglant.core.measure.landing import measure_landing
from juglant.core.measure.level import db
from juglant.core.signal.shift import length_kept, resampled, stretched

RATE = 48000
KEEP = 1440


def kick(landing_hz: float, seconds: float = 0.9) -> np.ndarray:
    time = np.arange(round(seconds * RATE)) / RATE
    turn = np.cumsum(landing_hz * (1 + 2 * np.exp(-time / 0.02))) / RATE
    sound = 0.8 * np.sin(2 * np.pi * turn) * np.exp(-6 * time)
    sound[:400] += np.random.default_rng(7).standard_normal(400) * np.exp(-np.arange(400) / 80) * 0.4
    return sound[None]


def landing(audio: np.ndarray) -> float:
    found = measure_landing(audio[0], sample_rate=RATE).landing_hz
    assert found is not None
    return found


@pytest.mark.parametrize("cents", [-400, -150, -37, 80, 200, 390])
@pytest.mark.parametrize("landing_hz", [41.2, 58.27, 98, 150])
def test_length_and_attack_stay_and_the_tail_lands_within_three_cents(landing_hz: float, cents: float) -> None:
    before = kick(landing_hz)
    after = length_kept(before, 2 ** (cents / 1200), keep_frames=KEEP, sample_rate=RATE)
    assert after.shape == before.shape
    assert np.array_equal(after[:, :KEEP], before[:, :KEEP])
    assert 1200 * np.log2(landing(after) / landing(before)) == pytest.approx(cents, abs=3)
    # The tail is neither doubled nor cancelled where both halves meet.
    assert 10 * np.log10(np.sum(after**2) / np.sum(before**2)) == pytest.approx(0, abs=1.5)


@pytest.mark.parametrize("cents", [-2400, -700, 31, 1200])
def test_speed_moves_pitch_and_length_together(cents: float) -> None:
    ratio = 2 ** (cents / 1200)
    before = kick(80)
    after = resampled(before, RATE * ratio, RATE)
    assert after.shape[1] == pytest.approx(before.shape[1] / ratio, abs=2)
    if 24 < 80 * ratio < 400:
        assert 1200 * np.log2(landing(after) / landing(before)) == pytest.approx(cents, abs=1)


@pytest.mark.parametrize("ratio", [0.5, 0.8, 1.3, 2.0])
def test_both_sides_of_a_stretched_sound_are_moved_alike(ratio: float) -> None:
    """Waveform-similarity overlap-add: one place for all channels, so that sides stay alike."""
    one = kick(60)[0]
    long = stretched(np.stack((one, -0.5 * one)), ratio, sample_rate=RATE)
    assert long.shape == (2, round(one.size * ratio))
    assert np.allclose(long[1], -0.5 * long[0])
    assert landing(long[:1]) == pytest.approx(60, rel=0.002)


@pytest.mark.parametrize("frames", [1, 2, 40, 1500, 3000])
def test_sounds_too_short_to_move_are_left_as_they_are(frames: int) -> None:
    short = kick(60)[:, :frames]
    assert length_kept(short, 1.2, keep_frames=KEEP, sample_rate=RATE).shape == short.shape
    assert np.all(np.isfinite(stretched(short, 1.7, sample_rate=RATE)))


def test_no_more_than_two_octaves() -> None:
    with pytest.raises(ValueError, match=r"0\.25 to 4"):
        length_kept(kick(60), 4.1, keep_frames=KEEP, sample_rate=RATE)


def test_nothing_ends_with_a_click() -> None:
    after = length_kept(kick(60, 1.6), 0.9, keep_frames=KEEP, sample_rate=RATE)
    assert db(float(np.max(np.abs(after[0, -200:])))) < -60

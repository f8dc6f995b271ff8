"""A recorded tom of a package of free drum kits (Debian, 2017.09) is rebuilt from engines, where it is installed."""

from __future__ import annotations

from math import gcd
from pathlib import Path

import numpy as np
import pytest
import scipy
import soundfile
from near_meters import RATE, bands_apart_db, pitch_hz

from juglant.core.hit.near_to import near_to
from juglant.core.hit.render import render_hit
from juglant.core.music.notes import cents_between

KITS = Path("/usr/share")
# Of two drum sets, both with their pitch in the lows.
TOMS = ("PearlTom1-Hard.wav", "tom2_1.flac")


@pytest.mark.parametrize("name", TOMS)
def test_a_recorded_tom_is_rebuilt(name: str) -> None:
    found = sorted(KITS.glob(f"*/data/drumkits/*/{name}"))
    if not found:
        pytest.skip("Debian's recorded drums are not installed")
    audio, rate = soundfile.read(found[0], always_2d=True)
    shared = gcd(RATE, rate)
    # The first three seconds: what a recording has after that is its room.
    goal = scipy.signal.resample_poly(audio.mean(axis=1), RATE // shared, rate // shared)[: 3 * RATE]
    made = near_to(np.ascontiguousarray(goal).tobytes(), "tom", RATE, 126.0)
    sound = render_hit(made.hit, sample_rate=RATE, bpm=126.0).mono[: 3 * RATE]
    assert np.max(np.abs(bands_apart_db(sound, goal, RATE))) < 2
    assert made.cents is not None
    about_hz = 440 * 2 ** (round(12 * np.log2(pitch_hz(goal, RATE, strongest_hz(goal)) / 440)) / 12)
    assert abs(cents_between(pitch_hz(goal, RATE, about_hz), pitch_hz(sound, RATE, about_hz))) < 10


def strongest_hz(sound: np.ndarray) -> float:
    """Middle of the strongest part of the spectrum from 60 to 400 Hz."""
    part = sound[round(0.12 * RATE) : round(0.6 * RATE)]
    power = np.abs(np.fft.rfft(part * np.hanning(part.size), 1 << 17))
    frequency = np.fft.rfftfreq(1 << 17, 1 / RATE)
    inside = (frequency > 60) & (frequency < 400)
    return float(frequency[inside][np.argmax(power[inside])])

"""Patterns of loops made of recorded drums of a General MIDI sound set (Debian: fluid-soundfont-gm), where installed."""

from __future__ import annotations

import re

import numpy as np
import pytest
from made_loops import PATTERNS
from near_meters import RATE
from scipy.signal import resample_poly
from sound_set import SOUND_SET, sounds

from juglant.core.measure.pattern import read_pattern

DRUMS = {"kick": r"^Std Kick [1-4]\(", "snare": r"^(Snr [12]-1|Power Snare [12])\(", "hat": r"^Hi-Hat Closed\(|^808 Closed"}
LEVELS = {"kick": 1.0, "snare": 0.8, "hat": 0.45}
TEMPOS = (92, 122, 126, 140, 172)


def test_kicks_snares_and_hats_of_recorded_drums_are_read() -> None:
    """Its own strokes are the truth: F of 0.9 for kicks, 0.85 for snares and hats, over thirty loops."""
    if not SOUND_SET.exists():
        pytest.skip("Debian's General MIDI sound set is not installed")
    drums = {
        row: [resample_poly(audio, RATE, rate) for _, (audio, rate) in sorted(sounds(re.compile(name)).items())]
        for row, name in DRUMS.items()
    }
    assert [len(one) for one in drums.values()] == [4, 4, 2]
    counts = {row: np.zeros(3) for row in DRUMS}
    for number, pattern in enumerate(PATTERNS):
        for place, bpm in enumerate(TEMPOS):
            frames = round(2 * 240 / bpm * RATE)
            loop, truth = np.zeros(frames), set()
            random = np.random.default_rng(7 * number + place)
            for bar in range(2):
                for row, steps in zip(DRUMS, PATTERNS[pattern], strict=True):
                    sound = drums[row][(number + place) % len(drums[row])][: 2 * RATE]
                    for step in steps:
                        at = round((16 * bar + step) * 60 / bpm / 4 * RATE)
                        level = LEVELS[row] * random.uniform(0.75, 1) / np.max(np.abs(sound))
                        np.add.at(loop, (at + np.arange(sound.size)) % frames, level * sound)
                        truth.add((row, 4 * bar + step / 4))
            found = read_pattern(loop / np.max(np.abs(loop)) / 2, sample_rate=RATE, said_bpm=bpm)
            read = {(one.row, one.at_beats) for one in found.hits}
            for row in counts:
                got, want = ({one for one in each if one[0] == row} for each in (read, truth))
                counts[row] += (len(got & want), len(got), len(want))
    for row, least in (("kick", 0.9), ("snare", 0.85), ("hat", 0.85)):
        right, got, want = counts[row]
        assert 2 * right / (got + want) >= least, row

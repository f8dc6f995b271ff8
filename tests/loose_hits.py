"""Made-up hits as skins are: some never rest on a note, as acoustic kicks do, others do and waver while they ring.

Two skins that fall apart from each other, a shell of noise, a beater. Written after what is known of such drums, after no
recording.
"""

from __future__ import annotations

import numpy as np
from made_hits import MadeHit
from scipy import signal as dsp
from worn_hits import RATES, worn_by_records

# What is still to fall when the hit is 20 dB down, cents.
LEAST_LEFT_CENTS = 100.0


def loose(rng: np.random.Generator) -> MadeHit:
    """One hit without a landing; traits give pitches of the lower skin, Hz.

    ends_hz: where it is going and never comes to; low_hz, high_hz: lowest and highest while it is within 20 dB.
    """
    rate = int(rng.choice(RATES))
    heard_s = 0.06 * 5 ** rng.random()
    time = np.arange(int(rng.uniform(2, 5) * heard_s * rate)) / rate
    lowest = float(36 * (85 / 36) ** rng.random())
    octaves = rng.uniform(0.4, 1.6)
    slow = heard_s * rng.uniform(0.6, 2.5)
    least = (2 ** (LEAST_LEFT_CENTS / 1200) - 1) / (2**octaves - 1)
    slow = max(slow, heard_s / np.log(1 / min(0.9, least)))
    pitch = lowest * (1 + (2**octaves - 1) * np.exp(-time / slow))
    level = np.exp(-2.3 * time / heard_s) * np.clip(time / rng.uniform(0.001, 0.008), 0, 1)
    x = np.sin(2 * np.pi * np.cumsum(pitch) / rate) * level
    for ratio in rng.choice([1.35, 1.593, 1.8, 2.136, 2.295, 2.653], int(rng.integers(1, 5)), replace=False):
        other = (
            pitch * ratio * rng.uniform(0.96, 1.04) * (1 + rng.uniform(0, 0.15) * np.exp(-time / rng.uniform(0.02, 0.2)))
        )
        x += (
            rng.uniform(0.1, 0.6)
            * np.sin(2 * np.pi * np.cumsum(other) / rate + rng.uniform(0, 6))
            * level ** rng.uniform(1, 3)
        )
    shell = dsp.sosfilt(
        dsp.butter(2, [rng.uniform(40, 90), rng.uniform(200, 900)], "bandpass", fs=rate, output="sos"),
        rng.standard_normal(time.size),
    )
    x += 10 ** (rng.uniform(-26, -8) / 20) * shell / np.max(np.abs(shell)) * level ** rng.uniform(0.6, 1.5)
    beater = rng.standard_normal(time.size) * np.exp(-time / rng.uniform(0.001, 0.006))
    x += rng.uniform(0.05, 0.5) * beater / np.max(np.abs(beater)) * np.max(np.abs(x))
    heard = time < heard_s
    traits: dict[str, object] = {
        "kind": "loose",
        "ends_hz": lowest,
        "low_hz": float(pitch[heard][-1]),
        "high_hz": float(pitch[0]),
    }
    return MadeHit(worn_by_records(rng, x, rate), rate, None, traits)


def wavering(rng: np.random.Generator) -> MadeHit:
    """One hit that falls slowly onto a note and rings there, its pitch swaying by up to 10 cents, its modes beating."""
    rate = int(rng.choice(RATES))
    landing = float(40 * 6.2 ** rng.random())
    decay = float(2.5 * 6 ** rng.random())
    octaves, fall_s = rng.uniform(0.2, 1.2), 0.02 * 5 ** rng.random()
    time = np.arange(int(min(3.0, max(3.5 / decay, 8 / landing + fall_s)) * rate)) / rate
    above = 2**octaves - 1
    fall = above * np.exp(-time / fall_s * max(np.log(above / 0.029), 0.5))
    sway = 10 * rng.random() * np.sin(2 * np.pi * rng.uniform(1, 8) * time + rng.uniform(0, 6))
    pitch = landing * (1 + fall) * 2 ** (sway / 1200)
    level = np.exp(-decay * time) * np.clip(time / rng.uniform(0.0005, 0.004), 0, 1)
    x = np.sin(2 * np.pi * np.cumsum(pitch) / rate) * level
    if rng.random() < 0.5:
        near = np.cumsum(pitch + rng.uniform(0.4, 3) * rng.choice([-1, 1])) / rate
        x += 10 ** (rng.uniform(-28, -10) / 20) * np.sin(2 * np.pi * near + rng.uniform(0, 6)) * level
    for ratio in rng.choice([1.45, 1.593, 1.8, 2.0, 2.136, 2.295, 3.0], int(rng.integers(0, 4)), replace=False):
        other = np.cumsum(pitch * ratio) / rate
        x += rng.uniform(0.05, 0.4) * np.sin(2 * np.pi * other + rng.uniform(0, 6)) * level ** rng.uniform(1, 3)
    beater = rng.standard_normal(time.size) * np.exp(-time / rng.uniform(0.001, 0.006))
    x += rng.uniform(0, 0.4) * beater / np.max(np.abs(beater)) * np.max(np.abs(x))
    end = np.clip((time[-1] - time) / 0.02, 0, 1)
    return MadeHit(worn_by_records(rng, x * end, rate), rate, landing, {"kind": "wavering", "fall_s": fall_s})

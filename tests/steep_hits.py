"""A second recipe of made-up hits, written apart from `made_hits.py`: shorter, steeper, hissing, and filtered harder.

Six sweep laws instead of three, three envelopes, clipping as well as saturation, waves that are triangles and squares, and
high-pass filters of order three to six that take the fundamental down by 20 to 30 dB.
"""

from __future__ import annotations

import numpy as np
from made_hits import RATES, SKIN, MadeHit
from scipy import signal as dsp

LAWS = ("exponential", "semitones", "line", "straight in notes", "cubic", "two stages")


def _ratio(law: str, octaves: float, time: np.ndarray, length: float) -> np.ndarray:
    above = 2**octaves - 1
    share = np.clip(1 - time / length, 0, 1)
    tau = length / np.log(above / 0.029) if above > 0.03 else length
    return {
        "exponential": lambda: 1 + above * np.exp(-time / tau),
        "semitones": lambda: 2 ** (octaves * np.exp(-time / length * np.log(max(octaves * 24, 2)))),
        "line": lambda: 1 + above * share,
        "straight in notes": lambda: 2 ** (octaves * share),
        "cubic": lambda: 1 + above * share**3,
        "two stages": lambda: 1 + above * (0.7 * np.exp(-time / (0.4 * tau)) + 0.3 * np.exp(-time / tau)),
    }[law]()


def _envelope(time: np.ndarray, length: float, rng: np.random.Generator) -> np.ndarray:
    kind = rng.integers(3)
    if kind == 0:
        level = np.exp(-time / (length / rng.uniform(2.5, 7)))
    elif kind == 1:
        hold = rng.uniform(0, 0.35) * length
        level = np.exp(-np.maximum(time - hold, 0) / ((length - hold) / rng.uniform(3, 7)))
    else:
        level = (1 - time / length) ** rng.uniform(1, 3)
    level *= np.clip(time / rng.uniform(0.0003, 0.003), 0, 1)
    return level * np.clip((length - time) / min(0.015, 0.15 * length), 0, 1)


def _room(x: np.ndarray, rate: int, rng: np.random.Generator, *, hiss: bool) -> np.ndarray:
    x = x / np.max(np.abs(x))
    if rng.random() < 0.2:
        size = int(rng.uniform(0.1, 0.8) * rate)
        wet = dsp.fftconvolve(np.append(x, np.zeros(size)), rng.standard_normal(size) * 10 ** (-3 * np.arange(size) / size))
        wet *= 10 ** (rng.uniform(-35, -18) / 20) / np.max(np.abs(wet))
        wet[: x.size] += x
        x = wet
    before, after = (int(rng.choice([0, rng.uniform(0, 0.3)]) * rate) for _ in range(2))
    x = np.concatenate((np.zeros(before), x, np.zeros(after)))
    if hiss and rng.random() < 0.35:
        x = x + 10 ** (rng.uniform(-60, -20) / 20) * rng.standard_normal(x.size) / 3
    return x * rng.choice([-1, 1]) * 10 ** (rng.uniform(-24, 0) / 20) / np.max(np.abs(x))


def _wave(
    kind: str, phase: np.ndarray, level: np.ndarray, rate: int, landing: float, rng: np.random.Generator
) -> np.ndarray:
    if kind == "tom":
        time = np.arange(phase.size) / rate
        modes = [
            (1.0 if i == 0 else rng.uniform(0.05, 0.6) * 0.8**i)
            * np.sin(mode * phase + rng.uniform(0, 6))
            * np.exp(-time * i * rng.uniform(2, 12))
            for i, mode in enumerate(SKIN)
        ]
        return np.sum(modes, axis=0) * level
    triangle = 2 / np.pi * np.arcsin(np.sin(phase))
    if kind == "high-passed":
        driven = np.tanh(10 ** (rng.uniform(12, 30) / 20) * np.sin(phase) + rng.uniform(0, 0.5))
        x = (dsp.square(phase), triangle, driven)[rng.integers(3)] * level
        order, down_db = int(rng.choice([3, 4, 6])), rng.uniform(20, 30)
        corner = landing * (10 ** (down_db / 10) - 1) ** (1 / (2 * order))
        return np.asarray(dsp.sosfilt(dsp.butter(order, corner, "highpass", fs=rate, output="sos"), x))
    rich = (
        np.sin(phase)
        + rng.uniform(0, 0.4) * np.sin(2 * phase + rng.uniform(0, 6))
        + rng.uniform(0, 0.3) * np.sin(3 * phase)
    )
    x = (np.sin(phase), np.sin(phase), triangle, rich)[rng.integers(4)] * level
    if rng.random() < 0.5:
        bias = rng.choice([0, rng.uniform(0, 0.5)])
        driven = 10 ** (rng.uniform(0, 30) / 20) * x + bias
        x = np.tanh(driven) - np.tanh(bias) if rng.random() < 0.6 else np.clip(driven, -1, 1) - np.clip(bias, -1, 1)
        x = x * np.clip((phase.size - np.arange(phase.size)) / (0.01 * rate), 0, 1)
    return np.asarray(x)


def steep(rng: np.random.Generator) -> MadeHit:
    """One pitched hit with at least three periods after its sweep."""
    rate = int(rng.choice(RATES))
    kind = str(rng.choice(["kick", "kick", "kick", "high-passed", "long", "tom"]))
    high = 250 if kind in ("long", "tom") else 80
    landing = float(np.exp(rng.uniform(np.log(36), np.log(high))))
    spans = {"long": (0.5, 3.0), "tom": (0.15, 1.0)}
    length = rng.uniform(*spans[kind]) if kind in spans else float(np.exp(rng.uniform(np.log(0.08), np.log(1.2))))
    length = max(length, 4 / landing)
    octaves = rng.uniform(0.05, 1) if kind == "tom" else rng.uniform(1, 5)
    sweep_s = min(float(np.exp(rng.uniform(np.log(0.008), np.log(0.15)))), max(0.008, length - 3 / landing), 0.5 * length)
    law = str(rng.choice(LAWS))
    time = np.arange(int(length * rate)) / rate
    turns = np.cumsum(landing * _ratio(law, octaves, time, sweep_s)) / rate
    x = _wave(kind, 2 * np.pi * turns, _envelope(time, length, rng), rate, landing, rng)
    if rng.random() < 0.5:
        count = min(int(0.04 * rate), x.size)
        click = rng.standard_normal(count) * np.exp(-np.arange(count) / (rng.uniform(0.0005, 0.008) * rate))
        x[:count] += click * rng.uniform(0.02, 0.5) * np.max(np.abs(x))
    traits: dict[str, object] = {"kind": kind, "law": law, "octaves": octaves, "sweep_s": sweep_s, "length": length}
    return MadeHit(_room(x, rate, rng, hiss=True), rate, landing, traits)


def noise(rng: np.random.Generator) -> MadeHit:
    """One hit without a pitch: bright noise like a snare's, or partials on no series, high or low."""
    rate, length = int(rng.choice(RATES)), rng.uniform(0.03, 1.0)
    time = np.arange(int(length * rate)) / rate
    kind = str(rng.choice(["snare", "cluster", "low cluster"]))
    if kind == "snare":
        sections = dsp.butter(2, rng.uniform(300, 1500), "highpass", fs=rate, output="sos")
        x = dsp.sosfilt(sections, rng.standard_normal(time.size)) * np.exp(-time * rng.uniform(4, 60))
    else:
        low, high = (300, 6000) if kind == "cluster" else (150, 1500)
        partials = np.exp(rng.uniform(np.log(low), np.log(high), rng.integers(5, 13)))
        x = np.sum(
            [
                rng.uniform(0.3, 1) * np.sin(2 * np.pi * (hz * time + rng.random())) * np.exp(-time * rng.uniform(3, 30))
                for hz in partials
            ],
            axis=0,
        )
    return MadeHit(_room(x, rate, rng, hiss=False), rate, None, {"kind": kind})

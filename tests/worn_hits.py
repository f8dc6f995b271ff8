"""A third recipe of made-up hits, written apart from the other two: additive and modulated sounds in rooms, worn by what
records do to them. Four kinds are the hard ones: no fundamental, a long room, a long note that drifts, a short kick.
"""

from __future__ import annotations

import numpy as np
from made_hits import MadeHit
from scipy import signal as dsp

RATES = (44100, 48000, 96000)
# Of ten hits three are of the hard kinds.
KINDS = ("round", "round", "round", "modulated", "modulated", "skin", "skin", "headless", "roomy", "drifting")
Array = np.ndarray


def _log(rng: np.random.Generator, low: float, high: float) -> float:
    return float(low * (high / low) ** rng.random())


def _bend(rng: np.random.Generator, time: Array, octaves: float, span_s: float) -> Array:
    """Octaves above the landing: within 50 cents of it after span_s, and quickly nearer from there."""
    ends_at = np.log(max(octaves, 0.05) * 24)
    if rng.random() < 0.5:
        return octaves * np.exp(-time / span_s * max(ends_at, 0.5))
    # A capacitor that empties through a diode: fast first, then along an exponential.
    above = 2**octaves - 1
    return np.log2(1 + above * np.exp(-time / span_s * max(np.log(above / 0.029), 0.5)) / (1 + 2 * time / span_s) * 1.0)


def _fade(rng: np.random.Generator, time: Array, length: float) -> Array:
    """Two decays one after the other, a rise and an end without a step."""
    early, late, turn = length / rng.uniform(2, 4), length / rng.uniform(4, 8), rng.uniform(0.1, 0.5) * length
    level = np.where(time < turn, np.exp(-time / early), np.exp(-turn / early - (time - turn) / late))
    rise, end = rng.uniform(0.0004, 0.005), min(0.03, 0.2 * length)
    return level * np.sin(np.pi / 2 * np.clip(time / rise, 0, 1)) ** 2 * np.clip((length - time) / end, 0, 1) ** 2


def _room(rng: np.random.Generator, x: Array, rate: int, *, seconds: tuple[float, float], level_db: float) -> Array:
    """A few early echoes and a diffuse tail that is duller than the sound; its peak re the sound's, dB."""
    length = rng.uniform(*seconds)
    count = int(length * rate)
    tail = rng.standard_normal(count) * 10 ** (-3 * np.arange(count) / count)
    tail = dsp.sosfilt(dsp.butter(1, _log(rng, 1500, 8000), fs=rate, output="sos"), tail)
    tail[: int(0.01 * rate)] = 0
    for _ in range(6):
        tail[int(rng.uniform(0.005, 0.05) * rate)] += rng.choice([-1, 1]) * rng.uniform(2, 6)
    wet = dsp.fftconvolve(np.append(x, np.zeros(count)), tail)
    wet *= 10 ** (level_db / 20) * np.max(np.abs(x)) / np.max(np.abs(wet))
    wet[: x.size] += x
    return wet


def worn_by_records(rng: np.random.Generator, x: Array, rate: int) -> Array:
    """What records do: gain, polarity, a little DC, hum-free hiss, silence around."""
    x = np.concatenate((np.zeros(int(rng.choice([0, 0, rng.uniform(0, 0.4)]) * rate)), x))
    x = np.append(x, np.zeros(int(rng.choice([0, rng.uniform(0, 0.5)]) * rate)))
    x = x / np.max(np.abs(x)) + rng.choice([0, 0, 0, 0.01])
    if rng.random() < 0.3:
        x = x + 10 ** (rng.uniform(-75, -30) / 20) * rng.standard_normal(x.size)
    if rng.random() < 0.2:
        x = np.round(x * 2**11) / 2**11
    return x * rng.choice([-1, 1]) * 10 ** (rng.uniform(-30, 0) / 20)


def worn(rng: np.random.Generator, kind: str | None = None, landing_hz: float | None = None) -> MadeHit:
    """One pitched hit; a kind and a landing may be asked for. At least four periods are heard after the sweep."""
    rate = int(rng.choice(RATES))
    kind = kind or str(rng.choice(KINDS))
    landing = _log(rng, 36, 80) if kind in ("round", "modulated", "headless", "roomy") else _log(rng, 36, 240)
    landing = landing_hz or landing
    length = {
        "round": _log(rng, 0.15, 1.0),
        "modulated": _log(rng, 0.15, 0.8),
        "skin": _log(rng, 0.2, 1.2),
        "headless": _log(rng, 0.25, 1.2),
        "roomy": _log(rng, 0.2, 0.8),
        "drifting": rng.uniform(1.0, 4.0),
    }[kind]
    length = max(length, 7 / landing)
    span_s = min(_log(rng, 0.006, 0.12), max(0.006, length - 5 / landing), 0.4 * length)
    octaves = rng.uniform(0.1, 1) if kind == "skin" else rng.uniform(0.8, 4.5)
    time = np.arange(int(length * rate)) / rate
    level = _fade(rng, time, length)
    note = landing * 2 ** _bend(rng, time, octaves, span_s)
    truth = landing
    if kind == "drifting":
        # The pitch goes on falling (or rising a little) along a slow exponential: cents over the whole note.
        cents, slow = rng.uniform(-60, 20), rng.uniform(0.5, 2) * length
        course = 2 ** (cents / 1200 * (1 - np.exp(-time / slow)) / (1 - np.exp(-length / slow)))
        note = note * course
    phase = 2 * np.pi * np.cumsum(note) / rate
    x = _waves(rng, kind, phase, time, level, rate, landing)
    if kind == "drifting":
        # By the energy of what sounds, drive included, once the fast sweep is over.
        after = time > span_s
        truth = float(2 ** np.average(np.log2((landing * course)[after]), weights=x[after] ** 2))
    if rng.random() < 0.5:
        burst = rng.standard_normal(int(0.02 * rate)) * np.exp(
            -np.arange(int(0.02 * rate)) / (rng.uniform(0.0005, 0.004) * rate)
        )
        count = min(burst.size, x.size)
        x[:count] += rng.uniform(0.05, 0.35) * np.max(np.abs(x)) * burst[:count]
    traits: dict[str, object] = {"kind": kind, "octaves": octaves, "span_s": span_s, "length": length}
    if kind == "roomy":
        traits["room_db"] = room_db = rng.uniform(-32, -12)
        x = _room(rng, x, rate, seconds=(0.8, 3.0), level_db=room_db)
    elif rng.random() < 0.2:
        x = _room(rng, x, rate, seconds=(0.1, 0.5), level_db=rng.uniform(-40, -22))
    return MadeHit(worn_by_records(rng, x, rate), rate, truth, traits)


def _waves(
    rng: np.random.Generator, kind: str, phase: Array, time: Array, level: Array, rate: int, landing: float
) -> Array:
    if kind == "skin":
        zeros = np.array([2.4048, 3.8317, 5.1356, 5.5201, 6.3802, 7.0156])  # Abramowitz & Stegun table 9.5
        parts = [
            (1 if i == 0 else rng.uniform(0.05, 0.5))
            * np.cos(zero / zeros[0] * phase + rng.uniform(0, 6))
            * np.exp(-time * i * rng.uniform(3, 14))
            for i, zero in enumerate(zeros)
        ]
        return np.asarray(np.sum(parts, axis=0) * level)
    if kind == "modulated":
        index = rng.uniform(0.2, 3) * np.exp(-time / _log(rng, 0.01, 0.15))
        return np.asarray(np.sin(phase + index * np.sin(rng.choice([1.0, 2.0]) * phase)) * level)
    if kind == "headless":
        # Either partials written down without the first, or a rich wave through a steep high-pass.
        if rng.random() < 0.5:
            first = int(rng.choice([2, 2, 3]))
            tilt = rng.uniform(0.3, 1.5)
            x = sum(
                rng.uniform(0.6, 1) * (first / k) ** tilt * np.sin(k * phase + rng.uniform(0, 6))
                for k in range(first, first + int(rng.integers(4, 9)))
            )
            return np.asarray(x * level)
        rich = sum(np.sin(k * phase) / k for k in range(1, 16))
        rich = np.tanh(10 ** (rng.uniform(0, 15) / 20) * rich * level + rng.uniform(-0.3, 0.3)) * np.minimum(1, 20 * level)
        sections = dsp.butter(
            int(rng.choice([4, 6, 8])), landing * rng.uniform(1.9, 2.4), "highpass", fs=rate, output="sos"
        )
        return np.asarray(dsp.sosfilt(sections, rich - np.mean(rich)))
    x = np.sin(phase) + rng.choice([0.0, rng.uniform(0, 0.4)]) * np.sin(2 * phase + rng.uniform(0, 6))
    x = x * level
    if rng.random() < 0.5:
        drive = 10 ** (rng.uniform(0, 24) / 20)
        x = np.arctan(drive * x + rng.choice([0, 0.3])) - np.arctan(rng.choice([0.0]))
        x = (x - x[-1]) * np.clip((time[-1] - time) / 0.02, 0, 1)
    return np.asarray(x)


def unworn(rng: np.random.Generator) -> MadeHit:
    """One hit without a pitch: shakers, wide and narrow noise, plates, clap and rim in a room."""
    rate, length = int(rng.choice(RATES)), _log(rng, 0.04, 1.0)
    kind = str(rng.choice(["shaker", "rumbling noise", "plate", "clap", "rim", "bell cluster"]))
    time = np.arange(int(length * rate)) / rate
    x = rng.standard_normal(time.size)
    if kind == "shaker":
        x = dsp.sosfilt(dsp.butter(3, _log(rng, 1500, 6000), "highpass", fs=rate, output="sos"), x)
        x *= np.minimum(time / rng.uniform(0.001, 0.03), 1) * np.exp(-time * rng.uniform(8, 50))
    elif kind == "rumbling noise":
        centre = _log(rng, 60, 300)
        sections = dsp.butter(2, [centre / 1.6, centre * 1.6], "bandpass", fs=rate, output="sos")
        x = dsp.sosfilt(sections, x) * np.exp(-time * rng.uniform(4, 30))
    elif kind in ("plate", "bell cluster"):
        low, high = (180, 2500) if kind == "plate" else (350, 9000)
        x = sum(
            rng.uniform(0.2, 1)
            * np.sin(2 * np.pi * _log(rng, low, high) * time + rng.uniform(0, 6))
            * np.exp(-time * rng.uniform(3, 25))
            for _ in range(int(rng.integers(6, 15)))
        )
    elif kind == "clap":
        gate = sum(np.where(time >= at, np.exp(-(time - at) * 180), 0) for at in np.cumsum(rng.uniform(0.005, 0.02, 4)))
        x = dsp.sosfilt(dsp.butter(2, [600, 3000], "bandpass", fs=rate, output="sos"), x) * (
            gate + 0.2 * np.exp(-time * 18)
        )
    else:
        x = x * np.exp(-time * rng.uniform(150, 800)) + np.sin(2 * np.pi * _log(rng, 500, 2500) * time) * np.exp(
            -time * rng.uniform(60, 300)
        )
    if rng.random() < 0.3:
        x = _room(rng, np.asarray(x), rate, seconds=(0.3, 2.0), level_db=rng.uniform(-25, -8))
    return MadeHit(worn_by_records(rng, np.asarray(x), rate), rate, None, {"kind": kind})

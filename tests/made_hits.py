"""Made-up hits with known landings, for trying the landing measurement on sounds our engines did not make.

`pitched(rng)` and `unpitched(rng)` draw one hit each; the caller's seed decides which set it belongs to. The recipe is
written independently of the engines: its own sweeps (three laws), its own saturation, filters and reverb.
"""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from scipy import signal as dsp

RATES = (44100, 48000, 88200, 96000)
# Abramowitz & Stegun table 9.5: ratios of an ideal drum skin's modes.
SKIN = (1.0, 1.593, 2.136, 2.295, 2.653, 2.917)


@dataclass
class MadeHit:
    """Audio with the truth it was made from; landing_hz is None for unpitched hits."""

    audio: np.ndarray
    sample_rate: int
    landing_hz: float | None
    traits: dict[str, object] = field(default_factory=dict)


def _sweep_ratio(law: str, octaves: float, time: np.ndarray, length: float) -> np.ndarray:
    above = 2**octaves - 1
    if law == "exponential":
        return 1 + above * np.exp(-time / (length / np.log(above / 0.029)))
    if law == "semitones":
        return 2 ** (octaves * np.exp(-time / (length / np.log(octaves * 24))))
    return 2 ** (octaves * np.clip(1 - time / length, 0, 1) ** 2)


def _finish(x: np.ndarray, rate: int, rng: np.random.Generator, traits: dict[str, object]) -> np.ndarray:
    x = x / np.max(np.abs(x))
    if rng.random() < 0.25:
        wet_db = rng.uniform(-40, -20)
        tail = rng.standard_normal(int(rng.uniform(0.1, 0.5) * rate))
        tail *= np.exp(-6.9 * np.arange(tail.size) / tail.size)
        wet = dsp.fftconvolve(np.append(x, np.zeros(tail.size)), tail)
        wet *= 10 ** (wet_db / 20) / np.max(np.abs(wet))
        wet[: x.size] += x
        x, traits["reverb_db"] = wet, wet_db
    lead = int(rng.choice([0, rng.uniform(0, 0.2)]) * rate)
    x = np.concatenate((np.zeros(lead), x))
    if rng.random() < 0.4:
        hiss_db = rng.uniform(-70, -20)
        x = x + 10 ** (hiss_db / 20) * rng.standard_normal(x.size) / 3
        traits["hiss_db"] = hiss_db
    return x * rng.choice([-1, 1]) * 10 ** (rng.uniform(-20, 0) / 20) / np.max(np.abs(x))


def pitched(rng: np.random.Generator) -> MadeHit:
    """One pitched hit: kick, high-passed kick, long note or tom."""
    rate = int(rng.choice(RATES))
    kind = str(rng.choice(["kick", "kick", "kick", "high-passed", "long", "tom"]))
    landing = float(np.exp(rng.uniform(np.log(36), np.log(80))))
    length = float(np.exp(rng.uniform(np.log(0.12), np.log(1.0))))
    if kind in ("long", "tom"):
        landing = float(np.exp(rng.uniform(np.log(36), np.log(250))))
        length = rng.uniform(0.6, 3) if kind == "long" else rng.uniform(0.2, 0.8)
    if rng.random() < 0.1:
        length = max(rng.uniform(0.08, 0.2), 5 / landing)
    # The pitch settles while it is heard: at least two and a half periods remain after the sweep.
    sweep_s = min(rng.uniform(0.008, 0.15), max(0.008, min(0.45 * length, length - 3.5 / landing)))
    octaves = rng.uniform(1, 5) if kind != "tom" else rng.uniform(0.1, 1)
    law = str(rng.choice(["exponential", "exponential", "semitones", "ramp"]))
    time = np.arange(int(length * rate)) / rate
    ratio = _sweep_ratio(law, octaves, time, sweep_s)
    phase = np.cumsum(landing * ratio) / rate + rng.random() * (rng.random() < 0.3)
    tau = length / rng.uniform(2.5, 6)
    level = np.exp(-np.maximum(time - rng.uniform(0, 0.2) * length, 0) / tau)
    level *= np.clip(time / rng.uniform(0.0005, 0.004), 0, 1)
    level *= np.clip((length - time) / min(0.02, 0.2 * length), 0, 1)
    traits: dict[str, object] = {
        "kind": kind,
        "law": law,
        "octaves": octaves,
        "sweep_s": sweep_s,
        "length": length,
        "tau": tau,
    }
    if kind == "tom":
        x = np.zeros(time.size)
        for i, mode in enumerate(SKIN):
            partial = rng.uniform(0.1, 0.5) ** (i > 0) * 0.7**i
            x += partial * np.sin(2 * np.pi * mode * phase + rng.random()) * np.exp(-time * i * rng.uniform(4, 16))
    else:
        harmonics = rng.choice([0.0, 0.0, 0.3])
        x = np.sin(2 * np.pi * phase) + harmonics * np.sin(4 * np.pi * phase) + harmonics**2 * np.sin(6 * np.pi * phase)
    x = x * level
    if rng.random() < 0.5 or kind == "high-passed":
        drive_db = rng.uniform(0, 30) if kind != "high-passed" else rng.uniform(12, 30)
        bias = rng.choice([0.0, rng.uniform(0, 0.4)])
        x = np.tanh(10 ** (drive_db / 20) * x + bias) - np.tanh(bias)
        # Saturation flattens the envelope: let it go again.
        x *= np.clip((length - time) / (0.3 * length), 0, 1)
        traits["drive_db"] = drive_db
    if kind == "high-passed":
        corner = landing * rng.uniform(2.0, 2.6)
        x = dsp.sosfilt(dsp.butter(4, corner, "highpass", fs=rate, output="sos"), x)
    if rng.random() < 0.6:
        click = rng.standard_normal(int(0.03 * rate)) * np.exp(
            -np.arange(int(0.03 * rate)) / (rng.uniform(0.001, 0.008) * rate)
        )
        count = min(click.size, x.size)
        x[:count] += rng.uniform(0.05, 0.4) * click[:count] * np.max(np.abs(x))
    return MadeHit(_finish(x, rate, rng, traits), rate, landing, traits)


def unpitched(rng: np.random.Generator) -> MadeHit:
    """One hit without a pitch: clap, noise, tick, cluster of inharmonic partials."""
    rate = int(rng.choice(RATES))
    kind = str(rng.choice(["noise", "low noise", "clap", "tick", "cluster", "low cluster"]))
    length = rng.uniform(0.05, 0.8)
    time = np.arange(int(length * rate)) / rate
    noise = rng.standard_normal(time.size) * np.exp(-time * rng.uniform(4, 40))
    if kind == "noise":
        x = noise
    elif kind == "low noise":
        x = dsp.sosfilt(dsp.butter(2, rng.uniform(80, 400), "lowpass", fs=rate, output="sos"), noise)
    elif kind == "clap":
        band = dsp.butter(2, [rng.uniform(500, 900), rng.uniform(1500, 4000)], "bandpass", fs=rate, output="sos")
        bursts = sum(np.where(time >= s, np.exp(-(time - s) * 250), 0) for s in np.arange(4) * rng.uniform(0.006, 0.015))
        x = dsp.sosfilt(band, rng.standard_normal(time.size)) * (bursts + 0.3 * np.exp(-time * 25))
    elif kind == "tick":
        x = np.exp(-time * rng.uniform(600, 3000)) * np.sin(2 * np.pi * rng.uniform(600, 5000) * time)
    else:
        low, high = (300, 6000) if kind == "cluster" else (150, 1500)
        partials = np.exp(rng.uniform(np.log(low), np.log(high), rng.integers(5, 12)))
        x = sum(np.sin(2 * np.pi * (f * time + rng.random())) * np.exp(-time * rng.uniform(5, 30)) for f in partials)
    return MadeHit(_finish(x, rate, rng, {}), rate, None, {"kind": kind})

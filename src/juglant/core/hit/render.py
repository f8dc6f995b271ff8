"""Layers to audio."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from juglant.core.model.hit import HIGH_CUT_OFF_HZ, LOW_CUT_OFF_HZ, Hit, Layer
from juglant.core.signal.envelope import frames_of, with_edges
from juglant.core.signal.filters import butterworth, filter_hit
from juglant.core.synth.registry import render_engine
from juglant.core.types import Samples

# No control may make a level over this (method: rendering).
CEILING = 10 ** (24 / 20)
# Room for the ring of a band limit after the engine has ended.
RING_MS = 60.0
EDGE_MS = 0.2
END_MS = 5.0


@dataclass(frozen=True)
class RenderedHit:
    """Audio of a hit, (frames,), and how many frames lie before its own start (negative offsets)."""

    audio: Samples
    lead_frames: int


def render_layer(layer: Layer, *, sample_rate: int) -> Samples:
    """One layer at its level and polarity, without its offset, (frames,)."""
    tune = 2 ** (layer.tune_cents / 1200)
    audio = render_engine(layer.source, tune=tune, sample_rate=sample_rate)
    sections = []
    if layer.low_cut_hz > LOW_CUT_OFF_HZ:
        sections.append(butterworth(4, layer.low_cut_hz, "highpass", sample_rate=sample_rate))
    if layer.high_cut_hz < HIGH_CUT_OFF_HZ:
        sections.append(butterworth(4, layer.high_cut_hz, "lowpass", sample_rate=sample_rate))
    if sections:
        audio = filter_hit(np.append(audio, np.zeros(frames_of(RING_MS, sample_rate))), np.vstack(sections))
        audio = with_edges(audio, start_ms=EDGE_MS, end_ms=END_MS, sample_rate=sample_rate)
    return audio * (10 ** (layer.gain_db / 20) * (-1 if layer.inverted else 1))


@lru_cache(maxsize=64)
def cached_layer(layer: Layer, sample_rate: int) -> Samples:
    """One layer, remembered by its description (pure, bounded); a change to its neighbours costs nothing."""
    audio = render_layer(layer, sample_rate=sample_rate)
    audio.setflags(write=False)
    return audio


def sum_layers(layers: list[Layer], rendered: list[Samples], *, sample_rate: int) -> RenderedHit:
    """Sum rendered layers at their offsets."""
    offsets = [frames_of(layer.offset_ms, sample_rate) for layer in layers]
    lead = max([0, *(-offset for offset in offsets)])
    ends = [lead + offset + audio.size for offset, audio in zip(offsets, rendered, strict=True)]
    out = np.zeros(max(ends, default=0))
    for offset, audio in zip(offsets, rendered, strict=True):
        out[lead + offset : lead + offset + audio.size] += audio
    peak = float(np.max(np.abs(out), initial=0.0))
    return RenderedHit(out * (CEILING / peak) if peak > CEILING else out, lead)


def render_hit(hit: Hit, *, sample_rate: int) -> RenderedHit:
    """Render the sum of a hit's heard layers; empty where none is heard."""
    layers = [sound_of(layer) for layer in hit.heard()]
    return sum_layers(layers, [cached_layer(layer, sample_rate) for layer in layers], sample_rate=sample_rate)


def sound_of(layer: Layer) -> Layer:
    """The layer without what does not change its sound, so that a solo or a new name renders nothing."""
    return layer.model_copy(update={"name": "x", "id": "x", "muted": False, "solo": False})

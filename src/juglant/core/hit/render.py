"""Layers to audio: engine, band limits, chain, place; their sum; the bus where the hit is bound."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from juglant.core.chain.registry import AnyProcessor, process, timed
from juglant.core.memory import LONG_BYTES, remembered
from juglant.core.model.hit import HIGH_CUT_OFF_HZ, LOW_CUT_OFF_HZ, Hit, Layer
from juglant.core.signal.crossover import band_sections
from juglant.core.signal.envelope import frames_of, with_edges
from juglant.core.signal.filters import filter_hit
from juglant.core.synth.registry import render_engine
from juglant.core.synth.rumble import Rumble
from juglant.core.types import Samples

# No control may make a level over this (method: rendering).
CEILING = 10 ** (24 / 20)
# A hit ends here, whatever its echoes do; only a recording is longer by itself.
LONGEST_S = 30.0
# Room for the ring of a band limit or a chain after the engine has ended.
RING_MS = 60.0
EDGE_MS = 0.2
END_MS = 5.0
DEFAULT_BPM = 120.0


@dataclass(frozen=True)
class RenderedHit:
    """Audio of a hit, (frames,) or (2, frames), and how many frames lie before its own start (negative offsets)."""

    audio: Samples
    lead_frames: int

    @property
    def mono(self) -> Samples:
        """The fold-down, (frames,)."""
        return folded(self.audio)


@dataclass(frozen=True)
class _Recipe:
    """All that the sound of one layer is made from, and nothing else: equal recipes sound the same."""

    layer: Layer
    others_hz: tuple[float, ...]
    strike: Layer | None
    bpm: float
    kick: Hit | None = None


def folded(audio: Samples) -> Samples:
    """The fold-down to one channel, (frames,): the mean of both."""
    return audio if audio.ndim == 1 else np.asarray(audio.mean(axis=0))


def sound_of(layer: Layer) -> Layer:
    """The layer without what does not change its sound, so that a solo or a new name renders nothing."""
    return layer.model_copy(update={"name": "x", "id": "x", "muted": False, "solo": False, "offset_ms": 0.0})


def crossovers_hz(layers: list[Layer]) -> tuple[float, ...]:
    """Corners at which one layer ends and another begins, rising: there the layers are kept in phase."""
    lows = {layer.low_cut_hz for layer in layers if layer.low_cut_hz > LOW_CUT_OFF_HZ}
    highs = {layer.high_cut_hz for layer in layers if layer.high_cut_hz < HIGH_CUT_OFF_HZ}
    return tuple(sorted(lows & highs))


def layer_timed(layer: Layer) -> bool:
    """Whether the tempo changes how a layer sounds."""
    return isinstance(layer.source, Rumble) or timed(layer.chain)


def _kick_of(hit: Hit) -> Hit:
    """What a rumble in a hit is made of: the track's kick where it is given, else the hit's other layers."""
    made_of = hit.kick or hit
    # Without names, which change no sound; a rumble within a rumble has no end.
    layers = tuple(
        layer.model_copy(update={"name": "x"}) for layer in made_of.layers if not isinstance(layer.source, Rumble)
    )
    return Hit(layers=layers, bind=made_of.bind, bus=made_of.bus)


def recipes(layers: list[Layer], hit: Hit, *, bpm: float) -> list[_Recipe]:
    """What each of some layers of a hit is made from."""
    shared, by_id = crossovers_hz(layers), {layer.id: layer for layer in hit.layers}
    made = []
    for layer in layers:
        own = {layer.low_cut_hz, layer.high_cut_hz}
        others = tuple(corner for corner in shared if corner not in own) if own & set(shared) else ()
        strike = by_id.get(layer.struck_by) if layer.struck_by else None
        tempo = bpm if layer_timed(layer) or (strike is not None and layer_timed(strike)) else 0.0
        kick = _kick_of(hit) if isinstance(layer.source, Rumble) else None
        made.append(_Recipe(sound_of(layer), others, None if strike is None else sound_of(strike), tempo, kick))
    return made


def limits_of_layer(layer: Layer) -> tuple[float | None, float | None]:
    """Lowest and highest corner of a layer, Hz; None where that side is not limited."""
    low = layer.low_cut_hz if layer.low_cut_hz > LOW_CUT_OFF_HZ else None
    high = layer.high_cut_hz if layer.high_cut_hz < HIGH_CUT_OFF_HZ else None
    return low, high


def _stages(recipe: _Recipe, sample_rate: int) -> list[Samples]:
    """(channels, frames) out of the engine and its band limits, then out of each processor of the chain."""
    layer = recipe.layer
    tune = 2 ** (layer.tune_cents / 1200)
    strike = None
    if recipe.strike is not None:
        strike = folded(cached_recipe(_Recipe(recipe.strike, (), None, recipe.bpm), sample_rate))
    elif recipe.kick is not None:
        strike = render_hit(recipe.kick, sample_rate=sample_rate, bpm=recipe.bpm).mono
    block = np.atleast_2d(
        render_engine(layer.source, tune=tune, sample_rate=sample_rate, strike=strike, bpm=recipe.bpm or DEFAULT_BPM)
    )
    low, high = limits_of_layer(layer)
    sections = band_sections(low, high, recipe.others_hz, sample_rate=sample_rate)
    if len(sections) or any(one.on for one in layer.chain):
        block = np.pad(block, ((0, 0), (0, frames_of(RING_MS, sample_rate))))
    if len(sections):
        rows = [filter_hit(row, sections) for row in block]
        block = np.stack([with_edges(row, start_ms=EDGE_MS, end_ms=END_MS, sample_rate=sample_rate) for row in rows])
    return [block, *process(layer.chain, block, sample_rate=sample_rate, bpm=recipe.bpm)]


def placed(layer: Layer, audio: Samples) -> Samples:
    """Level, polarity and pan of (channels, frames); one channel stays one where nothing puts it aside."""
    gain = 10 ** (layer.gain_db / 20) * (-1 if layer.inverted else 1)
    return panned(audio, layer.pan_pct, gain)


def panned(audio: Samples, pan_pct: float, gain: float = 1.0) -> Samples:
    """(channels, frames) at a gain, from left, -100, to right, 100, its energy kept.

    (2, frames); in the middle one channel stays one, (frames,).
    """
    if pan_pct == 0:
        return audio[0] * gain if audio.shape[0] == 1 else audio * gain
    angle = (1 + pan_pct / 100) * np.pi / 4
    sides = np.sqrt(2) * np.array([[np.cos(angle)], [np.sin(angle)]])
    return np.asarray((np.repeat(audio, 2, axis=0) if audio.shape[0] == 1 else audio) * (sides * gain))


def _ended(audio: Samples, own_frames: int, *, sample_rate: int) -> Samples:
    """(channels, frames) no longer than a hit may be, or than it was by itself, ending in silence."""
    audio = audio[:, : max(own_frames, round(LONGEST_S * sample_rate))]
    return np.stack([with_edges(row, start_ms=0, end_ms=END_MS, sample_rate=sample_rate) for row in audio])


def _rendered(recipe: _Recipe, sample_rate: int) -> Samples:
    stages = _stages(recipe, sample_rate)
    audio = stages[-1]
    if any(one.on for one in recipe.layer.chain):
        audio = _ended(audio, stages[0].shape[1], sample_rate=sample_rate)
    return placed(recipe.layer, audio)


@remembered(largest_bytes=LONG_BYTES)
def cached_recipe(recipe: _Recipe, sample_rate: int) -> Samples:
    """One layer, remembered by what it is made from (pure, bounded); a change to its neighbours costs nothing."""
    audio = _rendered(recipe, sample_rate)
    audio.setflags(write=False)
    return audio


def render_layer(layer: Layer, *, sample_rate: int, bpm: float = DEFAULT_BPM) -> Samples:
    """One layer on its own at its level, polarity and pan, without its offset, (frames,) or (2, frames)."""
    return _rendered(recipes([layer], Hit(layers=(layer,)), bpm=bpm)[0], sample_rate)


def layer_stages(hit: Hit, layer: Layer, *, sample_rate: int, bpm: float) -> list[Samples]:
    """What comes out of a layer's engine and then of each processor of its chain, each (channels, frames)."""
    (recipe,) = recipes([layer], hit, bpm=bpm)
    return _stages(recipe, sample_rate)


def rendered_layers(hit: Hit, layers: list[Layer], *, sample_rate: int, bpm: float = DEFAULT_BPM) -> list[Samples]:
    """Some layers of a hit as they sound in it, each (frames,) or (2, frames), not to be written to."""
    return [cached_recipe(one, sample_rate) for one in recipes(layers, hit, bpm=bpm)]


def sum_layers(layers: list[Layer], rendered: list[Samples], *, sample_rate: int) -> RenderedHit:
    """Sum rendered layers at their offsets; two channels as soon as one layer has two."""
    offsets = [frames_of(layer.offset_ms, sample_rate) for layer in layers]
    lead = max([0, *(-offset for offset in offsets)])
    ends = [lead + offset + audio.shape[-1] for offset, audio in zip(offsets, rendered, strict=True)]
    wide = any(audio.ndim == 2 for audio in rendered)
    out = np.zeros((2, max(ends, default=0)) if wide else max(ends, default=0))
    for offset, audio in zip(offsets, rendered, strict=True):
        out[..., lead + offset : lead + offset + audio.shape[-1]] += audio
    return RenderedHit(below_ceiling(out), lead)


def below_ceiling(audio: Samples) -> Samples:
    """Audio brought down to the highest level any control may make."""
    peak = float(np.max(np.abs(audio), initial=0.0))
    return audio * (CEILING / peak) if peak > CEILING else audio


def bus_stages(bus: tuple[AnyProcessor, ...], audio: Samples, *, sample_rate: int, bpm: float) -> list[Samples]:
    """The sum, then what comes out of each processor of the bus, each (channels, frames)."""
    block = np.atleast_2d(audio)
    if not block.shape[1]:
        return [block]
    ring = np.concatenate((block, np.zeros((block.shape[0], frames_of(RING_MS, sample_rate)))), axis=1)
    return [ring, *process(bus, ring, sample_rate=sample_rate, bpm=bpm)]


def unbound(hit: Hit, *, sample_rate: int, bpm: float) -> RenderedHit:
    """The sum of a hit's heard layers, whether it is bound or not; empty where none is heard."""
    layers = hit.heard()
    return sum_layers(layers, rendered_layers(hit, layers, sample_rate=sample_rate, bpm=bpm), sample_rate=sample_rate)


def render_hit(hit: Hit, *, sample_rate: int, bpm: float = DEFAULT_BPM) -> RenderedHit:
    """Render a hit at full strength; empty where none of its layers is heard."""
    whole = unbound(hit, sample_rate=sample_rate, bpm=bpm)
    if not hit.bind or not any(one.on for one in hit.bus) or not whole.audio.size:
        return whole
    last = bus_stages(hit.bus, whole.audio, sample_rate=sample_rate, bpm=bpm)[-1]
    audio = _ended(last, whole.audio.shape[-1], sample_rate=sample_rate)
    return RenderedHit(below_ceiling(audio[0] if audio.shape[0] == 1 else audio), whole.lead_frames)

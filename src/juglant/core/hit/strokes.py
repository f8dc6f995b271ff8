"""One stroke of a hit: softer is quieter, darker, slower and whatever its maps say; round robins are not quite alike."""

from __future__ import annotations

import numpy as np

from juglant.core.chain.registry import timed
from juglant.core.hit.own_ranges import held, ranges_of
from juglant.core.hit.render import DEFAULT_BPM, RenderedHit, folded, layer_timed, render_hit
from juglant.core.memory import LONG_BYTES, remembered
from juglant.core.model.hit import Hit, Layer
from juglant.core.model.velocity import BRIGHT_OCTAVES, HARDEST, SOFTEST
from juglant.core.parameter.fields import limits_of, place_of, value_at
from juglant.core.signal.envelope import with_edges
from juglant.core.signal.filters import butterworth, filter_hit
from juglant.core.synth.take import Take, in_turn
from juglant.core.types import Samples

TOP_HZ = 16000.0
# Seeds of round robins lie this far apart, so that no robin has the next seed's noise.
SEED_STEP = 977
MOST_SEED = 9999


def strength(velocity: int) -> float:
    """0 for the softest stroke, 1 for the hardest."""
    return (velocity - SOFTEST) / (HARDEST - SOFTEST)


def level_db(hit: Hit, velocity: int) -> float:
    """Level of a stroke against the hardest, dB: even in dB from one end to the other."""
    return -hit.velocity.range_db * (1 - strength(velocity))


def _mapped(hit: Hit, velocity: int) -> Hit:
    """The hit with its mapped parameters where a stroke's strength puts them."""
    layers, ranges = {layer.id: layer for layer in hit.layers}, ranges_of(hit)
    for one in hit.velocity.maps:
        layer = layers.get(one.layer_id)
        source = None if layer is None else layer.source
        limits = None if source is None else limits_of(type(source), one.parameter)
        if layer is None or source is None or limits is None:
            continue
        hard = place_of(getattr(source, one.parameter), limits)
        soft = place_of(min(limits.high, max(limits.low, one.soft)), limits)
        # What is set stays as it is set; what the strength makes of it stays inside its own range.
        value = held(value_at(soft + strength(velocity) * (hard - soft), limits), ranges, one.layer_id, one.parameter)
        layers[one.layer_id] = layer.model_copy(update={"source": source.model_copy(update={one.parameter: value})})
    return hit.model_copy(update={"layers": tuple(layers[layer.id] for layer in hit.layers)})


def _recorded(hit: Hit, velocity: int, turn: int) -> Hit:
    """The hit with the recording that each of its layers plays of a thing that was recorded more than once."""
    if not any(isinstance(layer.source, Take) and layer.source.alternates for layer in hit.layers):
        return hit
    layers = tuple(
        layer.model_copy(update={"source": in_turn(layer.source, velocity, turn)})
        if isinstance(layer.source, Take)
        else layer
        for layer in hit.layers
    )
    return hit.model_copy(update={"layers": layers})


def _robin(layer: Layer, hit: Hit, robin: int, index: int) -> Layer:
    """A layer as a round robin has it: other noise, a little off in level and pitch."""
    rng = np.random.default_rng([robin, index])
    settings, source = hit.velocity, layer.source
    if hasattr(source, "seed"):
        source = source.model_copy(update={"seed": (source.seed + SEED_STEP * robin) % (MOST_SEED + 1)})
    level, cents = rng.uniform(-0.5, 0.5, 2)
    return layer.model_copy(
        update={
            "source": source,
            "gain_db": layer.gain_db + settings.robin_db * level,
            "tune_cents": layer.tune_cents + settings.robin_cents * cents,
        }
    )


def stroke_hit(hit: Hit, *, velocity: int, robin: int) -> Hit:
    """The description a stroke is rendered from; robin 0 is the hit as it is set."""
    mapped = _mapped(hit, velocity) if hit.velocity.maps and velocity < HARDEST else hit
    mapped = _recorded(mapped, velocity, robin)
    if robin % hit.velocity.robins == 0:
        return mapped
    turn = robin % hit.velocity.robins
    return mapped.model_copy(
        update={"layers": tuple(_robin(layer, hit, turn, index) for index, layer in enumerate(mapped.layers))}
    )


def _softened(audio: Samples, hit: Hit, velocity: int, sample_rate: int) -> Samples:
    soft = 1 - strength(velocity)
    rows = np.atleast_2d(audio)
    if hit.velocity.darker_octaves > BRIGHT_OCTAVES:
        corner = TOP_HZ * 2 ** (-hit.velocity.darker_octaves * soft)
        sections = butterworth(2, corner, "lowpass", sample_rate=sample_rate)
        rows = np.stack([filter_hit(row, sections) for row in rows])
    start_ms = hit.velocity.softer_ms * soft
    rows = np.stack([with_edges(row, start_ms=start_ms, end_ms=1.0, sample_rate=sample_rate) for row in rows])
    rows = rows * 10 ** (level_db(hit, velocity) / 20)
    return rows[0] if audio.ndim == 1 else rows


def stroke_tempo(hit: Hit, bpm: float) -> float:
    """The tempo where it changes how a hit sounds, else 0: then no tempo renders it anew."""
    return bpm if timed(hit.bus) or any(layer_timed(layer) for layer in hit.layers) else 0.0


def render_stroke(hit: Hit, *, velocity: int, robin: int = 0, sample_rate: int, bpm: float = DEFAULT_BPM) -> RenderedHit:
    """One stroke, velocity 1 to 127; at 127 it is the hit as set. Raises ValueError for any other velocity."""
    if not SOFTEST <= velocity <= HARDEST:
        raise ValueError(f"velocity must be {SOFTEST} to {HARDEST}, got {velocity}")
    whole = render_hit(stroke_hit(hit, velocity=velocity, robin=robin), sample_rate=sample_rate, bpm=bpm)
    if velocity == HARDEST or not whole.audio.size:
        return whole
    return RenderedHit(_softened(whole.audio, hit, velocity, sample_rate), whole.lead_frames)


@remembered(largest_bytes=LONG_BYTES)
def cached_stroke(hit: Hit, velocity: int, robin: int, sample_rate: int, bpm: float) -> RenderedHit:
    """A stroke, remembered by its description (pure, bounded)."""
    rendered = render_stroke(hit, velocity=velocity, robin=robin, sample_rate=sample_rate, bpm=bpm)
    rendered.audio.setflags(write=False)
    return rendered


@remembered(largest_bytes=LONG_BYTES)
def cached_mono(hit: Hit, velocity: int, robin: int, sample_rate: int, bpm: float) -> RenderedHit:
    """A stroke folded down to one channel, remembered."""
    stroke = cached_stroke(hit, velocity, robin, sample_rate, bpm)
    audio = folded(stroke.audio)
    audio.setflags(write=False)
    return RenderedHit(audio, stroke.lead_frames)

"""A kick that comes as a loop, through the layer it was cut for and the bus, its other layers struck with it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from juglant.core.chain.looped import process_loop
from juglant.core.hit.render import below_ceiling, crossovers_hz, folded, limits_of_layer, placed
from juglant.core.loop.kick_loop import EARLY_MS, loop_layer, loop_stem
from juglant.core.loop.kick_strokes import struck
from juglant.core.loop.place import gaps, place
from juglant.core.model.hit import Hit, Layer
from juglant.core.model.track import Track
from juglant.core.music.tempo import frame_at
from juglant.core.signal.crossover import band_sections
from juglant.core.signal.envelope import frames_of, with_edges
from juglant.core.signal.filters import filter_loop
from juglant.core.signal.shift import LEAST_RATIO, MOST_RATIO, length_kept
from juglant.core.synth.take import Take
from juglant.core.types import Samples

# A piece that was moved in pitch ends in this time where the next stroke begins.
PIECE_END_MS = 2.0


@dataclass(frozen=True)
class LoopStages:
    """What goes into the chain of the loop's layer and comes out of each of its processors, and the same of the bus.

    Each (channels, loop_frames); layer_id: the layer the loop is heard through, None where none is its own.
    """

    layer_id: str | None
    layer: list[Samples]
    bus: list[Samples]


def _retuned(loop: Samples, layer: Layer, starts: list[int], sample_rate: int) -> Samples:
    """A loop, (frames,), with what follows each attack at another pitch, every stroke in its place and as long."""
    ratio = min(MOST_RATIO, max(LEAST_RATIO, 2 ** (layer.tune_cents / 1200)))
    if ratio == 1:
        return loop
    kept = frames_of(layer.source.keep_ms, sample_rate) if isinstance(layer.source, Take) else 0
    # Each piece begins a little ahead, so that its attack is whole.
    early, out = frames_of(EARLY_MS, sample_rate), np.zeros(loop.size)
    begins = sorted({(start - early) % loop.size for start in starts}) or [0]
    for begin, room in zip(begins, gaps(begins, loop.size), strict=True):
        piece = np.take(loop, np.arange(begin, begin + room), mode="wrap")[None]
        moved = length_kept(piece, ratio, keep_frames=early + kept, sample_rate=sample_rate)[0]
        place(out, with_edges(moved[:room], start_ms=0, end_ms=PIECE_END_MS, sample_rate=sample_rate), begin)
    return out


def _through_layer(track: Track, layer: Layer, loop: Samples, starts: list[int]) -> list[Samples]:
    rate = track.sheet.sample_rate
    loop = _retuned(loop, layer, starts, rate)
    low, high = limits_of_layer(layer)
    others = tuple(corner for corner in crossovers_hz(track.kick.heard()) if corner not in (low, high))
    sections = band_sections(low, high, others if low or high else (), sample_rate=rate)
    block = (filter_loop(loop, sections, sample_rate=rate) if len(sections) else loop)[None]
    return [block, *process_loop(layer.chain, block, starts, sample_rate=rate, bpm=track.sheet.bpm)]


def loop_stages(track: Track) -> LoopStages:
    """Every stage of a kick loop that goes through its layers."""
    sheet, kick = track.sheet, track.kick
    rate, heard, own = sheet.sample_rate, track.kick.heard(), loop_layer(track)
    starts = [frame_at(at, sheet.bpm, rate) for at in track.kicks()]
    loop = loop_stem(track)
    layer = [loop[None]] if own is None else _through_layer(track, own, loop, starts)
    whole = np.zeros((1, loop.size))
    if own is None or own in heard:
        sound = layer[-1] if own is None else np.atleast_2d(placed(own, layer[-1]))
        whole = whole + np.roll(sound, frames_of(own.offset_ms, rate) if own else 0, axis=1)
    if any(one is not own for one in heard):
        whole = whole + struck(track, _without(kick, own))
    bus = [whole, *process_loop(kick.bus if kick.bind else (), whole, starts, sample_rate=rate, bpm=sheet.bpm)]
    return LoopStages(own.id if own else None, layer, bus)


def _without(kick: Hit, own: Layer | None) -> Hit:
    """The layers that are struck: all but the loop's; the bus comes after the sum of both."""
    layers = tuple(one.unchecked(muted=True) if one is own else one for one in kick.layers)
    return kick.unchecked(layers=layers, bind=False, bus=())


def processed_loop(track: Track) -> Samples:
    """A kick loop as it comes out of its layers and bus, in one channel, (loop_frames,)."""
    return below_ceiling(folded(loop_stages(track).bus[-1]))

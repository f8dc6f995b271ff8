"""A hit of an asked length: as long as that is measured, whatever it is made of."""

from __future__ import annotations

import math
from collections.abc import Callable

from juglant.core.errors import InvalidTrack
from juglant.core.hit.shorten import shortened
from juglant.core.model.hit import Hit
from juglant.core.model.ids import KICK_ID
from juglant.core.model.track import Track
from juglant.core.music.tempo import beat_ms
from juglant.core.parameter.fields import limits_of, within
from juglant.core.synth.beater import Beater
from juglant.core.synth.sweep import Sweep
from juglant.core.synth.tail import Tail
from juglant.core.synth.take import Take
from juglant.core.tune.hit_pitch import hit_pitch

# What can be asked for, ms: from a tick to four beats at 60 BPM.
SHORTEST_MS, LONGEST_MS = 10.0, 4000.0
# Near enough: closer than this share, or this many ms.
NEAR_SHARE, NEAR_MS = 0.005, 0.5
# Further off than this share it does not arrive, and says how far it comes.
FAR_SHARE = 0.02
# What decides how long an engine rings.
RING_FIELDS = ("hold_ms", "decay_ms", "tail_ms", "ring_ms", "second_ring_ms", "wires_ms", "tone_ms", "noise_ms")
LEAST_RATIO, MOST_RATIO = 0.02, 40.0
# A step smaller than this many octaves is taken by what is lacking instead of doubled.
SMALL_STEP = 0.1
ROUNDS = 16


def with_length(track: Track, hit_id: str, wanted_ms: float) -> Track:
    """The track with one hit's holds, decays and recorded layers scaled so that it is heard for so long (method: length).

    The ratio is searched by false position (Illinois) between two that lie on either side. Raises InvalidTrack where the
    length is outside 10 ms to 4 s, where the hit has none, or where it does not come so far, with how far it comes.
    """
    if not SHORTEST_MS <= wanted_ms <= LONGEST_MS:
        raise InvalidTrack(f"a length lies between {SHORTEST_MS:.0f} and {LONGEST_MS:.0f} ms")
    one = track.hit_of(hit_id)
    if hit_id == KICK_ID and track.kick_loop.plays:
        raise InvalidTrack("the kick comes as a loop, whose strokes are as long as they are; play its stroke instead")
    now_ms = _heard_ms(track, hit_id, one.hit)
    if now_ms is None:
        raise InvalidTrack(f"{one.name} has no length that could be changed: it is silent or ends in noise")
    tried = {1.0: now_ms}

    def off(ratio: float) -> float:
        """Octaves too long at a ratio."""
        if ratio not in tried:
            heard = _heard_ms(track, hit_id, _scaled(one.hit, ratio))
            # What has no length is silent when it was made shorter, and rings on when it was made longer.
            tried[ratio] = heard or (SHORTEST_MS / 4 if ratio < 1 else 4 * LONGEST_MS)
        return math.log2(tried[ratio] / wanted_ms)

    near = math.log2(1 + max(NEAR_SHARE, NEAR_MS / wanted_ms))
    ratio = _root(off, wanted_ms / now_ms, near=near)
    reached = tried[ratio]
    if abs(reached / wanted_ms - 1) > FAR_SHARE:
        way = "shorter" if wanted_ms < now_ms else "longer"
        raise InvalidTrack(f"{one.name} gets no {way} than {reached:.0f} ms by its holds, its decays and its recordings")
    return track.with_hit(hit_id, _scaled(one.hit, ratio))


def _root(off: Callable[[float], float], guess: float, *, near: float) -> float:
    """The ratio whose length is off least: false position in octaves (Illinois), from 1 towards what is asked and beyond.

    off: octaves too long at a ratio, rising; near: octaves that are near enough. A length that moves no more ends it.
    """
    best, low, high = 1.0, 1.0, min(MOST_RATIO, max(LEAST_RATIO, guess))
    first, last = off(low), off(high)
    for _ in range(ROUNDS):
        best = min((best, low, high), key=lambda one: abs(off(one)))
        if abs(off(best)) <= near:
            break
        if first * last > 0:
            # Not there yet: twice as far again, until the end of what can be asked.
            further = min(MOST_RATIO, max(LEAST_RATIO, high**2 if abs(math.log2(high)) > SMALL_STEP else high * 2**-last))
            if further == high:
                break
            low, first, high = high, last, further
            last = off(high)
            continue
        share = first / (first - last)
        middle = 2 ** (math.log2(low) + share * (math.log2(high) - math.log2(low)))
        value = off(middle)
        if value * last < 0:
            low, first = high, last
        else:
            first /= 2
        high, last = middle, value
    return best


def _scaled(hit: Hit, ratio: float) -> Hit:
    """The hit with everything that decides how long it rings scaled, inside the ends of the rulers; beaters stay."""
    layers = []
    for layer in shortened(hit, ratio).layers:
        source = layer.source
        if not isinstance(source, (Sweep, Tail, Take, Beater)):
            rings = {name: getattr(source, name) for name in RING_FIELDS if limits_of(type(source), name) is not None}
            update = {name: within(type(source), name, value * ratio) for name, value in rings.items()}
            layer = layer.model_copy(update={"source": source.model_copy(update=update)})
        layers.append(layer)
    return hit.model_copy(update={"layers": tuple(layers)})


def _heard_ms(track: Track, hit_id: str, hit: Hit) -> float | None:
    changed = track.with_hit(hit_id, hit)
    return hit_pitch(changed, changed.hit_of(hit_id)).length_ms


def shortest_gap_ms(track: Track) -> float | None:
    """Time between the two kicks that are closest, ms; None without a kick."""
    kicks, length = track.kicks(), track.sheet.length_beats
    if not kicks:
        return None
    gaps = [after - at for at, after in zip(kicks, [*kicks[1:], kicks[0] + length], strict=True)]
    return min(gaps) * beat_ms(track.sheet.bpm)

"""A hit joined by another one's layers: moved and turned so that both add, as loud together as the first was alone."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from juglant.core.errors import InvalidTrack
from juglant.core.hit.levelled import stroke_loudness_db
from juglant.core.hit.render import RenderedHit, render_hit
from juglant.core.measure.landing import measure_landing
from juglant.core.measure.level import db, true_peak
from juglant.core.model.hit import MAX_LAYERS, Hit, Layer
from juglant.core.model.velocity import MOST_MAPS
from juglant.core.parameter.fields import limits_of
from juglant.core.signal.crossover import low_branch
from juglant.core.signal.filters import filter_hit
from juglant.core.signal.match import fitted_to
from juglant.core.types import Samples

# Two that are this alike are moved so that they add (this project's choice).
ADDS = 0.35
LOWS_HZ = 120.0
# What is quieter than this beside the other is left out of the sum.
GONE_PCT = 0.5
SILENT = 1e-9
# A bus answers to level by its own law: so many rounds until it is as loud to so much, dB. Less than this is left: nothing.
ROUNDS, EXACT_DB, CANCELLED_DB = 4, 0.02, 40.0


@dataclass(frozen=True)
class Reinforced:
    """What becomes of a hit. offset_ms, turned: how the other was fitted to it; level_db: by how much its part is to be
    louder, where its layers' own levels end; what else changed with that: peak and lows, dB, and the landing before and
    after, Hz."""

    hit: Hit
    offset_ms: float
    turned: bool
    level_db: float
    peak_db: float
    lows_db: float
    landing_before_hz: float | None
    landing_after_hz: float | None


def _mono(rendered: RenderedHit) -> Samples:
    """From the hit's own start on."""
    return rendered.mono[rendered.lead_frames :]


def _joining(hit: Hit, taken: set[str], offset_ms: float, turned: bool) -> tuple[list[Layer], dict[str, str]]:
    """The layers of a hit under ids of their own, its bus in their chains, fitted; and their new ids by their old ones."""
    ids: dict[str, str] = {}
    for layer in hit.layers:
        number = next(n for n in range(1, 2 * MAX_LAYERS + 2) if f"{layer.id[:34]}-{n}" not in taken)
        ids[layer.id] = f"{layer.id[:34]}-{number}"
        taken.add(ids[layer.id])
    bus = hit.bus if hit.bind else ()
    limits = limits_of(Layer, "offset_ms")
    assert limits is not None  # noqa: S101 - a layer's start is a ruler
    soloed = any(layer.solo for layer in hit.layers)
    layers = [
        layer.model_copy(
            update={
                "id": ids[layer.id],
                "struck_by": ids.get(layer.struck_by or ""),
                "chain": (*layer.chain, *bus),
                "inverted": layer.inverted != turned,
                "offset_ms": min(limits.high, max(limits.low, round(layer.offset_ms + offset_ms, 3))),
                "muted": layer.muted or (soloed and not layer.solo),
                "solo": False,
            }
        )
        for layer in hit.layers
    ]
    return layers, ids


def reinforced(old: Hit, new: Hit, *, share_pct: float, aligned: bool, sample_rate: int, bpm: float) -> Reinforced:
    """A hit joined by another: 0 is the first alone, 100 the second alone, equally loud in between.

    The first keeps its layers, muted at 100. Raises InvalidTrack where one of them is silent, where there are too many
    layers, or where the second's bus works on a sum of several.
    """
    if new.has_rumble or old.has_rumble:
        raise InvalidTrack("a rumble is made of the kick at every kick: it joins no other hit")
    if len(old.layers) + len(new.layers) > MAX_LAYERS:
        raise InvalidTrack(f"together they have {len(old.layers) + len(new.layers)} layers, at most {MAX_LAYERS} fit a hit")
    if new.bind and new.bus and len(new.layers) > 1:
        raise InvalidTrack("the other's bus works on the sum of its layers: print it as one sound first, then use that")
    before = render_hit(old, sample_rate=sample_rate, bpm=bpm)
    other = render_hit(new, sample_rate=sample_rate, bpm=bpm)
    wanted = stroke_loudness_db(old, sample_rate=sample_rate, bpm=bpm)
    own = stroke_loudness_db(new, sample_rate=sample_rate, bpm=bpm)
    if wanted is None or own is None:
        raise InvalidTrack(f"{'it' if wanted is None else 'the other'} is silent: there is nothing to join")
    offset_ms, turned = (0.0, False)
    if aligned and share_pct < 100:
        off, turned = fitted_to(_mono(before), 0, _mono(other), least=ADDS, sample_rate=sample_rate)
        offset_ms = round(1000 * off / sample_rate, 3)
    share = share_pct / 100
    joining, ids = _joining(new, {layer.id for layer in old.layers}, offset_ms, turned)
    gone = share_pct >= 100 - GONE_PCT
    by = (0.0 if gone else _db(1 - share), wanted - own + _db(share))
    kept = [(layer.model_copy(update={"muted": layer.muted or gone}), by[0]) for layer in old.layers]
    joined = [(layer, by[1]) for layer in joining] if share_pct > GONE_PCT else []
    maps = (
        *old.velocity.maps,
        *(
            one.model_copy(update={"layer_id": ids[one.layer_id]})
            for one in new.velocity.maps
            if joined and one.layer_id in ids
        ),
    )
    velocity = old.velocity.model_copy(update={"maps": maps[:MOST_MAPS]})
    made, short_db = _as_loud(
        old.model_copy(update={"velocity": velocity}), [*kept, *joined], wanted, sample_rate=sample_rate, bpm=bpm
    )
    after = render_hit(made, sample_rate=sample_rate, bpm=bpm)
    peaks = [max(true_peak(np.atleast_2d(one.audio)), SILENT) for one in (before, after)]
    lows = [_lows(one, sample_rate) for one in (before, after)]
    return Reinforced(
        hit=made,
        offset_ms=offset_ms,
        turned=turned,
        level_db=round(short_db, 2),
        peak_db=round(db(peaks[1]) - db(peaks[0]) + short_db, 2),
        lows_db=round(10 * math.log10(max(lows[1], SILENT) / max(lows[0], SILENT)) + short_db, 2),
        landing_before_hz=measure_landing(_mono(before), sample_rate=sample_rate).landing_hz,
        landing_after_hz=measure_landing(_mono(after), sample_rate=sample_rate).landing_hz,
    )


def _db(share: float) -> float:
    return 20 * math.log10(max(share, 1e-3))


def _as_loud(
    old: Hit, layers: list[tuple[Layer, float]], wanted: float, *, sample_rate: int, bpm: float
) -> tuple[Hit, float]:
    """A hit of layers, each moved by its own dB, all by one more so that it is as loud as wanted; and how much of that is
    left to its part's level, dB, where the loudest layer is at the end of its own."""
    limits = limits_of(Layer, "gain_db")
    assert limits is not None  # noqa: S101 - a layer's level is a ruler
    room = limits.high - max(layer.gain_db + by for layer, by in layers if not layer.muted)

    def at(all_db: float) -> Hit:
        moved = [
            layer.model_copy(update={"gain_db": round(max(limits.low, min(limits.high, layer.gain_db + by + all_db)), 2)})
            for layer, by in layers
        ]
        return old.model_copy(update={"layers": tuple(moved)})

    # Well inside at first: none is cut off at its end, so that all keep their places.
    all_db, short = min(0.0, room), 0.0
    for _ in range(ROUNDS):
        found = stroke_loudness_db(at(all_db), sample_rate=sample_rate, bpm=bpm)
        if found is None or found < wanted - CANCELLED_DB + min(0.0, room):
            raise InvalidTrack("the two cancel each other: let them be fitted, or turn one of them")
        short = wanted - found
        move = min(short, room - all_db)
        all_db, short = all_db + move, short - move
        if abs(move) < EXACT_DB:
            break
    return at(all_db), max(0.0, short) if abs(short) >= EXACT_DB else 0.0


def _lows(one: RenderedHit, rate: int) -> float:
    return float(np.sum(filter_hit(one.mono, low_branch(LOWS_HZ, sample_rate=rate)) ** 2))

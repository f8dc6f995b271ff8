"""Seeded variations of a hit, and what lies between two hits.

A roll moves each ruler a little way from where it stands, chains too, never out of the user's own range or else its
musical one, never a landing (the hit stays in tune), never where a recorded sound begins, and never a locked one; the same
hit, seed, place and amount give the same variation on any machine.
"""

from __future__ import annotations

import hashlib
from collections.abc import Callable
from dataclasses import dataclass
from statistics import NormalDist
from typing import Any

import numpy as np
from pydantic import BaseModel

from juglant.core.hit.own_ranges import Ends, Ranges, kept_inside, ranges_of
from juglant.core.model.hit import MAX_LAYERS, Hit, Layer
from juglant.core.parameter.fields import Limits, along, inside, limits_of, place_of, value_at
from juglant.core.parameter.parameter import Description
from juglant.core.synth.registry import AnyEngine
from juglant.core.synth.take import Take, sound_of

# Standard deviation on the ruler at 100 % (this project's choice): most of it is within reach, seldom the ends.
SPREAD = 0.28
LEVEL_SPREAD_DB, LEVEL_REACH_DB = 4.0, 9.0
LANDING = "landing_hz"
SEEDS = 10000
NORMAL = NormalDist()
GONE_DB = -60.0
# What of a layer itself moves where its sound is recorded: it has no engine whose rulers could.
RECORDED_RULERS = ("high_cut_hz",)
BEGIN, LENGTH = "begin_ms", "length_ms"
# A recorded sound is cut to no less than this share of itself, and no shorter (this project's choice).
LEAST_LEFT, SHORTEST_MS, LENGTH_OCTAVES, HEARD_SHARE = 0.35, 30.0, 1.2, 0.99


@dataclass(frozen=True)
class Roll:
    """What sixteen variations are made with."""

    seed: int
    amount_pct: float
    only_front: bool


def key_of(layer: Layer, name: str) -> str:
    """How a parameter of a layer is named in locks and front controls."""
    return f"{layer.id}/{name}"


def rulers_of(model: type[BaseModel]) -> list[str]:
    """Names of the parameters of a model that are rulers."""
    return [name for name in model.model_fields if limits_of(model, name) is not None]


def _chance(roll: Roll, index: int, key: str) -> float:
    """An even number over 0 to 1 that is this parameter's alone: a lock or another layer changes nothing of the rest."""
    digest = hashlib.blake2b(f"{roll.seed} {index} {key}".encode(), digest_size=8).digest()
    return (int.from_bytes(digest) + 0.5) / 2**64


def _deviate(roll: Roll, index: int, key: str) -> float:
    """A normal deviate that is this parameter's alone."""
    return NORMAL.inv_cdf(_chance(roll, index, key))


def _within_own(value: float, limits: Limits, share: float, own: Ends) -> float:
    """A value moved by a share of its own range, and turned back at its ends: none is heaped up there."""
    low, high = (inside(end, limits.ends) for end in own)
    first, span = place_of(low, limits), place_of(high, limits) - place_of(low, limits)
    at = (place_of(inside(value, (low, high)), limits) - first) / span if span > 0 else 0.0
    at = (at + share) % 2
    return float(inside(value_at(first + span * min(at, 2 - at), limits), (low, high)))


def _nudged(owner: BaseModel, name: str, amount: float, deviate: float, own: Ends | None = None) -> float:
    """A ruler of a description some way from where it stands; what is switched off stays off."""
    limits, value = limits_of(type(owner), name), float(getattr(owner, name))
    assert limits is not None  # noqa: S101 - only rulers are asked for
    if limits.unit == "dB" and value <= limits.low == GONE_DB:
        return value
    share = SPREAD * amount * deviate
    return along(type(owner), name, value, share) if own is None else _within_own(value, limits, share, own)


def _level(gain_db: float, amount: float, deviate: float, own: Ends | None) -> float:
    """A layer's level some decibels away, dB: seldom 9, never past its ruler's ends; in its own range as any ruler."""
    ends = limits_of(Layer, "gain_db")
    assert ends is not None  # noqa: S101 - a layer's level is a ruler
    if own is not None:
        return _within_own(gain_db, ends, SPREAD * amount * deviate, own)
    by = inside(amount * LEVEL_SPREAD_DB * deviate, (-LEVEL_REACH_DB, LEVEL_REACH_DB))
    return inside(gain_db + by, ends.ends)


def _cut(source: AnyEngine, amount: float, deviate: float) -> float:
    """How much of a recorded sound plays: some way from what plays of it now, never most of it gone, ms."""
    assert isinstance(source, Take)  # noqa: S101 - asked of recorded layers only
    found = sound_of(source)
    if found is None:
        return float(source.length_ms)
    power = np.cumsum(np.sum(found.audio**2, axis=0))
    if not power.size or power[-1] <= 0:
        return float(source.length_ms)
    left_ms = 1000 * power.size / found.sample_rate
    # What is cut after nearly all of its energy has passed is not heard.
    heard_ms = 1000 * (int(np.argmax(power >= HEARD_SHARE * power[-1])) + 1) / found.sample_rate
    now_ms = max(1.0, min(source.length_ms, heard_ms))
    least_ms = min(now_ms, max(SHORTEST_MS, LEAST_LEFT * now_ms))
    return float(round(min(max(left_ms, 1.0), max(least_ms, now_ms * 2 ** (LENGTH_OCTAVES * amount * deviate))), 2))


def _rolled_chain(layer: Layer, roll: Roll, index: int, free: Callable[[str], bool], ranges: Ranges) -> Any:
    """A layer's chain with the rulers of what is on in it moved."""
    if roll.only_front:
        return layer.chain
    out, amount = [], roll.amount_pct / 100
    for place, settings in enumerate(layer.chain):
        names = [name for name in rulers_of(type(settings)) if free(key_of(layer, f"chain-{place}-{name}"))]
        update = {}
        for name in names if settings.on else ():
            deviate = _deviate(roll, index, f"{layer.id}/chain/{place}/{name}")
            update[name] = _nudged(settings, name, amount, deviate, ranges.get((layer.id, place, name)))
        out.append(settings.model_copy(update=update))
    return tuple(out)


def rolled(hit: Hit, roll: Roll, index: int) -> Hit:
    """Variation `index` of a roll; only front controls move where the roll says so."""
    amount, locked, front, ranges = roll.amount_pct / 100, set(hit.locked), set(hit.front), ranges_of(hit)

    def free(key: str) -> bool:
        return key not in locked and (key in front if roll.only_front else True)

    layers = []
    for layer in hit.layers:
        model, update = type(layer.source), {}
        recorded = isinstance(layer.source, Take)
        for name in rulers_of(model):
            key = key_of(layer, name)
            if not free(key) or (name == LANDING and key not in front) or (recorded and name == BEGIN):
                continue
            own = ranges.get((layer.id, None, name))
            if recorded and name == LENGTH:
                length_ms = _cut(layer.source, amount, _deviate(roll, index, key))
                update[name] = length_ms if own is None else inside(length_ms, own)
                continue
            update[name] = _nudged(layer.source, name, amount, _deviate(roll, index, key), own)
        if "seed" in model.model_fields and free(key_of(layer, "seed")) and not roll.only_front:
            update["seed"] = int(SEEDS * _chance(roll, index, key_of(layer, "seed")))
        gain_db = layer.gain_db
        if free(key_of(layer, "gain_db")):
            own = ranges.get((layer.id, None, "gain_db"))
            gain_db = _level(gain_db, amount, _deviate(roll, index, key_of(layer, "gain_db")), own)
        source: AnyEngine = layer.source.model_copy(update=update)
        made = {"source": source, "gain_db": round(gain_db, 2), "chain": _rolled_chain(layer, roll, index, free, ranges)}
        for name in RECORDED_RULERS if recorded else ():
            if free(key_of(layer, name)):
                deviate = _deviate(roll, index, key_of(layer, name))
                made[name] = _nudged(layer, name, amount, deviate, ranges.get((layer.id, None, name)))
        layers.append(layer.model_copy(update=made))
    return hit.model_copy(update={"layers": tuple(layers)})


def _between(one: Any, other: Any, share: float) -> Any:
    """A description between two of the same kind: rulers on their own scale, anything else from the nearer."""
    update: dict[str, Any] = {}
    model: type[BaseModel] = type(one)
    for name in model.model_fields:
        limits = limits_of(model, name)
        a, b = getattr(one, name), getattr(other, name)
        if limits is not None:
            update[name] = value_at((1 - share) * place_of(a, limits) + share * place_of(b, limits), limits)
        else:
            update[name] = a if share < 0.5 else b
    return one.model_copy(update=update)


def _chain(one: tuple[Description, ...], other: tuple[Description, ...], share: float) -> Any:
    if [type(a) for a in one] != [type(b) for b in other]:
        return one if share < 0.5 else other
    return tuple(_between(a, b, share) for a, b in zip(one, other, strict=True))


def _faded(layer: Layer, share: float) -> Layer:
    """A layer that only one of two hits has, at its share of the way to gone."""
    gain_db = layer.gain_db + (1 - share) * (GONE_DB - layer.gain_db)
    return layer.model_copy(update={"gain_db": round(gain_db, 2)})


def morphed(one: Hit, other: Hit, share: float) -> Hit:
    """A hit `share` (0 to 1) of the way from one to another.

    Layers of the same id and engine move on their rulers; any other fades in or out; what lies between stays inside the own
    ranges of the first. Raises ValueError beyond 0 to 1.
    """
    if not 0 <= share <= 1:
        raise ValueError(f"share must be 0 to 1, got {share}")
    if share in (0, 1):
        return other if share else one
    others, layers = {layer.id: layer for layer in other.layers}, []
    for layer in one.layers:
        twin = others.get(layer.id)
        if twin is None or type(twin.source) is not type(layer.source):
            layers.append(_faded(layer, 1 - share))
            continue
        others.pop(layer.id)
        made = _between(layer, twin, share)
        source = _between(layer.source, twin.source, share)
        layers.append(made.model_copy(update={"source": source, "chain": _chain(layer.chain, twin.chain, share)}))
    taken = {layer.id for layer in layers}
    for left in others.values():
        name = left.id if left.id not in taken else f"{left.id[:36]}-b"
        layers.append(_faded(left.model_copy(update={"id": name}), share))
    near = one if share < 0.5 else other
    made = near.model_copy(update={"layers": tuple(layers[:MAX_LAYERS]), "bus": _chain(one.bus, other.bus, share)})
    return kept_inside(made.model_copy(update={"ranges": one.ranges}), ranges_of(one))

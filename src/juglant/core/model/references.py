"""What a track's parts name of each other: a track never names what is not there.

Parts are named by ducks, by what they follow and by their keys; layers by what strikes them and by front and locked
parameters. Removing a part or a layer takes along what named it; naming one that was never there is refused.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from pydantic import BaseModel

from juglant.core.errors import InvalidTrack
from juglant.core.model.distance import Distance
from juglant.core.model.duck import Duck, Ducked
from juglant.core.model.hit import Hit
from juglant.core.model.ids import BASS_PART, CONTEXT
from juglant.core.model.own_range import OwnRange
from juglant.core.model.strokes import Doubling
from juglant.core.model.track import Track
from juglant.core.parameter.fields import limits_of


@dataclass(frozen=True)
class Dangling:
    """A name of what is not there: where it stands, the name, and the hit if it is the name of a layer."""

    where: str
    hit: str | None
    name: str

    @property
    def said(self) -> str:
        """In plain words."""
        if self.hit is None:
            return f"{self.where} names the part {self.name!r}, which this track does not have"
        return f"{self.where} names the layer {self.name!r}, which the hit {self.hit!r} does not have"


def parts_of(track: Track) -> set[str]:
    """Ids of every part of a track."""
    return {one.id for one in track.parts}


def _layers_named(hit: Hit) -> list[tuple[str, str]]:
    """Places in a hit whose sound depends on a layer they name, with the name."""
    return [(f"struck_by of {layer.id}", layer.struck_by) for layer in hit.layers if layer.struck_by]


def _shown(hit: Hit) -> dict[str, tuple[Any, ...]]:
    """Front controls, locks and own ranges of a hit without those of what is removed."""
    ids = {layer.id for layer in hit.layers}
    named = {
        field: tuple(name for name in getattr(hit, field) if "/" not in name or name.partition("/")[0] in ids)
        for field in ("front", "locked")
    }
    return {**named, "ranges": _still_ranged(hit)}


def _still_ranged(hit: Hit) -> tuple[OwnRange, ...]:
    """Own ranges whose control is still there: the layer, its engine's ruler, the place in its chain."""
    layers = {layer.id: layer for layer in hit.layers}

    def there(one: OwnRange) -> bool:
        layer = layers.get(one.layer_id)
        if layer is None:
            return False
        if one.stage is None:
            owners: tuple[BaseModel, ...] = (layer, layer.source)
        else:
            owners = layer.chain[one.stage : one.stage + 1]
        return any(limits_of(type(owner), one.parameter) is not None for owner in owners)

    return tuple(one for one in hit.ranges if there(one))


def dangling(track: Track) -> list[Dangling]:
    """Every name of what is not there."""
    parts, found = parts_of(track), list[Dangling]()
    hits = parts - {BASS_PART}

    def keys(where: str, curve: Duck) -> None:
        found.extend(Dangling(f"{where}.key.hit_ids", None, name) for name in curve.key.hit_ids if name not in hits)

    for one in track.parts:
        where = f"ducking of {one.id}"
        if one.ducked.follows is not None and one.ducked.follows not in parts:
            found.append(Dangling(f"{where}.follows", None, one.ducked.follows))
        for curve in one.ducked.curves:
            keys(where, curve)
    context = {one.id for one in track.kit if one.role == CONTEXT}
    for group in track.groups:
        found.extend(
            Dangling(f"group {group.id}.members", None, name) for name in group.members if name not in parts - context
        )
    found.extend(Dangling("low_group", None, name) for name in track.low_group.parts if name not in parts)
    for space in track.spaces:
        found.extend(
            Dangling(f"sends of {space.id}", None, send.part) for send in space.sends if send.part not in parts - context
        )
    found.extend(
        Dangling(f"doubles of {one.id}", None, one.doubles.of)
        for one in track.kit
        if one.doubles is not None and one.doubles.of not in parts
    )
    found.extend(
        Dangling(f"{one.id} is kept behind", None, one.distance.behind)
        for one in track.kit
        if one.distance.behind is not None and one.distance.behind not in parts
    )
    for one in track.parts:
        layers = {layer.id for layer in one.hit.layers}
        found.extend(
            Dangling(f"{one.id}: {where}", one.id, name) for where, name in _layers_named(one.hit) if name not in layers
        )
    return found


def without_dangling(track: Track) -> Track:
    """The track without any name of what is not there; what named it goes with it."""
    parts = parts_of(track)
    own = parts - {one.id for one in track.kit if one.role == CONTEXT}
    groups = tuple(
        one.model_copy(update={"members": tuple(name for name in one.members if name in own)}) for one in track.groups
    )
    spaces = tuple(
        one.model_copy(update={"sends": tuple(send for send in one.sends if send.part in own)}) for one in track.spaces
    )
    return track.model_copy(
        update={
            "parts": tuple(
                one.model_copy(
                    update={
                        "hit": _own_layers(one.hit),
                        "doubles": _there(one.doubles, parts),
                        "distance": _standing(one.distance, parts),
                        "ducked": _pruned(one.ducked, parts),
                    }
                )
                for one in track.parts
            ),
            "groups": groups,
            "spaces": spaces,
            "low_group": track.low_group.within(parts),
        }
    )


def _there(doubles: Doubling | None, parts: set[str]) -> Doubling | None:
    return doubles if doubles is None or doubles.of in parts else None


def _standing(distance: Distance, parts: set[str]) -> Distance:
    return distance if distance.behind is None or distance.behind in parts else distance.model_copy(update={"behind": None})


def _sounding_on(track: Track, before: Track) -> Track:
    """The track in which a part that doubled one which is no more has that line as its own, and stands where it stood."""
    gone = parts_of(before) - parts_of(track)
    orphans = [one for one in track.kit if one.doubles is not None and one.doubles.of in gone]
    for one in orphans:
        strokes = before.strokes_of(one)
        track = track.with_strokes(one.id, strokes)
    for one in track.kit:
        if one.distance.behind in gone:
            track = track.with_part(one.id, distance=before.distance_of(one))
    return track


def _pruned(target: Ducked, parts: set[str]) -> Ducked:
    curves = tuple(_unkeyed(one, parts) for one in target.curves)
    follows = target.follows if target.follows in parts else None
    return target.model_copy(update={"curves": curves, "follows": follows})


def _unkeyed(curve: Duck, parts: set[str]) -> Duck:
    kept = tuple(name for name in curve.key.hit_ids if name in parts - {BASS_PART})
    return curve.model_copy(update={"key": curve.key.model_copy(update={"hit_ids": kept})})


def _own_layers(hit: Hit) -> Hit:
    ids = {layer.id for layer in hit.layers}
    layers = tuple(
        layer if layer.struck_by is None or layer.struck_by in ids else layer.model_copy(update={"struck_by": None})
        for layer in hit.layers
    )
    return hit.model_copy(update={"layers": layers, **_shown(hit)})


def consistent(track: Track, before: Track | None = None) -> Track:
    """The track with no name of what is not there.

    before: the track as it was; what it had, and this one has no more, goes with all that names it. Raises InvalidTrack
    where a part or a layer is named that neither has.
    """
    if before is not None:
        track = _sounding_on(track, before)
    found = dangling(track)
    known = [] if before is None else dangling(before)
    unknown = [one for one in found if before is None or not (_was_there(before, one) or one in known)]
    if unknown:
        raise InvalidTrack("; ".join(one.said for one in unknown[:4]))
    shown = all(_shown(one.hit).items() <= vars(one.hit).items() for one in track.parts)
    return track if shown and not found else without_dangling(track)


def _was_there(before: Track, one: Dangling) -> bool:
    if one.hit is None:
        return one.name in parts_of(before)
    hits = {one.id: one.hit for one in before.parts}
    return one.hit in hits and any(layer.id == one.name for layer in hits[one.hit].layers)

"""What a track's parts name of each other: a track never names what is not there.

Parts are named by ducks, by what they follow and by their keys; layers by what strikes them and by front and locked
parameters. Removing a part or a layer takes along what named it; naming one that was never there is refused.
"""

from __future__ import annotations

import json
from dataclasses import dataclass
from typing import Any

from juglant.core.errors import InvalidTrack
from juglant.core.model.duck import BASS_PART, Duck, Target
from juglant.core.model.hit import Hit
from juglant.core.model.kit import CONTEXT, KICK_ID, Doubling, reserved
from juglant.core.model.track import Track, track_from_document

# What a part is called whose name could be taken for another's, and after it a number where that is taken too.
RENAMED = "{}-part"


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
    return {KICK_ID, BASS_PART, *(one.id for one in track.kit)}


def _layers_named(hit: Hit) -> list[tuple[str, str]]:
    """Places in a hit whose sound depends on a layer they name, with the name."""
    return [(f"struck_by of {layer.id}", layer.struck_by) for layer in hit.layers if layer.struck_by]


def _shown(hit: Hit) -> dict[str, tuple[str, ...]]:
    """Front controls and locks of a hit, as layer/parameter, without those of a layer that is removed."""
    ids = {layer.id for layer in hit.layers}
    return {
        field: tuple(name for name in getattr(hit, field) if "/" not in name or name.partition("/")[0] in ids)
        for field in ("front", "locked")
    }


def dangling(track: Track) -> list[Dangling]:
    """Every name of what is not there."""
    parts, found = parts_of(track), list[Dangling]()
    hits = parts - {BASS_PART}

    def keys(where: str, curve: Duck) -> None:
        found.extend(Dangling(f"{where}.key.hit_ids", None, name) for name in curve.key.hit_ids if name not in hits)

    keys("duck", track.duck)
    for target in track.ducking.targets:
        where = f"ducking of {target.part}"
        if target.part not in parts:
            found.append(Dangling("ducking.targets", None, target.part))
        if target.follows is not None and target.follows not in parts:
            found.append(Dangling(f"{where}.follows", None, target.follows))
        for curve in target.curves:
            keys(where, curve)
    context = {one.id for one in track.kit if one.role == CONTEXT}
    for group in track.groups:
        found.extend(
            Dangling(f"group {group.id}.members", None, name) for name in group.members if name not in parts - context
        )
    found.extend(Dangling("level_lines", None, one.part) for one in track.level_lines if one.part not in parts)
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
    for one in (track.kick_hit(), *track.kit):
        layers = {layer.id for layer in one.hit.layers}
        found.extend(
            Dangling(f"{one.id}: {where}", one.id, name) for where, name in _layers_named(one.hit) if name not in layers
        )
    return found


def without_dangling(track: Track) -> Track:
    """The track without any name of what is not there; what named it goes with it."""
    parts = parts_of(track)
    ducking = track.ducking.model_copy(
        update={"targets": tuple(_pruned(one, parts) for one in track.ducking.targets if one.part in parts)}
    )
    kit = tuple(
        one.model_copy(update={"hit": _own_layers(one.hit), "doubles": _there(one.doubles, parts)}) for one in track.kit
    )
    own = parts - {one.id for one in track.kit if one.role == CONTEXT}
    groups = tuple(
        one.model_copy(update={"members": tuple(name for name in one.members if name in own)}) for one in track.groups
    )
    spaces = tuple(
        one.model_copy(update={"sends": tuple(send for send in one.sends if send.part in own)}) for one in track.spaces
    )
    kick = _own_layers(track.kick)
    return track.model_copy(
        update={
            "duck": _unkeyed(track.duck, parts),
            "ducking": ducking,
            "kick": kick,
            "kit": kit,
            "groups": groups,
            "spaces": spaces,
            "level_lines": tuple(one for one in track.level_lines if one.part in parts),
            "low_group": track.low_group.within(parts),
        }
    )


def _there(doubles: Doubling | None, parts: set[str]) -> Doubling | None:
    return doubles if doubles is None or doubles.of in parts else None


def _with_lines_kept(track: Track, before: Track) -> Track:
    """The track in which a part that doubled one which is no more has that line as its own."""
    gone = parts_of(before) - parts_of(track)
    orphans = [one for one in track.kit if one.doubles is not None and one.doubles.of in gone]
    for one in orphans:
        strokes = before.strokes_of(one)
        track = track.with_strokes(one.id, strokes)
    return track


def _pruned(target: Target, parts: set[str]) -> Target:
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
        track = _with_lines_kept(track, before)
    found = dangling(track)
    known = [] if before is None else dangling(before)
    unknown = [one for one in found if before is None or not (_was_there(before, one) or one in known)]
    if unknown:
        raise InvalidTrack("; ".join(one.said for one in unknown[:4]))
    shown = all(_shown(one.hit).items() <= vars(one.hit).items() for one in (track.kick_hit(), *track.kit))
    return track if shown and not found else without_dangling(track)


def _was_there(before: Track, one: Dangling) -> bool:
    if one.hit is None:
        return one.name in parts_of(before)
    hits = {hit.id: hit.hit for hit in (before.hits()[0], *before.kit)}
    return one.hit in hits and any(layer.id == one.name for layer in hits[one.hit].layers)


def mended(text: str) -> tuple[Track, tuple[str, ...]]:
    """A stored description that older rules let pass, and what was changed so that it opens, in plain words.

    Raises InvalidTrack where it is wrong in more than its names.
    """
    document: Any = json.loads(text)
    said: list[str] = []
    if isinstance(document, dict):
        ids = [one.get("id") for one in document.get("kit") or [] if isinstance(one, dict)]
        for old in [one for one in ids if isinstance(one, str) and reserved(one)]:
            new = _free_id(old, [*ids, KICK_ID, BASS_PART])
            ids.append(new)
            document = _with_names(document, {old: new})
            said.append(f"the part {old!r} is called {new!r} now: its old name could be taken for another part's")
    track = track_from_document(document)
    lost = dangling(track)
    said += [f"{one.said}: that was taken out" for one in lost]
    return without_dangling(track), tuple(said)


def _free_id(old: str, taken: list[Any]) -> str:
    base = RENAMED.format(old)[:36]
    return next(name for n in range(1, 100) if (name := base if n == 1 else f"{base}-{n}") not in taken)


def _with_names(document: dict[str, Any], names: dict[str, str]) -> dict[str, Any]:
    """A document with other names for hits of its kit, wherever they are named as such."""

    def renamed(name: Any) -> Any:
        return names.get(name, name) if isinstance(name, str) else name

    def curve(one: Any) -> Any:
        key = one.get("key") if isinstance(one, dict) else None
        if not isinstance(key, dict):
            return one
        return {**one, "key": {**key, "hit_ids": [renamed(name) for name in key.get("hit_ids") or []]}}

    def target(one: Any) -> Any:
        # The bass's and the kick's own ducks stay theirs: no hit could be ducked under such a name.
        if not isinstance(one, dict):
            return one
        low = (KICK_ID, BASS_PART)
        part, follows = one.get("part"), one.get("follows")
        return {
            **one,
            "part": part if part in low else renamed(part),
            "follows": follows if follows is None or follows in low else renamed(follows),
            "curves": [curve(each) for each in one.get("curves") or []],
        }

    def doubling(one: Any) -> Any:
        own = one.get("doubles")
        low = isinstance(own, dict) and own.get("of") in (KICK_ID, BASS_PART)
        return {**own, "of": renamed(own.get("of"))} if isinstance(own, dict) and not low else own

    kit = [
        {**one, "id": renamed(one["id"]), "doubles": doubling(one)} if isinstance(one, dict) else one
        for one in document["kit"]
    ]
    made = {**document, "kit": kit}
    if isinstance(document.get("duck"), dict):
        made["duck"] = curve(document["duck"])
    if isinstance(document.get("ducking"), dict):
        ducking = document["ducking"]
        made["ducking"] = {**ducking, "targets": [target(one) for one in ducking.get("targets") or []]}
    return made

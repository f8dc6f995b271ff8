"""Stored descriptions that older rules let pass: opened with what is wrong about their names put right, and said."""

from __future__ import annotations

import json
from typing import Any

from juglant.core.model.ids import BASS_PART, KICK_ID, reserved
from juglant.core.model.references import Dangling, dangling, without_dangling
from juglant.core.model.track import Track, track_from_document

# What a part is called whose name could be taken for another's, and after it a number where that is taken too.
RENAMED = "{}-part"


def mended(text: str) -> tuple[Track, tuple[str, ...]]:
    """A stored description that older rules let pass, and what was changed so that it opens, in plain words.

    Raises InvalidTrack where it is wrong in more than its names.
    """
    document: Any = json.loads(text)
    said: list[str] = []
    if isinstance(document, dict):
        document = _without_strangers(document, said)
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


def _without_strangers(document: dict[str, Any], said: list[str]) -> dict[str, Any]:
    """A description of version 1 without ducks and level lines of parts that it does not have."""
    kit = document.get("kit") or []
    known = {KICK_ID, BASS_PART, *(one.get("id") for one in kit if isinstance(one, dict))}

    def kept(where: str, every: Any) -> list[Any]:
        strangers = [one for one in every or [] if isinstance(one, dict) and one.get("part") not in known]
        said.extend(f"{Dangling(where, None, str(one.get('part'))).said}: that was taken out" for one in strangers)
        return [one for one in every or [] if one not in strangers]

    made = dict(document)
    if isinstance(made.get("ducking"), dict):
        made["ducking"] = {**made["ducking"], "targets": kept("ducking.targets", made["ducking"].get("targets"))}
    if "level_lines" in made:
        made["level_lines"] = kept("level_lines", made["level_lines"])
    return made


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

"""What a curve was computed for, and computing it again when that has changed."""

from __future__ import annotations

import hashlib
import re

from pydantic import BaseModel

from juglant.core.duck.keys import key_beats
from juglant.core.duck.part_curves import first_curve, with_curve
from juglant.core.loop.bass_line import bass_description
from juglant.core.loop.kick_stem import kick_description
from juglant.core.loop.kit import kit_description
from juglant.core.loop.level_lines import line_made_of
from juglant.core.model.duck import DUCK_AIM, Duck, Fit
from juglant.core.model.ids import BASS_PART, KICK_ID
from juglant.core.model.part import Part
from juglant.core.model.track import Track
from juglant.core.model.version_one import as_version_one
from juglant.core.separate.filters import yielder

# What a curve depends on, and what each is called.
CHANGED = {
    "kick": "the kick",
    "tempo": "the tempo",
    "carve": "the carve or the goal",
    "part": "the part itself",
    "keys": "its keys",
}
SOURCES = tuple(CHANGED)
# What says which kind of part a part is: there by default, and yet no default.
KIND = re.compile(r'"(?:kind|engine|source)":"[^"]*"')
# What the solver decides, and what it is told.
DECIDED = {"on", "depth_db", "lookahead_ms", "fall_ms", "hold_ms", "return_ms", "shape", "drawn", "recovery_beats", "key"}


def _short(text: str) -> str:
    return hashlib.sha256(text.encode()).hexdigest()[:8]


def _sound(description: Track) -> str:
    # In the layout that the first of these were told in: written down another way, a part is no other part.
    return _set(as_version_one(description.parts), set()) + "".join(_place(one) for one in description.parts)


def _place(one: Part) -> str:
    """What of a low part's place that layout has no room for, where it is not as it is by default."""
    name = {KICK_ID: {"shift_ms", "inverted", "muted"}, BASS_PART: {"muted", "hit"}}.get(one.id, set())
    own = one.model_dump_json(include=name, exclude_defaults=True)
    kinds = "".join(KIND.findall(one.model_dump_json(include=name)))
    return "" if own == "{}" else f" {one.id} {own}{kinds}"


def _set(model: BaseModel, without: set[str]) -> str:
    """What of a description is not as it is by default, and of which kinds its parts are.

    A parameter that comes with a newer version, at its default, is no change.
    """
    kinds = KIND.findall(model.model_dump_json(exclude=without))
    return model.model_dump_json(exclude=without, exclude_defaults=True) + "".join(kinds)


def fit_of(track: Track, part: str, because: tuple[str, ...] = ()) -> Fit:
    """What a part's first curve depends on as the track is now."""
    sheet, target, key = track.sheet, track.part(part).ducked, first_curve(track, part).key
    # The carve of the bass is no matter to other parts.
    carved = part == BASS_PART or yielder(sheet.owner) == KICK_ID or sheet.owner == "zones"
    zones = f" {sheet.zones}" if sheet.owner == "zones" else ""
    if part == KICK_ID:
        own = _sound(bass_description(track)) if key.kind == "notes" else ""
    else:
        own = _sound(bass_description(track) if part == BASS_PART else kit_description(track, part))
    return Fit(
        kick=_short(_sound(kick_description(track))),
        tempo=_short(f"{sheet.bpm} {sheet.swing_pct} {sheet.bars}"),
        carve=_short(f"{sheet.owner}{zones} {target.goal_db} {_set(track.carve, set()) if carved else ''}"),
        part=_short(own + line_made_of(track, part)),
        keys="" if key.kind == "kick" else _short(str(key_beats(track, key))),
        curve=_short(_set(first_curve(track, part), set(Duck.model_fields) - DECIDED)),
        because=because,
        aim=DUCK_AIM,
    )


def with_fit(track: Track, part: str, because: tuple[str, ...] = ()) -> Track:
    """The track with its first curve of a part marked as computed for what there is now."""
    curve = first_curve(track, part)
    return with_curve(track, part, curve.model_copy(update={"fitted": fit_of(track, part, because)}))


def changed_since(track: Track, part: str) -> tuple[str, ...]:
    """Which of SOURCES changed since a part's first curve was computed; empty where it was not, or nothing has."""
    own = own_curve(track, part)
    if own is None or own.fitted is None:
        return ()
    now = fit_of(track, part)
    return tuple(name for name in SOURCES if getattr(now, name) != getattr(own.fitted, name))


def by_hand_since(track: Track, part: str) -> bool:
    """Whether a computed curve was changed by hand since."""
    own = own_curve(track, part)
    return own is not None and own.fitted is not None and own.fitted.curve != fit_of(track, part).curve


def own_curve(track: Track, part: str) -> Duck | None:
    """A part's own first curve, None where it has none or follows another part."""
    target = track.part(part).ducked
    if target.follows is not None:
        return None
    return target.curves[0] if target.curves else None


def refit_parts(track: Track) -> list[str]:
    """Parts whose computed curve follows what it was computed for, and is behind."""
    # The bass's is what the others are heard against.
    parts = sorted((one.id for one in track.parts), key=lambda part: part != BASS_PART)
    return [
        part
        for part in parts
        if (own := own_curve(track, part)) is not None
        and own.refit
        and own.fitted is not None
        and own.fitted.aim == DUCK_AIM
        and changed_since(track, part)
        and not by_hand_since(track, part)
    ]

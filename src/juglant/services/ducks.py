"""The Duck step: every ducked part with its curve, lane and guards; the silent trigger against the audible key."""

from __future__ import annotations

from functools import lru_cache

from pydantic import BaseModel, ConfigDict

from juglant.core.duck.guards import Guards
from juglant.core.duck.keys import key_beats, trigger_beats
from juglant.core.duck.targets import curves_of, first_curve, with_curve
from juglant.core.mix.ducks import PartDuck, measure_part
from juglant.core.mix.render import render_stem
from juglant.core.model.duck import BASS_PART, Duck, Key
from juglant.core.model.kit import KICK_ID
from juglant.core.model.track import Track
from juglant.core.pictures.room import DuckPicture, draw_curve, lane


class DuckedPart(BaseModel):
    """One part: what it clears, its guards, its gain over the loop and around its tightest key."""

    model_config = ConfigDict(frozen=True)
    part: str
    name: str
    keys_beats: tuple[float, ...]
    before_db: float | None
    after_db: float | None
    goal_db: float | None
    reason: str | None
    keyed_by_itself: bool
    guards: Guards
    lane_beats: tuple[float, ...]
    lane_db: tuple[float, ...]
    picture: DuckPicture | None


class DuckSheet(BaseModel):
    """Every part that has a curve; where the trigger falls; what the bass loses in each bar by either key, LU."""

    model_config = ConfigDict(frozen=True)
    parts: tuple[DuckedPart, ...]
    trigger_beats: tuple[float, ...]
    by_kick_lu: tuple[float | None, ...]
    by_trigger_lu: tuple[float | None, ...]


def _shown(track: Track, found: PartDuck) -> DuckedPart:
    beats, gains = lane(found.rows, track.sheet.bpm)
    keys = sorted({at for one in curves_of(track, found.part) for at in key_beats(track, one.key)})
    return DuckedPart(
        part=found.part,
        name=found.name,
        keys_beats=tuple(round(at, 4) for at in keys),
        before_db=found.before_db,
        after_db=found.after_db,
        goal_db=None if found.goal is None else found.goal.db,
        reason=found.reason,
        keyed_by_itself=found.keyed_by_itself,
        guards=found.guards,
        lane_beats=beats,
        lane_db=gains,
        picture=draw_curve(track, found.part, found.rows, found.strokes, render_stem(track, KICK_ID)),
    )


def _parts(track: Track) -> list[str]:
    """The bass, and every part that has a curve, on or off."""
    known = {KICK_ID, *(one.id for one in track.kit)}
    return [BASS_PART, *(one.part for one in track.ducking.targets if one.part in known and one.curves)]


@lru_cache(maxsize=6)
def ducks_of(track: Track) -> DuckSheet:
    """All of it (pure, remembered, bounded)."""
    own = first_curve(track, BASS_PART)
    losses = [
        measure_part(_keyed(track, own, kind), BASS_PART).guards.bar_losses_lu for kind in (Key(), Key(kind="trigger"))
    ]
    return DuckSheet(
        parts=tuple(_shown(track, measure_part(track, part)) for part in _parts(track)),
        trigger_beats=tuple(round(at, 4) for at in trigger_beats(track)),
        by_kick_lu=losses[0],
        by_trigger_lu=losses[1],
    )


def _keyed(track: Track, curve: Duck, key: Key) -> Track:
    return with_curve(track, BASS_PART, curve.model_copy(update={"key": key}))

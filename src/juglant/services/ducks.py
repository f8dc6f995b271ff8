"""The Duck step: every ducked part with its curve, lane and guards; the silent trigger against the audible key."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from pydantic import BaseModel, ConfigDict

from juglant.core.duck.compressor import (
    FIXED_RATIOS,
    TO_90,
    CompressorSettings,
    match_compressor,
)
from juglant.core.duck.guards import Guards
from juglant.core.duck.key_sound import level_of_key
from juglant.core.duck.keys import key_beats
from juglant.core.duck.solve import Activity
from juglant.core.duck.targets import curves_of, first_curve
from juglant.core.mix.ducks import BarLevels, PartDuck, bar_levels, measure_part
from juglant.core.mix.render import render_stem
from juglant.core.model.duck import BASS_PART, Key
from juglant.core.model.kit import KICK_ID
from juglant.core.model.track import Track
from juglant.core.pictures.room import DuckPicture, draw_curve, lane
from juglant.core.types import Samples

# A curve that moves less than this is none; the compressor is drawn by this step.
LEAST_DB, SHOWN_STEP_MS = 0.1, 2.0


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
    """Every part that has a curve; what the bass loses in each bar by the kick that is heard and by the silent trigger."""

    model_config = ConfigDict(frozen=True)
    parts: tuple[DuckedPart, ...]
    by_kick: BarLevels
    by_trigger: BarLevels


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


class CompressorRow(BaseModel):
    """One way to set a keyed compressor: how early its key is sent, settings, how far it stays off the curve."""

    model_config = ConfigDict(frozen=True)
    name: str
    early_ms: float
    settings: CompressorSettings
    attack_90_ms: float
    release_90_ms: float
    rms_db: float
    worst_db: float
    gain_ms: tuple[float, ...]
    gain_db: tuple[float, ...]


@lru_cache(maxsize=6)
def compressors_of(track: Track, part: str) -> tuple[CompressorRow, ...]:
    """Settings of a keyed compressor closest to a part's curve (pure, remembered); empty where nothing keys or moves it.

    The key is the kick where it keys, else the kick's stroke copied to every key: what a host's side chain is sent.
    """
    found = measure_part(track, part)
    if not found.strokes or found.rows.gain_db.min() > -LEAST_DB:
        return ()
    curve = first_curve(track, part)
    level = level_of_key(track, curve.key)
    tightest = min(found.strokes, key=lambda one: one.recovery_s)
    asked: list[tuple[str, float, float | None]] = [
        ("closest", 0.0, None),
        ("closest, key sent early", curve.lookahead_ms, None),
        *((f"at {ratio:g}:1", 0.0, ratio) for ratio in FIXED_RATIOS),
    ]
    return tuple(_compressor(found, level, tightest, *one) for one in asked)


def _compressor(
    found: PartDuck, level: Samples, tightest: Activity, name: str, early_ms: float, ratio: float | None
) -> CompressorRow:
    match = match_compressor(found.rows, level, ratio=ratio, early_ms=early_ms)
    since = np.arange(-100.0, 1000 * (tightest.next_hit_s - tightest.hit_s), SHOWN_STEP_MS)
    places = np.round(1000 * tightest.hit_s + since).astype(int) % match.gain_db.size
    one = match.settings
    return CompressorRow(
        name=name,
        early_ms=early_ms,
        settings=one,
        attack_90_ms=one.attack_ms * TO_90,
        release_90_ms=one.release_ms * TO_90,
        rms_db=match.rms_db,
        worst_db=match.worst_db,
        gain_ms=tuple(since.tolist()),
        gain_db=tuple(np.round(match.gain_db[places], 2).tolist()),
    )


@lru_cache(maxsize=6)
def ducks_of(track: Track) -> DuckSheet:
    """All of it (pure, remembered, bounded)."""
    return DuckSheet(
        parts=tuple(_shown(track, measure_part(track, part)) for part in _parts(track)),
        by_kick=bar_levels(track, BASS_PART, Key()),
        by_trigger=bar_levels(track, BASS_PART, Key(kind="trigger")),
    )

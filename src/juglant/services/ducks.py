"""The Duck step: every ducked part with its curve, lane and guards; the silent trigger against the audible key."""

from __future__ import annotations

import numpy as np
from pydantic import BaseModel, ConfigDict

from juglant.core.analysis.duck_aims import keyed_by_notes, part_strokes, part_title
from juglant.core.analysis.part_duck import BarLevels, PartDuck, bar_levels, measure_part
from juglant.core.analysis.spaces import SpaceCost, space_costs
from juglant.core.duck.compressor import (
    FIXED_RATIOS,
    TO_90,
    match_compressor,
)
from juglant.core.duck.curve import starts_s
from juglant.core.duck.guards import Guards
from juglant.core.duck.keys import key_beats
from juglant.core.duck.part_curves import curves_of, first_curve, with_curve
from juglant.core.hit.render import folded
from juglant.core.loop.compressed import driven_gain, make_up_db
from juglant.core.loop.ducked import ringing
from juglant.core.loop.key_sound import level_of_key
from juglant.core.loop.render import render_stem
from juglant.core.memory import newest
from juglant.core.model.duck import Key, KeyedCompressor
from juglant.core.model.ids import BASS_PART, KICK_ID
from juglant.core.model.stem import BASS, KICK, StemRef
from juglant.core.model.track import Track
from juglant.core.pictures.room import DuckPicture, draw_curve, lane
from juglant.core.plans.computed_for import CHANGED, by_hand_since, changed_since

# A curve that moves less than this is none; the compressor is drawn by this step.
LEAST_DB, SHOWN_STEP_MS = 0.1, 2.0


class DuckedPart(BaseModel):
    """One part: what it clears, its guards, its gain over the loop and around the tightest key of each of its curves.

    owner: what it makes room for; at_most: whether the kick over the bass is to be no more than the goal; changed: what did
    since it was computed; because: why it was fitted again last; rings: whether reverb or delay end it.
    """

    model_config = ConfigDict(frozen=True)
    part: str
    name: str
    owner: str
    keys_beats: tuple[float, ...]
    before_db: float | None
    after_db: float | None
    goal_db: float | None
    at_most: bool
    needed_db: float | None
    reason: str | None
    keyed_by_itself: bool
    guards: Guards
    lane_beats: tuple[float, ...]
    lane_db: tuple[float, ...]
    pictures: tuple[DuckPicture | None, ...]
    changed: tuple[str, ...]
    by_hand: bool
    because: tuple[str, ...]
    make_up_db: float | None
    rings: bool


class DuckSheet(BaseModel):
    """Every part that has a curve; what the bass loses in each bar by the kick that is heard and by the silent trigger."""

    model_config = ConfigDict(frozen=True)
    parts: tuple[DuckedPart, ...]
    by_kick: BarLevels
    by_trigger: BarLevels


def _shown(track: Track, found: PartDuck) -> DuckedPart:
    beats, gains = lane(found.rows, track.sheet.bpm)
    curve = first_curve(track, found.part)
    keys = sorted({at for one in curves_of(track, found.part) for at in key_beats(track, one.key)})
    return DuckedPart(
        part=found.part,
        name=found.name,
        owner=found.owner,
        keys_beats=tuple(round(at, 4) for at in keys),
        before_db=found.before_db,
        after_db=found.after_db,
        goal_db=None if found.goal is None else found.goal.db,
        at_most=found.goal is not None and found.goal.kind == "at_most",
        reason=found.reason,
        keyed_by_itself=found.keyed_by_itself,
        guards=found.guards,
        lane_beats=beats,
        lane_db=gains,
        pictures=_pictures(track, found),
        changed=changed_since(track, found.part),
        by_hand=by_hand_since(track, found.part),
        because=() if curve.fitted is None else tuple(CHANGED.get(one, one) for one in curve.fitted.because),
        needed_db=found.needed_db,
        make_up_db=driven_gain(track, curve)[1] if curve.drive == "compressor" and curve.on else None,
        rings=found.part not in (BASS_PART, KICK_ID) and bool(ringing(track.hit_of(found.part).hit)),
    )


def _pictures(track: Track, found: PartDuck) -> tuple[DuckPicture | None, ...]:
    """The gain around the tightest key of every curve of a part, of the one that is solved first."""
    key = render_stem(track, BASS if keyed_by_notes(track, found.part) else KICK)
    more = track.part(found.part).ducked.curves[1:]
    strokes = [found.strokes, *(part_strokes(track, found.part, one) for one in more)]
    curves = [first_curve(track, found.part), *more]
    plain = folded(render_stem(track, StemRef(found.part, "unducked")))
    return tuple(
        draw_curve(track, found.part, found.rows, keyed, key, plain, curve)
        for keyed, curve in zip(strokes, curves, strict=True)
    )


def _parts(track: Track) -> list[str]:
    """The bass, and every part that has a curve, on or off."""
    return [one.id for one in track.parts if one.ducked.curves or one.ducked.follows]


class CompressorRow(BaseModel):
    """One way to set a keyed compressor: settings, how far it stays off the curve, and what it reaches.

    clearance_db: kick over the part with it, None where they share no low band; make_up_db: what it takes of a steady
    sound.
    """

    model_config = ConfigDict(frozen=True)
    name: str
    settings: KeyedCompressor
    attack_90_ms: float
    release_90_ms: float
    rms_db: float
    worst_db: float
    is_close: bool
    clearance_db: float | None
    make_up_db: float
    gain_ms: tuple[float, ...]
    gain_db: tuple[float, ...]


def compressors_of(track: Track, part: str) -> tuple[CompressorRow, ...]:
    """Settings of a keyed compressor closest to a part's curve; empty where nothing keys or moves it.

    The key is the kick where it keys, else the kick's stroke copied to every key: what a host's side chain is sent.
    """
    # A compressor that stands in already changes nothing of what the curve asks.
    asked = first_curve(track, part).model_copy(update={"drive": "curve", "compressor": KeyedCompressor(), "fitted": None})
    return _compressors(with_curve(track, part, asked), part)


@newest(12)
def _compressors(track: Track, part: str) -> tuple[CompressorRow, ...]:
    """The same of a curve (pure, remembered)."""
    curve = first_curve(track, part)
    found = measure_part(track, part)
    if not found.strokes or found.rows.gain_db.min() > -LEAST_DB:
        return ()
    asked: list[tuple[str, float, float | None]] = [
        ("closest", 0.0, None),
        ("closest, key sent early", round(max(0.0, -1000 * starts_s(curve)), 1), None),
        *((f"at {ratio:g}:1", 0.0, ratio) for ratio in FIXED_RATIOS),
    ]
    return tuple(_compressor(track, found, *one) for one in asked)


def _compressor(track: Track, found: PartDuck, name: str, early_ms: float, ratio: float | None) -> CompressorRow:
    curve = first_curve(track, found.part)
    level = level_of_key(track, curve.key)
    tightest = min(found.strokes, key=lambda one: one.recovery_s)
    match = match_compressor(found.rows, level, ratio=ratio, early_ms=early_ms)
    since = np.arange(-100.0, 1000 * (tightest.next_hit_s - tightest.hit_s), SHOWN_STEP_MS)
    places = np.round(1000 * tightest.hit_s + since).astype(int) % match.gain_db.size
    one = match.settings.model_copy(update={"early_ms": early_ms})
    driven = curve.model_copy(update={"drive": "compressor", "compressor": one})
    return CompressorRow(
        name=name,
        settings=one,
        attack_90_ms=one.attack_ms * TO_90,
        release_90_ms=one.release_ms * TO_90,
        rms_db=match.rms_db,
        worst_db=match.worst_db,
        is_close=match.is_close,
        clearance_db=None
        if found.after_db is None
        else measure_part(with_curve(track, found.part, driven), found.part).after_db,
        make_up_db=make_up_db(match.gain_db, one.model_copy(update={"make_up": "computed"})),
        gain_ms=tuple(since.tolist()),
        gain_db=tuple(np.round(match.gain_db[places], 2).tolist()),
    )


@newest(6)
def ducks_of(track: Track) -> DuckSheet:
    """All of it (pure, remembered, bounded)."""
    return DuckSheet(
        parts=tuple(_shown(track, measure_part(track, part)) for part in _parts(track)),
        by_kick=bar_levels(track, BASS_PART, Key()),
        by_trigger=bar_levels(track, BASS_PART, Key(kind="trigger")),
    )


@newest(6)
def spaces_of(track: Track, part: str) -> list[SpaceCost]:
    """A part's reverb and delay before and after its duck (pure, remembered); raises NoSuchPart."""
    part_title(track, part)
    return space_costs(track, part, measure_part(track, part).strokes)

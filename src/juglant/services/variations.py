"""Rolling variations of a hit, their history, keeping and morphing."""

from __future__ import annotations

import json
from sqlite3 import Connection
from typing import Literal

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from juglant.core.errors import InvalidTrack, NoSuchPart
from juglant.core.hit.levelled import Levelled, rolled_levelled
from juglant.core.hit.likeness import CANDIDATES, NEARER, Rolling, Side, as_ruled, furthest
from juglant.core.hit.roll import Roll
from juglant.core.hit.strokes import stroke_tempo
from juglant.core.memory import newest
from juglant.core.model.hit import Hit
from juglant.core.model.ids import Role
from juglant.core.model.track import Track
from juglant.core.pictures.sheet import Features, Small, apart_db, small_of
from juglant.services.tracks import Workspace
from juglant.store import kept as kept_table
from juglant.store import rolls as roll_table
from juglant.store.database import opened, transaction
from juglant.store.kept import Kind
from juglant.store.rolls import RollRow
from juglant.store.tracks import head_of

SHEET = 16
MOST_DOWN_DB = 12.0


class Variation(BaseModel):
    """One place of a contact sheet: the hit, its picture and features, by how much it was levelled after the roll, and how
    far it is from what was rolled (`apart_db`)."""

    model_config = ConfigDict(frozen=True)
    index: int
    hit: Hit
    small: Small
    levelled_db: float
    away_db: float | None


class Like(BaseModel):
    """A sound that a roll is to be more or less like; roll: the number of the roll it was found on, None for any other."""

    model_config = ConfigDict(frozen=True, extra="forbid")
    side: Side
    hit: Hit
    name: str = Field(min_length=1, max_length=60)
    roll: int | None = Field(default=None, ge=1, le=2**31)


class Kept(BaseModel):
    """One kept hit, or a hit of one kept layer."""

    model_config = ConfigDict(frozen=True)
    id: str
    kind: Literal["hit", "layer"]
    name: str
    role: Role
    hit: Hit
    features: Features
    created_at: str


def _there(index: int) -> None:
    if not 0 <= index < SHEET:
        raise NoSuchPart(f"a sheet has places 0 to {SHEET - 1}, got {index}")


def variation(track: Track, hit_id: str, rolling: Rolling, index: int) -> Hit:
    """One variation of a hit; raises NoSuchPart where there is no such place on the sheet."""
    _there(index)
    return _sheet(track, hit_id, rolling)[index][0].hit


def audition_gain_db(track: Track, hit_id: str, rolling: Rolling, index: int) -> float:
    """What brings one variation to the loudness of the quietest of its sheet: the louder is turned down.

    None is turned down to more than 12 dB under the hit as it stands.
    """
    levels = [small.features.loudness_db for _, small in _sheet(track, hit_id, rolling)]
    own, now = levels[index], _as_it_stands(track, hit_id).features.loudness_db
    heard = [level for level in levels if level is not None]
    if own is None or not heard:
        return 0.0
    quietest = min(heard)
    return min(0.0, (quietest if now is None else max(quietest, now - MOST_DOWN_DB)) - own)


def contact_sheet(track: Track, hit_id: str, rolling: Rolling) -> list[Variation]:
    """Sixteen variations with what they measure; the same for the same track and roll."""
    rolled = _as_it_stands(track, hit_id)
    return [
        Variation(index=index, hit=one.hit, small=small, levelled_db=one.by_db, away_db=apart_db(small, rolled))
        for index, (one, small) in enumerate(_sheet(track, hit_id, rolling))
    ]


def away_from(track: Track, hit_id: str, rolling: Rolling, index: int) -> list[float | None]:
    """How far each variation of a sheet is from one that is liked, dB; raises NoSuchPart where there is no such place."""
    _there(index)
    sheet = contact_sheet(track, hit_id, rolling)
    return [apart_db(one.small, sheet[index].small) for one in sheet]


def _as_it_stands(track: Track, hit_id: str) -> Small:
    hit = track.hit_of(hit_id).hit
    return small_of(hit, track.sheet.sample_rate, stroke_tempo(hit, track.sheet.bpm))


def _sheet(track: Track, hit_id: str, rolling: Rolling) -> tuple[tuple[Levelled, Small], ...]:
    hit, sheet = track.hit_of(hit_id).hit, track.sheet
    return _sheet_of(hit, rolling, sheet.sample_rate, stroke_tempo(hit, sheet.bpm))


@newest(8)
def _sheet_of(hit: Hit, rolling: Rolling, sample_rate: int, tempo: float) -> tuple[tuple[Levelled, Small], ...]:
    """Sixteen variations and what they measure, remembered (pure, bounded)."""
    # What is rolled from has the kick that a rumble is made of, as it is now.
    base = hit if rolling.base is None else rolling.base.model_copy(update={"kick": hit.kick})
    count = SHEET * (1 if rolling.unlike is None else CANDIDATES)
    # One after the other: in two threads they wait for each other longer than they work side by side (measured).
    made = [
        rolled_levelled(base, rolling.roll, index, sample_rate=sample_rate, bpm=tempo, origin=hit) for index in range(count)
    ]
    found = [(one, small_of(one.hit, sample_rate, tempo)) for one in made]
    if rolling.unlike is not None:
        shunned = small_of(rolling.unlike.model_copy(update={"kick": hit.kick}), sample_rate, tempo)
        found = [found[at] for at in furthest([apart_db(small, shunned) for _, small in found], SHEET)]
    return tuple(found)


def rolling_of(store: Workspace, track_id: str, roll: Roll, like: int | None) -> Rolling:
    """A roll with what it is like or unlike, by its number; raises NoSuchPart where no such roll is like anything."""
    if like is None:
        return Rolling(roll)
    with opened(store.path) as connection:
        row = roll_table.like_of(connection, track_id, like)
    if row is None:
        raise NoSuchPart(f"roll {like} of this track is like nothing and unlike nothing")
    base, unlike = (None if text is None else Hit.model_validate_json(text) for text in (row.base, row.unlike))
    return Rolling(roll, base, unlike)


def add_roll(
    store: Workspace, track_id: str, hit_id: str, *, amount_pct: float, only_front: bool, like: Like | None = None
) -> RollRow:
    """A new roll of a hit as the track stands now, or of what it is like; raises NoSuchPart where the track has no such hit
    or the roll that it was found on is not there, InvalidTrack where what it is like has no layers.
    """
    hit = store.state(track_id).track.hit_of(hit_id).hit
    if like is not None and not like.hit.layers:
        raise InvalidTrack("an empty hit is like nothing: choose one that sounds")
    if like is not None and like.side == "more":
        amount_pct *= NEARER
    with opened(store.path) as connection, transaction(connection):
        revision = head_of(connection, track_id).revision
        row = None if like is None else _like_row(connection, track_id, like, hit)
        return roll_table.add_roll(
            connection, track_id, revision, hit_id, amount_pct=amount_pct, only_front=only_front, like=row
        )


def _like_row(connection: Connection, track_id: str, like: Like, hit: Hit) -> roll_table.LikeRow:
    sound = as_ruled(like.hit, hit).model_copy(update={"kick": None}).model_dump_json()
    if like.side == "more":
        return roll_table.LikeRow("more", like.name, base=sound, unlike=None)
    # Away from it, and still around what it was rolled from.
    found = None if like.roll is None else roll_table.like_of(connection, track_id, like.roll)
    return roll_table.LikeRow("less", like.name, base=None if found is None else found.base, unlike=sound)


def rolls_of(store: Workspace, track_id: str, hit_id: str) -> list[RollRow]:
    """Every roll of a hit, the newest first."""
    with opened(store.path) as connection:
        head_of(connection, track_id)
        return roll_table.rolls_of(connection, track_id, hit_id)


def keep_hit(store: Workspace, track: Track, kind: Kind, name: str, *, role: Role, hit: Hit, replace: bool) -> Kept:
    """Keep a hit, or the first layer of one; raises InvalidTrack where it has none, NameTaken where the name is in use."""
    if not hit.layers:
        raise InvalidTrack("an empty hit cannot be kept; add a layer first")
    if kind == "layer":
        hit = Hit(layers=(hit.layers[0].model_copy(update={"muted": False, "solo": False, "struck_by": None}),))
    sounding = hit.model_copy(update={"kick": track.kick}) if hit.has_rumble else hit
    features = small_of(sounding, track.sheet.sample_rate, stroke_tempo(hit, track.sheet.bpm)).features
    with opened(store.path) as connection, transaction(connection):
        row = kept_table.keep(
            connection,
            kind,
            name,
            role=role,
            body=hit.model_copy(update={"kick": None}).model_dump_json(),
            features=features.model_dump_json(),
            replace=replace,
        )
    return _kept(row)


def _kept(row: kept_table.KeptRow) -> Kept:
    return Kept(
        id=row.id,
        kind=row.kind,
        name=row.name,
        role=row.role,
        hit=Hit.model_validate_json(row.body),
        features=Features.model_validate(json.loads(row.features)),
        created_at=row.created_at,
    )


def all_kept(store: Workspace) -> list[Kept]:
    """Everything kept that can be read, the newest first."""
    with opened(store.path) as connection:
        rows = kept_table.all_kept(connection)
    found = []
    for row in rows:
        try:
            found.append(_kept(row))
        except ValidationError:
            # Written by a newer version: it stays in the file, and is not shown here.
            continue
    return found

"""One ducked part measured: its curve over the loop, what it clears for its owner, and its guards."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from juglant.core.analysis.duck_aims import (
    Sides,
    key_name,
    keys_apart,
    needed_db,
    part_aims,
    part_strokes,
    part_title,
    standing_of,
)
from juglant.core.analysis.stem_bands import Whatever, bands_of, plain_part
from juglant.core.duck.curve import GainRows, rows_to_gain
from juglant.core.duck.guards import Guards, bar_losses_lu, level_jump_lu, measure_guards
from juglant.core.duck.keys import key_beats, keyed_by_itself
from juglant.core.duck.part_curves import curves_of, first_curve, starts_beats, with_curve
from juglant.core.duck.strokes import Activity
from juglant.core.hit.strokes import stroke_tempo
from juglant.core.loop.gain import part_gain, part_rows
from juglant.core.loop.kick_stem import cached_hit
from juglant.core.loop.render import stem_made_of
from juglant.core.measure.landing import measure_landing
from juglant.core.memory import newest, remembered
from juglant.core.model.duck import Key
from juglant.core.model.hit import Hit
from juglant.core.model.ids import BASS_PART, KICK_ID
from juglant.core.model.stem import BASS, KICK, StemRef
from juglant.core.model.track import Track, lowest_note_hz
from juglant.core.separate.aims import Aim, together
from juglant.core.separate.clearance import Goal

NOT_YIELDING = "the kick itself: there is nothing to clear"


@dataclass(frozen=True)
class PartDuck:
    """One ducked part.

    owner: what it makes room for, by name; before_db, after_db: that over this part in the bands they share, without and
    with its curves, None where they share none, and reason says why; needed_db: how far it has to go down for its goal;
    strokes: when each key needs room.
    """

    part: str
    name: str
    owner: str
    rows: GainRows
    strokes: list[Activity]
    guards: Guards
    before_db: float | None
    after_db: float | None
    goal: Goal | None
    needed_db: float | None
    reason: str | None
    keyed_by_itself: bool


@newest(64)
def _landing_hz(hit: Hit, sample_rate: int, tempo: float) -> float | None:
    audio = cached_hit(hit, sample_rate, tempo).audio
    return measure_landing(audio, sample_rate=sample_rate).landing_hz if audio.size else None


def lowest_hz(track: Track, part: str) -> float | None:
    """The lowest note of a part, Hz: of the line by its numbers, of a hit where it lands; None where it has no pitch."""
    if part == BASS_PART:
        return lowest_note_hz(track)
    hit = track.hit_of(part).hit
    return _landing_hz(hit, track.sheet.sample_rate, stroke_tempo(hit, track.sheet.bpm))


def measure_part(track: Track, part: str) -> PartDuck:
    """A part's curve and everything measured of it (pure, remembered by what it is made from)."""
    own = StemRef(part)
    apart = [StemRef(one, state) for one in keys_apart(track, part) for state in ("heard", "before")]
    low = (KICK, KICK.of("before"), *((BASS, BASS.of("before")) if part == KICK_ID else ()))
    stems = [stem_made_of(track, one) for one in (*low, own.of("before"), own, *apart)]
    keys = [
        (one.model_dump_json(), key_beats(track, one.key)) for one in (first_curve(track, part), *curves_of(track, part))
    ]
    names = part_title(track, part), key_name(track, part)
    told = (names, track.limits.not_back_db, track.part(part).ducked.goal_db, starts_beats(track, part))
    whose = (track.sheet.owner, track.sheet.zones, track.sheet.a4_hz)
    return _measured(f"{stems} {keys} {told} {whose}", part, Whatever(track))


@remembered()
def _measured(made_of: str, part: str, given: Whatever) -> PartDuck:
    track = given.track
    own, rate = StemRef(part), track.sheet.sample_rate
    plain = plain_part(track, part)
    rows = part_rows(track, part, plain.lows.size)
    gain = rows_to_gain(rows, plain.lows.size, sample_rate=rate)
    aims, strokes = part_aims(track, part), part_strokes(track, part)
    both = Sides(track, keys_apart(track, part))
    owner = bands_of(track, BASS) if part == KICK_ID else both.owner()
    now = standing_of(part, aims, owner, both.of(own.of("unducked")))
    heard = both.of(own)
    after = None if now is None else now.aim.clearance_db(*((heard, owner) if part == KICK_ID else (owner, heard)))
    return PartDuck(
        part=part,
        name=part_title(track, part),
        owner=key_name(track, part),
        rows=rows,
        strokes=strokes,
        guards=measure_guards(track, plain, gain, rows, strokes, part=part, lowest_hz=lowest_hz(track, part)),
        before_db=None if now is None else now.clearance_db,
        after_db=after,
        goal=aims[0].goal if aims and now is None else None if now is None else now.aim.goal,
        needed_db=None if now is None else needed_db(now, part),
        reason=why_none(aims),
        keyed_by_itself=any(keyed_by_itself(part, one.key) for one in curves_of(track, part)),
    )


def why_none(aims: Sequence[Aim]) -> str | None:
    if not aims:
        return NOT_YIELDING
    return None if together(aims).reason is None else "it shares no low band with the kick"


@dataclass(frozen=True)
class BarLevels:
    """What the gain takes of a part in each bar, LU, not over 0 (None: silent), and the most less the least of it."""

    losses_lu: tuple[float | None, ...]
    jump_lu: float | None


def bar_levels(track: Track, part: str, key: Key) -> BarLevels:
    """The same by bar for a part whose first curve had this key."""
    keyed = with_curve(track, part, first_curve(track, part).model_copy(update={"key": key}))
    heard = plain_part(keyed, part).heard
    losses = bar_losses_lu(keyed, heard, part_gain(keyed, part, heard.size))
    return BarLevels(losses, level_jump_lu(losses))

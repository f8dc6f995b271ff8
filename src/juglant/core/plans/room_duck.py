"""The duck that does what the carve leaves: of the bass under the kick, or of the kick under the bass (method: ducking)."""

from __future__ import annotations

from dataclasses import replace

from juglant.core.analysis.duck_aims import Sides, part_aims, standing_of
from juglant.core.analysis.stem_bands import bands_of
from juglant.core.duck.keys import key_beats
from juglant.core.duck.part_curves import first_curve, with_curve
from juglant.core.duck.strokes import held_activities
from juglant.core.hit.render import folded
from juglant.core.loop.render import render_stem
from juglant.core.model.duck import Duck, Key
from juglant.core.model.ids import BASS_PART, KICK_ID
from juglant.core.model.stem import BASS, KICK, StemRef
from juglant.core.model.track import Track
from juglant.core.plans.duck_solver import NEAR_DB, WORTH_IT, DuckPlan, solve_duck
from juglant.core.separate.aims import towards
from juglant.core.separate.filters import yielder
from juglant.core.types import Samples

# A kick that gives way to a note does so for so long, and never at its own start.
HOLD_MS, SPARE_MS = 120.0, 15.0
NEW_KICK_DUCK = Duck(key=Key(kind="notes"), hold_ms=HOLD_MS, spare_ms=SPARE_MS)


def share_of(track: Track) -> float:
    """What of the goal's lack the carve shall take, 0 to 1, of the part that yields."""
    carve = track.carve
    return (carve.kick_share_pct if yielder(track.sheet.owner) == KICK_ID else carve.share_pct) / 100


def with_share(track: Track, share_pct: float) -> Track:
    """The track with another share of the carve, of the part that yields; each keeps its own."""
    name = "kick_share_pct" if yielder(track.sheet.owner) == KICK_ID else "share_pct"
    return track.model_copy(update={"carve": track.carve.model_copy(update={name: share_pct})})


def ducks_first(track: Track) -> bool:
    """Whether the part that yields is ducked before it is carved, for the share that the carve leaves.

    A kick that gives way by its carve alone has no duck that could come first.
    """
    return track.carve.order == "duck first" and (yielder(track.sheet.owner) == BASS_PART or share_of(track) < 1)


def plan_rest(track: Track, bare: Track, part: str, lowest_hz: float | None = None) -> tuple[Track, DuckPlan]:
    """The track with the duck of bass or kick that does what its carve leaves, or its own share where it comes first.

    bare: the track without that curve.
    """
    curve = first_curve(track, part)
    if part == KICK_ID and (why := _needless(track)):
        none = curve.model_copy(update={"on": False})
        return with_curve(track, part, none), DuckPlan(none, 0.0, None, False, 0.0, None, why)
    if not (ducks_first(track) and yielder(track.sheet.owner) == part):
        plan = _solved(track, bare, part, 1.0, lowest_hz)
        return with_curve(track, part, plan.duck), plan
    off = bare.model_copy(update={"carve": bare.carve.model_copy(update={"on": False})})
    plan = _solved(track, off, part, 1 - share_of(track), lowest_hz)
    made = with_curve(track, part, plan.duck)
    if plan.clearance_db is None or not (track.carve.on and (track.carve.moves or track.carve.kick_moves)):
        return made, plan
    # Where both fall short the duck does what is left too.
    reached = standing_of(part, part_aims(made, part), *_energies(made, part))
    if reached is None or reached.lack_db <= NEAR_DB or plan.limited:
        return made, replace(plan, clearance_db=None if reached is None else reached.clearance_db)
    again = _solved(track, bare, part, 1.0, lowest_hz)
    deeper = with_curve(track, part, again.duck)
    other = standing_of(part, part_aims(deeper, part), *_energies(deeper, part))
    # A kick is down for the first of each note alone: what its pass leaves is not always under there.
    if other is not None and other.lack_db < reached.lack_db:
        return deeper, again
    return made, replace(plan, clearance_db=reached.clearance_db)


def _needless(track: Track) -> str:
    """Why the kick has no duck under the notes; empty where it may have one."""
    if yielder(track.sheet.owner) != KICK_ID:
        return "the kick does not give way here"
    if share_of(track) >= 1:
        return "its carve takes the whole share"
    return "" if key_beats(track, NEW_KICK_DUCK.key) else "the bass has no notes to give way to"


def _energies(track: Track, part: str) -> tuple[Samples, Samples]:
    """Low bands of what a part makes room for, and of the part."""
    owner, own = (BASS, KICK) if part == KICK_ID else (KICK, BASS)
    return bands_of(track, owner), bands_of(track, own)


def _solved(track: Track, bare: Track, part: str, share: float, lowest_hz: float | None) -> DuckPlan:
    """The duck for so much of the way from what is to each goal."""
    owner, own = _energies(bare, part)
    kick, bass = (own, owner) if part == KICK_ID else (owner, own)
    curve = first_curve(track, part)
    plan = solve_duck(
        track,
        towards(part_aims(bare, part), kick, bass, share),
        owner_energy=owner,
        stem=folded(render_stem(bare, StemRef(part, "unducked"))),
        energy=own,
        frames_of=Sides(bare, ()).frames,
        part=part,
        lowest_hz=lowest_hz,
        strokes=held_activities(track, part, curve, curve.hold_ms / 1000) if part == KICK_ID else None,
    )
    if part != KICK_ID or not plan.duck.on or plan.clearance_db is None:
        return plan
    before = standing_of(part, part_aims(bare, part), owner, own)
    if before is not None and before.clearance_db - plan.clearance_db >= WORTH_IT:
        return plan
    off = plan.duck.model_copy(update={"on": False})
    reached = None if before is None else before.clearance_db
    return replace(plan, duck=off, clearance_db=reached, reason="no note sounds where the kick is in its way")

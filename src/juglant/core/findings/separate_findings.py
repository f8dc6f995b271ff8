"""Findings of kick against bass."""

from __future__ import annotations

from juglant.core.analysis.analyse import Analysis
from juglant.core.findings import solving
from juglant.core.findings.finding import Finding, Fix, Step
from juglant.core.model.carve import Carve
from juglant.core.model.part import Part
from juglant.core.model.track import Track
from juglant.core.parameter.fields import limits_of, within
from juglant.core.plans.bare import kick_duck
from juglant.core.separate.aims import ZoneFigure
from juglant.core.separate.filters import yielder

NEAR_DB = 0.1
# A zone next to one that is ducked, or a pass behind a duck, meets its goal to within this.
NEAR_ZONE_DB = 0.25


def clearance_short(found: Analysis) -> list[Finding]:
    """The kick is not as clear of the bass as the owner of the sub asks, as a whole or in any of its zones."""
    clearance = found.clearance
    if clearance.zones:
        return [one for index, zone in enumerate(clearance.zones) for one in _zone_short(found, index + 1, zone)]
    curve = kick_duck(found.track)
    under = curve if curve is not None and curve.on else None
    near = NEAR_DB if under is None else NEAR_ZONE_DB
    if clearance.after_db is None or clearance.short_db is None or clearance.short_db <= near:
        return []
    track, goal = found.track, clearance.goal
    word = "at least" if goal.kind == "at_least" else "at most"
    place: Step = "separate" if not track.carve.on else "duck"
    ducks = yielder(track.sheet.owner) == "bass"
    if ducks:
        fixes = [] if track.carve.on else [Fix(label="Compute the carve", solve=solving.carve)]
        fixes += [Fix(label="Compute the duck", solve=solving.duck_of())]
    else:
        fixes = _of_the_kick(track)
    if track.carve.on and (track.duck.on or not ducks):
        # What EQ and ducking may not do, level does, decibel for decibel.
        fixes += [_turned_down(track, clearance.short_db)]
    left = "" if under is None else f" The kick is down for the first {under.hold_ms:.0f} ms of each note alone."
    return [
        Finding(
            id="clearance-short",
            step=place,
            severity="fix" if clearance.short_db > 3 else "look",
            title="The kick is not clear of the bass" if goal.kind == "at_least" else "The bass is not clear of the kick",
            reason=f"Kick over bass is {clearance.after_db:.1f} dB where they meet; the goal is {word} {goal.db:.0f} dB."
            + left,
            value=clearance.after_db,
            unit="dB",
            limit=goal.db,
            limit_kind="this project's choice",
            fixes=tuple(fixes),
        )
    ]


def _zone_short(found: Analysis, number: int, zone: ZoneFigure) -> list[Finding]:
    if zone.after_db is None or zone.short_db is None or zone.short_db <= NEAR_ZONE_DB:
        return []
    track, goal = found.track, zone.goal
    word, whose = ("at least", "kick") if goal.kind == "at_least" else ("at most", "bass")
    left = "" if not track.carve.on else " What is left is beyond the limits of the carve, or another zone's."
    return [
        Finding(
            id=f"clearance-short-zone-{number}",
            step="separate",
            severity="fix" if zone.short_db > 3 else "look",
            title=f"From {zone.from_hz:.0f} to {zone.to_hz:.0f} Hz the {whose} is not clear",
            reason=f"Kick over bass is {zone.after_db:.1f} dB there; the goal is {word} {goal.db:.0f} dB.{left}",
            value=zone.after_db,
            unit="dB",
            limit=goal.db,
            limit_kind="this project's choice",
            fixes=(Fix(label="Plan carve and duck anew", solve=solving.room),),
        )
    ]


def _of_the_kick(track: Track) -> list[Fix]:
    """Ways for a kick that gives way: its carve, all of the share by it, or the duck before it."""
    if not track.carve.on and kick_duck(track) is None:
        return [Fix(label="Compute the carve", solve=solving.carve)]
    carve = track.carve
    whole = carve.model_copy(update={"kick_share_pct": 100.0})
    behind = carve.model_copy(update={"order": "duck first"})
    fixes = [Fix(label="Plan carve and duck anew", solve=solving.room)]
    if carve.kick_share_pct < 100:
        fixes = [Fix(label="All of it by the carve", track=track.model_copy(update={"carve": whole}), solve=solving.room)]
        if carve.order == "carve first":
            asked = track.model_copy(update={"carve": behind})
            fixes.append(Fix(label="Duck first, carve the rest", track=asked, solve=solving.room))
    return fixes


def _turned_down(track: Track, short_db: float) -> Fix:
    part = yielder(track.sheet.owner)
    down = within(Part, "gain_db", track.part(part).gain_db - short_db)
    return Fix(label=f"The {part} {short_db:.1f} dB down", track=track.with_part(part, gain_db=down))


def subsonic_cost(found: Analysis) -> list[Finding]:
    """Content below the floor costs peak level that nobody hears."""
    cost, track = found.levels.subsonic_cost_db, found.track
    if cost is None or cost <= track.limits.subsonic_db:
        return []
    floored = track.model_copy(update={"carve": track.carve.model_copy(update={"floor_on": True})})
    return [
        Finding(
            id="subsonic-cost",
            step="separate",
            topic="floor",
            severity="look",
            title="Sub-sonic content costs headroom",
            reason=f"A floor filter at {track.carve.floor_hz:.0f} Hz lowers the peak by this; hardly any is heard.",
            value=cost,
            unit="dB",
            limit=track.limits.subsonic_db,
            limit_kind="this project's choice",
            fixes=(Fix(label="Turn the floor filter on", track=floored),),
        )
    ]


def floor_costs(found: Analysis) -> list[Finding]:
    """A floor filter whose turned phases raise the peak by more than what it takes away."""
    cost, track = found.levels.floor_cost_db, found.track
    if cost is None or cost <= track.limits.subsonic_db / 2:
        return []
    carve, corner = track.carve, limits_of(Carve, "kick_pass_hz")
    hz = track.carve.floor_hz if corner is None else min(corner.high, max(corner.low, carve.floor_hz))
    off = track.model_copy(update={"carve": carve.model_copy(update={"floor_on": False})})
    resonant = carve.model_copy(update={"floor_on": False, "kick_pass_on": True, "kick_pass_hz": round(hz, 1)})
    return [
        Finding(
            id="floor-costs-peak",
            step="separate",
            topic="floor",
            severity="note",
            title="The floor filter costs peak",
            reason=(
                f"At {carve.floor_hz:.0f} Hz it turns the phase of what lies above: the loop peaks higher than without. "
                "The kick's own resonant high-pass turns less of it, and lifts its corner."
            ),
            value=cost,
            unit="dB",
            limit=track.limits.subsonic_db / 2,
            limit_kind="this project's choice",
            fixes=(
                Fix(label="The kick's resonant high-pass instead", track=track.model_copy(update={"carve": resonant})),
                Fix(label="Turn the floor filter off", track=off),
            ),
        )
    ]


FINDERS = (clearance_short, subsonic_cost, floor_costs)

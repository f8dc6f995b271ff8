"""What is asked of kick against bass, as a whole or zone by zone, and how far it is reached (method: carving by zones)."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace

import numpy as np

from juglant.core.measure.bands import LOW_CENTRES_HZ
from juglant.core.model.sheet import LOWEST_ZONE_HZ, Owner, School, Sheet, Zone
from juglant.core.separate.clearance import GOALS, NO_ACTIVE, Contest, Goal, kick_clearance, ratio_db
from juglant.core.types import Samples

NO_BAND = "no third octave has its centre here"
NEITHER, NO_KICK_HERE, NO_BASS_HERE = "neither has anything here", "the kick has nothing here", "the bass has nothing here"
APART = "they do not meet here"


@dataclass(frozen=True)
class Aim:
    """One thing asked: a goal over the bands that its contest judges, between two frequencies; whose they are."""

    owner: School
    goal: Goal
    contest: Contest
    from_hz: float
    to_hz: float

    @property
    def kick_yields(self) -> bool:
        """Whether it is the kick that gives way here."""
        return self.goal.kind == "at_most"

    def asking(self, goal_db: float) -> Aim:
        """The same with another goal."""
        return replace(self, goal=replace(self.goal, db=goal_db))

    def clearance_db(self, kick: Samples, bass: Samples) -> float | None:
        """Kick over bass here, by energies (bands, frames), dB; None where they do not meet."""
        return kick_clearance(kick, bass, self.contest)

    def lack_db(self, clearance_db: float) -> float:
        """What a clearance lacks of the goal, dB; minus: to spare."""
        return self.goal.db - clearance_db if self.goal.kind == "at_least" else clearance_db - self.goal.db


@dataclass(frozen=True)
class Standing:
    """How one aim stands; lack_db: minus is to spare."""

    aim: Aim
    clearance_db: float
    lack_db: float

    @property
    def short_db(self) -> float:
        """What it is short of its goal, dB; 0 where it is reached."""
        return max(0.0, self.lack_db)


def aims_of(sheet: Sheet, contest: Contest) -> tuple[Aim, ...]:
    """All that is asked: of an owner of the whole one thing, by zones one for each from the bottom up."""
    if sheet.owner != "zones":
        goal = GOALS[sheet.owner]
        return (Aim(sheet.owner, goal, contest, LOWEST_ZONE_HZ, goal.split_hz),)
    out, low = [], LOWEST_ZONE_HZ
    for zone in sheet.zones:
        goal = replace(GOALS[zone.owner], split_hz=zone.to_hz)
        out.append(Aim(zone.owner, goal, _within(contest, low, zone), low, zone.to_hz))
        low = zone.to_hz
    return tuple(out)


def _within(contest: Contest, from_hz: float, zone: Zone) -> Contest:
    rows = np.array([from_hz < centre <= zone.to_hz for centre in LOW_CENTRES_HZ])
    judged = rows & np.array(contest.judged)
    reason = contest.reason
    if reason is None and not judged.any():
        kick, bass = (bool((rows & np.array(there)).any()) for there in (contest.kick_there, contest.bass_there))
        missing = APART if kick and bass else NO_BASS_HERE if kick else NO_KICK_HERE if bass else NEITHER
        reason = missing if rows.any() else NO_BAND
    elif reason is None and not contest.active[judged].any():
        reason = NO_ACTIVE
    return replace(contest, judged=tuple(map(bool, judged)), reason=reason)


def ducked_aims(aims: Sequence[Aim]) -> tuple[Aim, ...]:
    """Those that a duck of the bass works for: up to the lowest that is the bass's own, from which on it is not ducked."""
    first = next((k for k, aim in enumerate(aims) if aim.kick_yields), len(aims))
    return tuple(aims[:first])


def together(aims: Sequence[Aim]) -> Contest:
    """The contest over all that several aims judge; where none does, why the first does not."""
    open_to = [aim.contest for aim in aims if aim.contest.reason is None]
    if not open_to:
        return aims[0].contest
    judged = np.any([one.judged for one in open_to], axis=0)
    return replace(open_to[0], judged=tuple(map(bool, judged)))


def towards(aims: Sequence[Aim], kick: Samples, bass: Samples, share: float) -> tuple[Aim, ...]:
    """The same aims, but for so much of the way from what is to each goal; what lacks nothing as it is."""
    out = []
    for aim in aims:
        now = standing(aim, kick, bass)
        if now is not None and now.lack_db > 0:
            out.append(aim.asking(now.clearance_db + share * (aim.goal.db - now.clearance_db)))
        else:
            out.append(aim)
    return tuple(out)


def standing(aim: Aim, kick: Samples, bass: Samples) -> Standing | None:
    """How one aim stands, by energies (bands, frames); None where the two do not meet."""
    clear = aim.clearance_db(kick, bass)
    return None if clear is None else Standing(aim, clear, aim.lack_db(clear))


def furthest(aims: Iterable[Aim], kick: Samples, bass: Samples) -> Standing | None:
    """Of several aims the one that lacks most, the lowest of equals; None where the two meet in none."""
    found = [one for one in (standing(aim, kick, bass) for aim in aims) if one is not None]
    return max(found, key=lambda one: one.lack_db, default=None)


@dataclass(frozen=True)
class BandFigure:
    """One third-octave band's clearance, kick over bass."""

    centre_hz: float
    contested: bool
    judged: bool
    before_db: float | None
    after_db: float | None


@dataclass(frozen=True)
class ZoneFigure:
    """How one zone stands; carved_db: un-ducked; short_db: of its goal; reason: why there is no figure."""

    owner: School
    from_hz: float
    to_hz: float
    goal: Goal
    before_db: float | None
    carved_db: float | None
    after_db: float | None
    short_db: float | None
    reason: str | None


@dataclass(frozen=True)
class Clearance:
    """Kick clearance before and after, by band and over the judged bands; by zones, of the one that lacks most now.

    carved_db: with the carve alone, un-ducked.
    """

    owner: Owner
    goal: Goal
    before_db: float | None
    carved_db: float | None
    after_db: float | None
    short_db: float | None
    reason: str | None
    bands: tuple[BandFigure, ...]
    strokes_s: tuple[float, ...] = ()
    zones: tuple[ZoneFigure, ...] = ()


def measure_clearance(
    sheet: Sheet,
    contest: Contest,
    *,
    kick_before: Samples,
    bass_before: Samples,
    kick: Samples,
    bass_unducked: Samples,
    bass: Samples,
    kick_unducked: Samples,
) -> Clearance:
    """Clearance before and after from band energies, each (bands, frames)."""
    aims = aims_of(sheet, contest)
    bands = []
    for row, centre in enumerate(LOW_CENTRES_HZ):
        cells = contest.active[row]
        bands.append(
            BandFigure(
                centre_hz=centre,
                contested=contest.contested[row],
                judged=contest.judged[row],
                before_db=ratio_db(float(kick_before[row][cells].sum()), float(bass_before[row][cells].sum())),
                after_db=ratio_db(float(kick[row][cells].sum()), float(bass[row][cells].sum())),
            )
        )
    zones = tuple(_zone(aim, kick_before, bass_before, kick, bass, (kick_unducked, bass_unducked)) for aim in aims)
    worst = furthest(aims, kick, bass)
    said = zones[0] if worst is None else next(z for z, aim in zip(zones, aims, strict=True) if aim is worst.aim)
    reason = contest.reason or (said.reason if worst is None else None)
    return Clearance(
        sheet.owner, said.goal, said.before_db, said.carved_db, said.after_db, said.short_db, reason, tuple(bands),
        contest.strokes_s, zones if sheet.owner == "zones" else (),
    )  # fmt: skip


def _zone(
    aim: Aim, kick_before: Samples, bass_before: Samples, kick: Samples, bass: Samples, carved: tuple[Samples, Samples]
) -> ZoneFigure:
    clear = aim.clearance_db(kick, bass)
    return ZoneFigure(
        owner=aim.owner,
        from_hz=aim.from_hz,
        to_hz=aim.to_hz,
        goal=aim.goal,
        before_db=aim.clearance_db(kick_before, bass_before),
        carved_db=aim.clearance_db(*carved),
        after_db=clear,
        short_db=None if clear is None else aim.goal.short_db(clear),
        reason=aim.contest.reason,
    )

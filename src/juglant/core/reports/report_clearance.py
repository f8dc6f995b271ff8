"""The report's figures of kick against bass: as a whole, by band, by zone."""

from __future__ import annotations

from juglant.core.measure.bands import zone_of
from juglant.core.model.sheet import Owner, School
from juglant.core.reports.figures import Figures
from juglant.core.separate.aims import Clearance, ZoneFigure
from juglant.core.separate.clearance import Goal, GoalKind


class ClearanceBand(Figures):
    """Kick over bass in one third-octave band."""

    centre_hz: float
    zone: str
    contested: bool
    judged: bool
    goal_db: float
    before_db: float | None
    after_db: float | None
    short_db: float | None


class ZoneFigures(Figures):
    """Kick clearance in one zone against its own goal; reason: why there is none."""

    owner: School
    from_hz: float
    to_hz: float
    goal_db: float
    goal_kind: GoalKind
    before_db: float | None
    carved_db: float | None
    after_db: float | None
    short_db: float | None
    reason: str | None


class ClearanceFigures(Figures):
    """Kick clearance against the goal of the owner; by zones of the zone that lacks most."""

    owner: Owner
    goal_db: float
    goal_kind: GoalKind
    split_hz: float
    before_db: float | None
    after_db: float | None
    short_db: float | None
    reason: str | None
    strokes_s: tuple[float, ...]
    bands: tuple[ClearanceBand, ...]
    zones: tuple[ZoneFigures, ...]


def clearance_figures(clearance: Clearance) -> ClearanceFigures:
    """The clearance as figures."""
    return ClearanceFigures(
        owner=clearance.owner,
        goal_db=clearance.goal.db,
        goal_kind=clearance.goal.kind,
        split_hz=clearance.goal.split_hz,
        before_db=clearance.before_db,
        after_db=clearance.after_db,
        short_db=clearance.short_db,
        reason=clearance.reason,
        strokes_s=clearance.strokes_s,
        bands=tuple(
            ClearanceBand(
                zone=zone_of(band.centre_hz),
                goal_db=_goal_at(clearance, band.centre_hz).db,
                short_db=short_of(_goal_at(clearance, band.centre_hz), band.after_db),
                **vars(band),
            )
            for band in clearance.bands
        ),
        zones=tuple(_zone(one) for one in clearance.zones),
    )


def _zone(one: ZoneFigure) -> ZoneFigures:
    figures = {name: value for name, value in vars(one).items() if name != "goal"}
    return ZoneFigures(**figures, goal_db=one.goal.db, goal_kind=one.goal.kind)


def _goal_at(clearance: Clearance, hz: float) -> Goal:
    """What is asked of a band."""
    own = next((zone for zone in clearance.zones if zone.from_hz < hz <= zone.to_hz), None)
    return clearance.goal if own is None else own.goal


def short_of(goal: Goal, clearance_db: float | None) -> float | None:
    """What a clearance is short of a goal, dB; None where there is none."""
    return None if clearance_db is None else goal.short_db(clearance_db)

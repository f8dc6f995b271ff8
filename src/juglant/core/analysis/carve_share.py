"""The share of the carve: what is left to ducking, what costs least, and what every share would do (method: carving)."""

from __future__ import annotations

from juglant.core.analysis.analyse import Analysis
from juglant.core.separate.clearance import Contest


def active_share(found: Analysis) -> float | None:
    """Share of the time in which the kick is active where it meets the bass, 0 to 1; None where they do not meet."""
    return None if found.contest.reason is not None else share_active(found.contest)


def share_active(contest: Contest) -> float:
    """The same of a contest."""
    return float(contest.active_any().mean())


def cheapest(p: float) -> float:
    """The share of the carve that costs least where the kick is active for p of the time.

    A cut c lasts all of the time, a duck N - c for p of it: c^2 + p (N - c)^2 is least at c = N p / (1 + p).
    """
    return p / (1 + p)


def cheapest_share(found: Analysis) -> float:
    """The cheapest share for a track, 0 to 1; where kick and bass do not meet there is nothing to share."""
    p = active_share(found)
    return 0.0 if p is None else cheapest(p)

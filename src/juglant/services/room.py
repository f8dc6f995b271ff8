"""Making room as a whole: the share of the carve, the order, and what is said of a plan."""

from __future__ import annotations

from juglant.core.memory import elsewhere, newest
from juglant.core.model.track import Track
from juglant.core.plans.bare import unplanned
from juglant.core.plans.share_curve import ShareCurve, share_curve


@newest(6)
@elsewhere(lambda track: "Weighing every share")
def _curve(track: Track) -> ShareCurve | None:
    return share_curve(track)


def shares_of(track: Track) -> ShareCurve | None:
    """What every share of the carve would do (pure, remembered); None where there is nothing to share."""
    return _curve(_planned_from(track))


def _planned_from(track: Track) -> Track:
    """The track without what the curve does not depend on, so that one curve serves every share."""
    bare = unplanned(track)
    shares = {"share_pct": 50.0, "kick_share_pct": 100.0}
    return bare.model_copy(update={"carve": bare.carve.model_copy(update=shares)})

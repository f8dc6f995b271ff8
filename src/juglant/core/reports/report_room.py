"""The report's figures of what making room changed besides the clearance."""

from __future__ import annotations

from juglant.core.analysis.analyse import Analysis
from juglant.core.analysis.carve_share import active_share, cheapest_share
from juglant.core.music.scales import spelled
from juglant.core.reports.figures import Figures


class NoteCostFigures(Figures):
    """What one note of the line loses, LU: by the carve, and as heard."""

    name: str
    number: int
    hz: float | None
    carved_lu: float
    heard_lu: float


class RoomFigures(Figures):
    """What making room changed besides the clearance (method: carving), and for how much of the time the kick is active."""

    low_middle_db: float | None
    spread_before_lu: float | None
    spread_after_lu: float | None
    spread_lu: float | None
    lost_lu: float | None
    heard_lost_lu: float | None
    summing_before_db: float | None
    summing_after_db: float | None
    peak_before_db: float | None
    peak_after_db: float | None
    with_kick_lu: float | None
    in_gaps_lu: float | None
    kick_lost_lu: float | None
    kick_punch_db: float | None
    active_pct: float | None
    cheapest_pct: float
    notes: tuple[NoteCostFigures, ...]


def room_figures(found: Analysis) -> RoomFigures | None:
    """The figures; None where the part that yields is silent."""
    room, sheet, active = found.room, found.track.sheet, active_share(found)
    if room is None:
        return None
    notes = tuple(
        NoteCostFigures(
            name=spelled(one.note, sheet.tonic, sheet.scale, sheet.middle_c),
            number=one.note,
            hz=found.note_hz.get(one.note),
            carved_lu=one.carved_lu,
            heard_lu=one.heard_lu,
        )
        for one in room.notes
    )
    figures = vars(room) | {"notes": notes, "spread_lu": room.spread_lu}
    return RoomFigures(
        **figures, active_pct=None if active is None else 100 * active, cheapest_pct=100 * cheapest_share(found)
    )

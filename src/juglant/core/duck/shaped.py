"""A curve of the plain kind that covers every key's active part and is back in time (method: ducking)."""

from __future__ import annotations

from juglant.core.duck.strokes import Activity
from juglant.core.model.duck import DEPTH_LIMIT_DB, Duck
from juglant.core.parameter.fields import within

# A computed fall, and the shortest return that a curve can have at all.
FALL_MS, LEAST_RETURN_MS, LONGEST_RETURN_MS = 4.0, 20.0, 1500.0


def shaped(
    duck: Duck, plan: list[Activity], depth_db: float, *, shortest_ms: float, fall_ms: float = FALL_MS
) -> tuple[Duck, float]:
    """A curve made to cover every key's active part at a depth, and the ms it has to leave uncovered.

    It is down at the key, and begins the fall before it. shortest_ms: of the return; where the beat leaves no room for
    that it is what is left.
    """
    late = max([0.0, *(one.end_s for one in plan)]) * 1000
    # Back by the recovery point, and before the next fall begins.
    recovery = min(min(one.recovery_s, one.next_hit_s - one.hit_s - fall_ms / 1000) for one in plan) * 1000
    hold = max(0.0, min(late, recovery - shortest_ms))
    back = min(max(recovery - hold, LEAST_RETURN_MS), LONGEST_RETURN_MS)
    # Rounded towards an earlier return.
    changes = {
        "on": True,
        "drive": "curve",
        "drawn": (),
        "depth_db": round(min(depth_db, DEPTH_LIMIT_DB), 2),
        "lookahead_ms": within(Duck, "lookahead_ms", fall_ms),
        "fall_ms": fall_ms,
        "hold_ms": within(Duck, "hold_ms", round(hold, 1)),
        "return_ms": max(round(back - 0.1, 1), LEAST_RETURN_MS),
        "shape": 1.0,
    }
    return duck.model_copy(update=changes), max(0.0, late - hold)

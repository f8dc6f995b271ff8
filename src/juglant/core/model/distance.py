"""How far away a part stands: one move from near to far, or kept behind another part."""

from __future__ import annotations

from pydantic import Field

from juglant.core.model.ids import PART_PATTERN
from juglant.core.parameter.parameter import Description, parameter

FARTHEST_PCT = 100.0


class Distance(Description):
    """Where a part stands between near, as it is made, and far."""

    far_pct: float = parameter(
        0, 0, 100, "%", "Duller, more of a room, quieter; 0 is as it is. Behind another part: how far behind it.",
        title="Near to far", step=1,
    )  # fmt: skip
    behind: str | None = Field(
        default=None, max_length=40, pattern=PART_PATTERN, title="Kept behind", description="The part it is kept behind."
    )
    ring_ms: float = parameter(
        450, 100, 2000, "ms", "Time in which the room around it falls by 60 dB.", title="Room rings", scale="log", step=10
    )

    def seen_from(self, other: Distance | None) -> Distance:
        """The same with a figure of its own: as far behind the other part as it is kept, no further than far."""
        far_pct = self.far_pct if other is None else min(FARTHEST_PCT, self.far_pct + other.far_pct)
        return self.unchecked(far_pct=far_pct, behind=None)

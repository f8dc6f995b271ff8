"""Where one part of a track stands: how far away, kept how far behind another, how loud beside the kick."""

from __future__ import annotations

from pydantic import BaseModel, ConfigDict

from juglant.core.analysis.standing import Apart, Away, apart, away, beside_kick_lu
from juglant.core.model.ids import BASS_PART, KICK_ID
from juglant.core.model.track import Track


class Standing(BaseModel):
    """All of it, measured on the loop; None where nothing of it sounds, or where it does not apply."""

    model_config = ConfigDict(frozen=True)
    away: Away | None
    apart: Apart | None
    beside_kick_lu: float | None


def standing(track: Track, part: str) -> Standing:
    """Where a part stands; kick and bass stay near. Raises NoSuchPart where the track has none of that name."""
    near = part in (KICK_ID, BASS_PART)
    return Standing(
        away=None if near else away(track, part),
        apart=None if near else apart(track, part),
        beside_kick_lu=beside_kick_lu(track, part),
    )

"""The invented kit of the demo track: starting points in its key, at their places in the loop."""

from __future__ import annotations

from functools import lru_cache

from juglant.core.hit.start import usual_choke
from juglant.core.hit.starts import STARTS, measured_start
from juglant.core.model.kit import KitHit, Role, Stroke
from juglant.core.model.track import Track

BAR_BEATS = 4
# Role, starting point, name, level in the loop, strokes of a bar.
PARTS: tuple[tuple[Role, str, str, float, tuple[tuple[float, int], ...]], ...] = (
    ("clap", "Huddle", "Clap", -17, ((1, 112), (3, 112))),
    ("hat", "Tinder", "Hat", -19, ((0.5, 104), (1.25, 58), (1.5, 104), (2.5, 104), (3.25, 58), (3.5, 104), (3.75, 70))),
    ("open hat", "Brine", "Open hat", -21, ((0.5, 84), (2.5, 84))),
    ("tom", "Keelson", "Tom", -20, ((2.75, 84), (3.75, 104))),
    ("percussion", "Rowlock", "Wood", -20, ((0.75, 80), (2.25, 64), (3.0, 88))),
)


@lru_cache(maxsize=4)
def with_kit(track: Track) -> Track:
    """A track with the demo's kit; the hits are in its key."""
    kit = []
    for role, start_name, name, gain_db, bar in PARTS:
        start = measured_start(next(one for one in STARTS if (one.role, one.name) == (role, start_name)), track.sheet)
        strokes = tuple(
            Stroke(at_beats=first + at, velocity=velocity)
            for first in range(0, track.sheet.length_beats, BAR_BEATS)
            for at, velocity in bar
        )
        hit_id = name.lower().replace(" ", "-")
        kit.append(
            KitHit(
                id=hit_id, name=name, role=role, hit=start.hit, strokes=strokes, gain_db=gain_db, choke=usual_choke(role)
            )
        )
    return track.model_copy(update={"kit": tuple(kit)})

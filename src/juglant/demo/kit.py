"""The invented kit of the demo track: starting points in its key, at their places in the loop."""

from __future__ import annotations

from functools import lru_cache

from juglant.core.chain.reverb import Reverb
from juglant.core.hit.start import usual_choke
from juglant.core.hit.starts import STARTS, measured_start
from juglant.core.model.duck import Duck, Ducked
from juglant.core.model.ids import BASS_PART, KICK_ID, Role
from juglant.core.model.low_group import LowGroup
from juglant.core.model.part import Part
from juglant.core.model.strokes import Stroke
from juglant.core.model.track import Track
from juglant.core.music.tempo import BEATS_PER_BAR
from juglant.core.plans.ducks import plan_targets

# Role, starting point, name, level in the loop, strokes of a bar.
Parts = tuple[tuple[Role, str, str, float, tuple[tuple[float, int], ...]], ...]
PARTS: Parts = (
    ("clap", "Huddle", "Clap", -14.1, ((1, 112), (3, 112))),
    ("hat", "Tinder", "Hat", -15.4, ((0.5, 104), (1.25, 58), (1.5, 104), (2.5, 104), (3.25, 58), (3.5, 104), (3.75, 70))),
    ("open hat", "Brine", "Open hat", -17.3, ((0.5, 84), (2.5, 84))),
    ("tom", "Keelson", "Tom", -20.5, ((2.75, 84), (3.75, 104))),
    ("percussion", "Rowlock", "Wood", -16.8, ((0.75, 80), (2.25, 64), (3.0, 88))),
)


# A pad and a stab, so that there is something to duck; and how deep each is ducked, dB.
CHORDS: Parts = (
    ("chord", "Estuary", "Pad", -16.7, ((0, 100),)),
    ("chord", "Signal", "Stab", -21, ((0.5, 100), (1.25, 84), (2.75, 92))),
)
DEPTHS_DB = {"pad": 6.0, "stab": 4.0}
# A room behind the stab, so that its duck may stand before or after it.
STAB_ROOM = Reverb(ring_ms=900, level_db=-12)


@lru_cache(maxsize=4)
def with_targets(track: Track) -> Track:
    """A track with the demo's pad and stab, ducked by the kick as the bass is."""
    made = track.model_copy(update={"parts": (*track.parts, *_parts(track, CHORDS))})
    for part, depth_db in DEPTHS_DB.items():
        made = made.with_part(part, ducked=Ducked(curves=(Duck(on=True, depth_db=depth_db),)))
    stab = made.part("stab").hit
    made = made.with_hit("stab", stab.model_copy(update={"bind": True, "bus": (*stab.bus, STAB_ROOM)}))
    return plan_targets(made)[0] if track.duck.on else made


@lru_cache(maxsize=4)
def with_kit(track: Track) -> Track:
    """A track with the demo's kit; the hits are in its key."""
    low = LowGroup(parts=(KICK_ID, BASS_PART, "tom"))
    return track.model_copy(update={"parts": (*track.parts, *_parts(track, PARTS)), "low_group": low})


def _parts(track: Track, parts: Parts) -> tuple[Part, ...]:
    kit = []
    for role, start_name, name, gain_db, bar in parts:
        start = measured_start(next(one for one in STARTS if (one.role, one.name) == (role, start_name)), track.sheet)
        strokes = tuple(
            Stroke(at_beats=first + at, velocity=velocity)
            for first in range(0, track.sheet.length_beats, BEATS_PER_BAR)
            for at, velocity in bar
        )
        hit_id = name.lower().replace(" ", "-")
        kit.append(
            Part(id=hit_id, name=name, role=role, hit=start.hit, strokes=strokes, gain_db=gain_db, choke=usual_choke(role))
        )
    return tuple(kit)

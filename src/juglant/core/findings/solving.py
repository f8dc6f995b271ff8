"""What a fix has solved, when it is asked for."""

from __future__ import annotations

from juglant.core.findings.finding import Solve
from juglant.core.model.ids import BASS_PART, KICK_ID
from juglant.core.model.track import Track
from juglant.core.music.tempo import beat_ms
from juglant.core.plans.ducks import plan_part
from juglant.core.plans.plan import carve_in_order, layers_fitted, make_room
from juglant.core.tune.length import with_length
from juglant.core.tune.retune import tuned


def carve(track: Track) -> Track:
    """The track with its carve computed in its order."""
    return carve_in_order(track)[0]


def room(track: Track) -> Track:
    """The track with carve and duck planned."""
    return make_room(track)


def half_a_beat(track: Track) -> Track:
    """The track with a kick of half a beat."""
    return with_length(track, KICK_ID, 0.5 * beat_ms(track.sheet.bpm))


def duck_of(part: str = BASS_PART) -> Solve:
    """The track with a part's duck computed."""
    return lambda track: plan_part(track, part)[0]


def fit_of(hit_id: str) -> Solve:
    """The track with a hit's layers in step."""
    return lambda track: layers_fitted(track, hit_id)


def landed_at(hit_id: str, hz: float) -> Solve:
    """The track with a hit landing at a frequency; raises InvalidTrack where it does not arrive."""
    return lambda track: tuned(track, hit_id, hz)

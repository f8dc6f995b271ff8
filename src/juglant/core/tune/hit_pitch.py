"""The pitch of any hit of a track: landing and heard pitch as measured, and which of them it is tuned by."""

from __future__ import annotations

from dataclasses import dataclass

from juglant.core.hit.render import folded
from juglant.core.hit.root import Used, chosen_pitch, measured_pitch, stroke_pitch
from juglant.core.hit.strokes import cached_stroke, stroke_tempo
from juglant.core.loop.render import heard_kick
from juglant.core.measure.landing import Landing
from juglant.core.model.ids import KICK_ID
from juglant.core.model.part import Part
from juglant.core.model.track import Track
from juglant.core.model.velocity import HARDEST
from juglant.core.types import Samples


@dataclass(frozen=True)
class HitPitch:
    """What one hit's pitch was measured as, its length in ms, and the figure it is tuned by (None without one)."""

    landing: Landing
    length_ms: float | None
    used: Used
    used_hz: float | None
    lead_ms: float


def stroke_of(track: Track, one: Part) -> tuple[Samples, int]:
    """A hit at full strength in one channel, (frames,), the kick as it is delivered; and its frames before its start."""
    if one.id == KICK_ID:
        whole = heard_kick(track)
    else:
        tempo = stroke_tempo(one.hit, track.sheet.bpm)
        whole = cached_stroke(one.hit, HARDEST, 0, track.sheet.sample_rate, tempo)
    return folded(whole.audio), whole.lead_frames


def hit_pitch(track: Track, one: Part) -> HitPitch:
    """Measure one hit of a track as it is rendered."""
    rate = track.sheet.sample_rate
    if one.id == KICK_ID:
        # As it is delivered: through its carve.
        audio, lead = stroke_of(track, one)
        landing, length_ms = measured_pitch(audio, rate)
    else:
        landing, length_ms, lead = stroke_pitch(one.hit, rate, stroke_tempo(one.hit, track.sheet.bpm))
    used, hz = chosen_pitch(one, landing, length_ms)
    return HitPitch(landing, length_ms, used, hz, 1000 * lead / rate)

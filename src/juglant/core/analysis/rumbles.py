"""A rumble of a track against its kick."""

from __future__ import annotations

from juglant.core.hit.render import RenderedHit
from juglant.core.loop.render import heard_kick
from juglant.core.measure.rumble import RumbleFigures, measure_rumble
from juglant.core.model.part import Part
from juglant.core.model.track import Track
from juglant.core.synth.rumble import Rumble


def rumble_figures(track: Track, one: Part, whole: RenderedHit) -> RumbleFigures | None:
    """What a rumble, rendered, leaves to the kick, both at their level in the loop; None where it is silent."""
    beats = max(layer.source.length_beats for layer in one.hit.layers if isinstance(layer.source, Rumble))
    kick = heard_kick(track).mono * 10 ** (track.kick_part.gain_db / 20)
    audio = whole.audio[..., whole.lead_frames :] * 10 ** (one.gain_db / 20)
    between_ms = beats * 60000 / track.sheet.bpm
    return measure_rumble(audio, kick, between_ms=between_ms, sample_rate=track.sheet.sample_rate)

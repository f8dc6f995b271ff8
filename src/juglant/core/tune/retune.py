"""Moving a hit's pitch: by its engines' own parameters, and for recorded layers by speed or with their length kept."""

from __future__ import annotations

from typing import Literal

from juglant.core.errors import InvalidTrack
from juglant.core.model.fields import limits_of
from juglant.core.model.hit import Hit, Layer
from juglant.core.model.track import Track
from juglant.core.music.notes import cents_between
from juglant.core.synth.beater import Beater
from juglant.core.synth.clap import Clap
from juglant.core.synth.metal import Metal
from juglant.core.synth.rumble import Rumble
from juglant.core.synth.take import Take
from juglant.core.tune.hit_pitch import hit_pitch

# As each layer is set, or every recorded one this way.
Way = Literal["as set", "playback speed", "length kept"]
UNPITCHED = (Beater, Clap, Metal, Rumble)
MOST_CENTS = 2400.0
# Beyond this a hit changes character: this project's choice.
CHARACTER_SEMITONES = 4
ROUNDS, THERE_CENTS = 3, 0.5


def _retuned(layer: Layer, ratio: float, way: Way) -> Layer:
    source = layer.source
    if isinstance(source, UNPITCHED):
        return layer
    limits = limits_of(type(source), "landing_hz")
    if limits is not None and not isinstance(source, Take):
        wanted = source.landing_hz * ratio
        if limits.low <= wanted <= limits.high:
            return layer.model_copy(update={"source": source.model_copy(update={"landing_hz": round(wanted, 4)})})
    if isinstance(source, Take) and way != "as set":
        layer = layer.model_copy(update={"source": source.model_copy(update={"way": way})})
    elif limits is None and not isinstance(source, Take):
        return layer
    cents = layer.tune_cents + cents_between(ratio, 1.0)
    return layer.model_copy(update={"tune_cents": round(min(MOST_CENTS, max(-MOST_CENTS, cents)), 3)})


def retuned(hit: Hit, from_hz: float, to_hz: float, way: Way = "as set") -> Hit:
    """The hit with every pitched layer moved by the ratio of two frequencies; unpitched layers stay.

    A landing that was set by hand moves along.
    """
    ratio = to_hz / from_hz
    by_hand = None if hit.landing_by_hand_hz is None else round(hit.landing_by_hand_hz * ratio, 4)
    return hit.model_copy(
        update={
            "layers": tuple(_retuned(layer, ratio, way) for layer in hit.layers),
            "landing_by_hand_hz": by_hand,
        }
    )


def tuned(track: Track, hit_id: str, to_hz: float, way: Way = "as set") -> Track:
    """The track with one hit moved until it measures within half a cent of a frequency, at most three rounds.

    Layers that differ pull the pitch of their sum: what is measured counts, by hand what was said. Raises InvalidTrack
    where the hit has no pitch.
    """
    for _ in range(ROUNDS):
        one = track.hit_of(hit_id)
        pitch = hit_pitch(track, one)
        if pitch.used_hz is None:
            raise InvalidTrack(
                f"{one.name} has no measured pitch to move: give it a longer body, or say by hand where it lands"
            )
        if abs(cents_between(to_hz, pitch.used_hz)) < THERE_CENTS:
            break
        hit = retuned(one.hit, pitch.used_hz, to_hz, way)
        if hit.layers == one.hit.layers:
            raise InvalidTrack(f"no layer of {one.name} has a pitch that can be moved that far")
        if pitch.used in ("landing", "heard") and any(isinstance(layer.source, Take) for layer in hit.layers):
            # Said from now on: a recording that gets shorter as it rises would be tuned by another figure than before.
            hit = hit.model_copy(update={"tuned_by": pitch.used})
        track = track.with_hit(hit_id, hit)
        if pitch.used == "by hand":
            break
    return track

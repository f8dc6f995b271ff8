"""Moving a hit until it measures where it should land."""

from __future__ import annotations

from juglant.core.errors import InvalidTrack
from juglant.core.hit.transpose import Way, retuned
from juglant.core.model.kit import KICK_ID
from juglant.core.model.track import Track
from juglant.core.music.notes import cents_between
from juglant.core.synth.take import Take
from juglant.core.tune.hit_pitch import hit_pitch

# Beyond this a hit changes character: this project's choice.
CHARACTER_SEMITONES = 4
ROUNDS, THERE_CENTS = 3, 0.5


def tuned(track: Track, hit_id: str, to_hz: float, way: Way = "as set") -> Track:
    """The track with one hit moved until it measures within half a cent of a frequency, at most three rounds.

    Layers that differ pull the pitch of their sum: what is measured counts, by hand what was said. Raises InvalidTrack
    where the hit has no pitch.
    """
    if hit_id == KICK_ID and track.kick_loop.plays:
        raise InvalidTrack("the kick comes as a loop, which stays as recorded: play its stroke on the grid to retune it")
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

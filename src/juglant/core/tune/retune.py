"""Moving a hit until it measures where it should land."""

from __future__ import annotations

from dataclasses import dataclass

from juglant.core.errors import InvalidTrack
from juglant.core.hit.render import folded, rendered_layers
from juglant.core.hit.root import measured_pitch
from juglant.core.hit.strokes import stroke_tempo
from juglant.core.hit.transpose import UNPITCHED, Way, retuned
from juglant.core.model.ids import KICK_ID
from juglant.core.model.part import Part
from juglant.core.model.track import Track
from juglant.core.music.notes import cents_between
from juglant.core.synth.take import Take
from juglant.core.tune.hit_pitch import hit_pitch
from juglant.core.tune.key_limits import too_wide

# There at once within the first; arrived within the second, or it is said why not.
ROUNDS, THERE_CENTS, ARRIVED_CENTS = 8, 0.5, 2.0
# Layers that lie on one note within this are tuned by themselves where their sum cannot be read.
TOGETHER_CENTS = 25.0


@dataclass(frozen=True)
class LayerLanding:
    """Where one layer of a hit lands when it is heard alone, and how sure that is, cents."""

    name: str
    landing_hz: float
    uncertainty_cents: float


def layer_landings(track: Track, one: Part) -> list[LayerLanding]:
    """The landing of every heard layer with a pitch of its own, each rendered alone."""
    hit, rate = one.hit, track.sheet.sample_rate
    layers = [layer for layer in hit.heard() if not isinstance(layer.source, UNPITCHED)]
    tempo = stroke_tempo(hit, track.sheet.bpm) or track.sheet.bpm
    out = []
    for layer, audio in zip(layers, rendered_layers(hit, layers, sample_rate=rate, bpm=tempo), strict=True):
        landing, _ = measured_pitch(folded(audio), rate)
        if landing.landing_hz is not None and landing.uncertainty_cents is not None:
            out.append(LayerLanding(layer.name, landing.landing_hz, landing.uncertainty_cents))
    return out


def _octaves_aside(cents: float) -> float:
    """A distance without the octaves in it, -600..600 cents: layers an octave apart are on one note."""
    return (cents + 600) % 1200 - 600


def apart_cents(landings: list[LayerLanding]) -> float:
    """How far the layers of a hit land from each other at most, octaves aside."""
    return max(
        (
            abs(_octaves_aside(cents_between(one.landing_hz, other.landing_hz)))
            for k, one in enumerate(landings)
            for other in landings[k + 1 :]
        ),
        default=0.0,
    )


def tuned(track: Track, hit_id: str, to_hz: float, way: Way = "as set") -> Track:
    """The track with one hit moved until it measures within half a cent of a frequency, within 2 cents at the least.

    Layers that differ pull the pitch of their sum: what is measured counts, by hand what was said; where the sum cannot be
    read well enough, layers that lie on one note are moved by their own landings. Raises InvalidTrack where the hit has no
    pitch, and with the reason where it does not arrive.
    """
    if hit_id == KICK_ID and track.kick_loop.plays:
        raise InvalidTrack("the kick comes as a loop, which stays as recorded: play its stroke on the grid to retune it")
    one = track.hit_of(hit_id)
    if hit_pitch(track, one).used_hz is None:
        raise InvalidTrack(
            f"{one.name} has no measured pitch to move: give it a longer body, or say by hand where it lands"
        )
    if by_layers := _surer_by_layers(track, one):
        return _moved_by(track, hit_id, by_layers, to_hz, way)
    now, best, least = track, track, float("inf")
    for _ in range(ROUNDS):
        one = now.hit_of(hit_id)
        pitch = hit_pitch(now, one)
        if pitch.used_hz is None:
            break
        off = abs(cents_between(to_hz, pitch.used_hz))
        if off < least:
            best, least = now, off
        if off < THERE_CENTS:
            break
        hit = retuned(one.hit, pitch.used_hz, to_hz, way)
        if hit.layers == one.hit.layers:
            raise InvalidTrack(f"no layer of {one.name} has a pitch that can be moved that far")
        if pitch.used in ("landing", "heard") and any(isinstance(layer.source, Take) for layer in hit.layers):
            # Said from now on: a recording that gets shorter as it rises would be tuned by another figure than before.
            hit = hit.model_copy(update={"tuned_by": pitch.used})
        now = now.with_hit(hit_id, hit)
        if pitch.used == "by hand":
            return now
    return best if least <= ARRIVED_CENTS else _by_layers(track, hit_id, to_hz, way)


def _surer_by_layers(track: Track, one: Part) -> LayerLanding | None:
    """The layer to tune a hit by whose sum reads too loosely: its layers lie on one note, and are read better alone."""
    pitch = hit_pitch(track, one)
    if pitch.used == "by hand" or not too_wide(track, pitch.landing.uncertainty_cents):
        return None
    found = layer_landings(track, one)
    if len(found) < 2 or apart_cents(found) > TOGETHER_CENTS:
        return None
    surest = min(found, key=lambda each: each.uncertainty_cents)
    return surest if surest.uncertainty_cents < (pitch.landing.uncertainty_cents or 0.0) else None


def _moved_by(track: Track, hit_id: str, layer: LayerLanding, to_hz: float, way: Way) -> Track:
    wanted = to_hz * 2 ** round(cents_between(layer.landing_hz, to_hz) / 1200)
    return track.with_hit(hit_id, retuned(track.hit_of(hit_id).hit, layer.landing_hz, wanted, way))


def _by_layers(track: Track, hit_id: str, to_hz: float, way: Way) -> Track:
    """The track with a hit moved by what its layers measure alone; raises InvalidTrack where they are on no one note."""
    one = track.hit_of(hit_id)
    found = layer_landings(track, one)
    apart = apart_cents(found)
    if not found or apart > TOGETHER_CENTS:
        where = ", ".join(f"{each.name} at {each.landing_hz:.1f} Hz" for each in found)
        why = (
            f"its layers land {apart:.0f} cents apart ({where}): bring them together first"
            if found
            else "no layer of it can be read alone: give it a longer body, or say by hand where it lands"
        )
        raise InvalidTrack(f"{one.name} cannot be tuned to within {ARRIVED_CENTS:.0f} cents: {why}")
    surest = min(found, key=lambda each: each.uncertainty_cents)
    return _moved_by(track, hit_id, surest, to_hz, way)

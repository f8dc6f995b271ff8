"""What each processor of a part changed, measured where it works: on one stroke, or on the whole loop."""

from __future__ import annotations

from dataclasses import dataclass

from juglant.core.hit.stage_sounds import stages_of_bus, stages_of_layer
from juglant.core.hit.stages import StageChange, changes
from juglant.core.hit.strokes import stroke_tempo
from juglant.core.loop.bass_line import bass_description, bass_stages
from juglant.core.loop.kick_stem import kick_description
from juglant.core.loop.level import without_level
from juglant.core.loop.loop_kick import loop_stages
from juglant.core.memory import newest
from juglant.core.model.ids import BASS_PART, KICK_ID
from juglant.core.model.track import Track

Changes = tuple[StageChange, ...]


@dataclass(frozen=True)
class ChainChanges:
    """Changes in the order of each chain: of a hit's layers by id, and of its bus."""

    layers: dict[str, Changes]
    bus: Changes


def plays_through_layers(track: Track, hit_id: str) -> bool:
    """Whether a hit is the kick, and comes as a loop that goes through its layers."""
    return hit_id == KICK_ID and track.kick_loop.plays and track.kick_loop.processed


def bass_changes(track: Track) -> Changes:
    """What each processor of the bass's chain changed of its whole line."""
    if not track.bass_chain:
        return ()
    own = bass_description(track)
    return _of_bass(own.with_part(BASS_PART, gain_db=0.0, shift_ms=0.0, inverted=False))


@newest(8)
def _of_bass(description: Track) -> Changes:
    return tuple(changes(bass_stages(description), sample_rate=description.sheet.sample_rate))


@newest(8)
def _of_loop(description: Track) -> tuple[str | None, Changes, Changes]:
    # What is on a bus that is not bound is measured too, as it would be.
    kick = description.kick.unchecked(bind=True)
    stages, rate = loop_stages(description.with_hit(KICK_ID, kick)), description.sheet.sample_rate
    bus = stages.bus if description.kick.bus else []
    return stages.layer_id, tuple(changes(stages.layer, sample_rate=rate)), tuple(changes(bus, sample_rate=rate))


def hit_changes(track: Track, hit_id: str) -> ChainChanges:
    """What each processor of a hit changed: of one stroke at full strength, of the loop where that goes through them."""
    hit, rate, bpm = track.hit_of(hit_id).hit, track.sheet.sample_rate, track.sheet.bpm
    tempo = stroke_tempo(hit, bpm)
    layers = {
        layer.id: tuple(changes(stages_of_layer(hit, layer.id, rate, tempo), sample_rate=rate)) for layer in hit.layers
    }
    if plays_through_layers(track, hit_id):
        description = kick_description(track)
        own, of_layer, of_bus = _of_loop(without_level(description, KICK_ID))
        return ChainChanges(layers | ({own: of_layer} if own else {}), of_bus)
    bus = tuple(changes(stages_of_bus(hit, rate, bpm), sample_rate=rate)) if hit.bus else ()
    return ChainChanges(layers, bus)

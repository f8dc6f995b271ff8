"""How starts change colour with strength: a softer stroke excites less of what is above a sound's own note.

What moves is what a player's stroke moves (this project's choice of how far): a beater's top and its knock, the index of
frequency modulation, the drive of a sweep and how far its filter opens, the wires of a snare, the band of clapping hands.
"""

from __future__ import annotations

from juglant.core.model.hit import Hit, Layer
from juglant.core.model.velocity import MOST_MAPS, VelocityMap
from juglant.core.parameter.fields import limits_of

# By engine: what its softest stroke has of a ruler, as a share of it, or so many decibels less.
SHARES: dict[str, dict[str, float]] = {
    "beater": {"low_pass_hz": 0.35},
    "fm": {"index": 0.35, "second_index": 0.35},
    "sweep": {"drive_db": 0.3, "low_pass_open_octaves": 0.5},
    "snare": {"low_pass_hz": 0.5, "start_semitones": 0.6},
    "clap": {"centre_hz": 0.75},
    "tail": {"glide_semitones": 0.5, "drive_db": 0.3},
}
LESS_DB: dict[str, dict[str, float]] = {
    "beater": {"knock_db": 12},
    "snare": {"noise_db": 5},
    "tail": {"bright_db": 9},
}
GONE_DB = -60.0


def _maps_of(layer: Layer) -> list[VelocityMap]:
    source, found = layer.source, []
    soft = {name: getattr(source, name) * share for name, share in SHARES.get(source.engine, {}).items()}
    for name, less_db in LESS_DB.get(source.engine, {}).items():
        value = getattr(source, name)
        soft[name] = value if value <= GONE_DB else max(GONE_DB, value - less_db)
    for name, value in soft.items():
        limits = limits_of(type(source), name)
        if limits is None or value == getattr(source, name):
            continue
        kept = min(limits.high, max(limits.low, round(value, 4)))
        found.append(VelocityMap(layer_id=layer.id, parameter=name, soft=kept))
    return found


def coloured(hit: Hit) -> Hit:
    """A hit whose softer strokes are duller; what follows strength already stays as it is, and at 127 nothing changes."""
    own = hit.velocity.maps
    known = {(one.layer_id, one.parameter) for one in own}
    more = [one for layer in hit.layers for one in _maps_of(layer) if (one.layer_id, one.parameter) not in known]
    maps = (*own, *more)[:MOST_MAPS]
    return hit.model_copy(update={"velocity": hit.velocity.model_copy(update={"maps": maps})})

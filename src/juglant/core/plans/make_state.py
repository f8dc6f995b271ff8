"""A hit on its way to a role: what it is like now, and how far that lies outside of what recorded ones are."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from juglant.core.chain.registry import MOST_PROCESSORS, AnyProcessor
from juglant.core.errors import InvalidTrack
from juglant.core.hit.recorded import Recorded
from juglant.core.hit.recorded_bands import FLOOR_DB, band_ranges
from juglant.core.hit.render import render_hit
from juglant.core.measure.character import Character, measure_character
from juglant.core.model.hit import Hit
from juglant.core.model.ids import Role
from juglant.core.model.track import Track
from juglant.core.synth.take import Take

# A band is outside from here on; what lies so far under the loudest band is not looked at.
OUTSIDE_DB, QUIET_DB = 1.0, 36.0
# A band whose range reaches so near to the loudest of all ranges may hold the body of the sound: it is never too loud.
BODY_DB = 6.0
CHARACTER_S = 2.0


@dataclass(frozen=True)
class State:
    """A track on its way, the hit that is made, and what was done to it last."""

    track: Track
    part: str
    role: Role
    ranges: Recorded
    said: str = ""

    @property
    def hit(self) -> Hit:
        return self.track.hit_of(self.part).hit

    def with_hit(self, hit: Hit, said: str) -> State:
        return replace(self, track=self.track.with_hit(self.part, hit), said=said)

    def with_chain(self, *more: AnyProcessor, said: str = "") -> State:
        """With processors more at the end of the recorded layer's chain."""
        layers = list(self.hit.layers)
        place = recorded_place(self.hit)
        chain = (*layers[place].chain, *more)
        layers[place] = layers[place].model_copy(update={"chain": chain})
        return self.with_hit(self.hit.model_copy(update={"layers": tuple(layers)}), said)

    def room_in_chain(self) -> int:
        return MOST_PROCESSORS - len(self.hit.layers[recorded_place(self.hit)].chain)

    def sound(self) -> np.ndarray:
        sheet = self.track.sheet
        mono = render_hit(self.hit, sample_rate=sheet.sample_rate, bpm=sheet.bpm).mono
        return mono[: round(CHARACTER_S * sheet.sample_rate)]

    def character(self) -> Character:
        found = measure_character(self.sound(), sample_rate=self.track.sheet.sample_rate)
        if found is None:
            raise InvalidTrack("this hit is silent: nothing can be made of it")
        return found


def recorded_place(hit: Hit) -> int:
    """Which layer is the recorded one; raises InvalidTrack where none is."""
    for place, layer in enumerate(hit.layers):
        if isinstance(layer.source, Take) and not layer.muted:
            return place
    raise InvalidTrack("nothing in this hit was recorded: choose another start for it, or load a recording")


def body_of(role: Role) -> list[float]:
    """Third octaves in which the body of a sound of a role may lie, by their centres in Hz."""
    ranges = band_ranges(role) or {}
    most = max((high for _, high in ranges.values()), default=0.0)
    return [hz for hz, (_, high) in ranges.items() if high >= most - BODY_DB]


def over_db(found: Character, role: Role) -> dict[float, float]:
    """How far each third octave stands over its range (above zero) or under it (below), dB, by its centre in Hz."""
    ranges, body = band_ranges(role) or {}, body_of(role)
    loudest = max(found.bands_db.values())
    out = {}
    for hz, (low, high) in ranges.items():
        level = found.bands_db[hz]
        if level > high and level > loudest - QUIET_DB and hz not in body:
            out[hz] = level - high
        elif level < low and low > FLOOR_DB:
            out[hz] = level - low
        else:
            out[hz] = 0.0
    return out

"""A layer that joins a hit: on its note, in step with it, as loud as its job needs, and the whole no higher than before."""

from __future__ import annotations

import math
import re
from dataclasses import dataclass

import numpy as np

from juglant.core.hit.fit import place_of_layer
from juglant.core.hit.levelled import moved_by
from juglant.core.hit.render import folded, render_hit, rendered_layers
from juglant.core.hit.root import measured_pitch
from juglant.core.hit.strokes import stroke_tempo
from juglant.core.hit.transpose import UNPITCHED, retuned
from juglant.core.measure.bands import zone_energies
from juglant.core.measure.layer_role import job_of
from juglant.core.measure.level import db
from juglant.core.model.hit import Hit, Layer
from juglant.core.model.track import Track
from juglant.core.music.notes import cents_between, note_hz
from juglant.core.music.scales import spelled
from juglant.core.parameter.fields import limits_of, within
from juglant.core.tune.hit_pitch import hit_pitch
from juglant.core.tune.targets import tonic_near
from juglant.core.types import Samples

# Of the energy the hit has where a layer does its job, so much is the layer's own (this project's choice): heard, and not
# in front. A click against the whole hit, as the finding of a missing one judges it.
UNDER_DB, CLICK_UNDER_DB = -6.0, -12.0
LOW_ZONES = ("under", "sub", "weight", "warmth")
HIGH_ZONES = ("attack", "top")
# The peak of the hit rises by at most this.
HIGHER_DB = 0.1
# A first layer peaks here.
FIRST_PEAK_DB = -1.0
ROUNDS = 3
NEAR_CENTS = 1.0


@dataclass(frozen=True)
class Added:
    """The track with a layer more, and what was done to it and to the hit, in words."""

    track: Track
    said: str


def with_layer(track: Track, hit_id: str, layer: Layer) -> Added:
    """The track with one layer added to a hit.

    It takes the note on which the hit lands, else the tonic; in step with the other layers (layer fit, of this one alone);
    at the level its job needs; then all layers are lowered until the peak rises by no more than 0.1 dB.
    """
    one, rate = track.hit_of(hit_id), track.sheet.sample_rate
    # Judged among all that is heard: a layer that is listened to alone is not the hit.
    solo = {each.id for each in one.hit.layers if each.solo}
    before, tempo = _with_solo(one.hit, set()), stroke_tempo(one.hit, track.sheet.bpm) or track.sheet.bpm
    track = track.with_hit(hit_id, before)
    said: list[str] = []
    layer = _free(layer.model_copy(update={"muted": False, "solo": False}), before)
    layer, note = _on_its_note(track, hit_id, layer)
    if note:
        said.append(f"on {note}")
    hit = before.model_copy(update={"layers": (*before.layers, layer)})
    others = [each for each in before.heard() if each.id != layer.id]
    if not others:
        return Added(track.with_hit(hit_id, _with_solo(_first(hit, rate, tempo), solo)), _sentence(layer, said))
    level_db = _needed_db(hit, layer, rate, tempo)
    hit = _with(hit, layer := layer.model_copy(update={"gain_db": level_db}))
    said.append(f"at {level_db:+.1f} dB")
    # A click has no low end by which it could be fitted.
    place = None if note is None else place_of_layer(hit, layer.id, rate, tempo)
    if place is not None:
        layer = layer.model_copy(update={"offset_ms": place.offset_ms, "inverted": place.inverted})
        hit = _with(hit, layer)
        said.append(f"{place.offset_ms:+.1f} ms{', turned over' if place.inverted else ''}")
    down_db = 0.0
    for _ in range(ROUNDS):
        rise = _peak_db(hit, rate, tempo) - _peak_db(before, rate, tempo)
        if rise <= HIGHER_DB:
            break
        hit, down_db = moved_by(hit, -(rise - HIGHER_DB / 2)), down_db + rise - HIGHER_DB / 2
    if down_db >= HIGHER_DB:
        said.append(f"all layers {down_db:.1f} dB down, so that the peak stays")
    return Added(track.with_hit(hit_id, _with_solo(hit, solo)), _sentence(layer, said))


def _with_solo(hit: Hit, solo: set[str]) -> Hit:
    layers = tuple(one.model_copy(update={"solo": one.id in solo}) for one in hit.layers)
    return hit.model_copy(update={"layers": layers})


def _free(layer: Layer, hit: Hit) -> Layer:
    """The layer under an id and a name that no other of the hit has: two may be asked for at once."""
    ids, names = {one.id for one in hit.layers}, {one.name for one in hit.layers}
    if layer.id not in ids and layer.name not in names:
        return layer
    base, stem = re.sub(r"-\d+$", "", layer.id)[:36], re.sub(r" \d+$", "", layer.name)[:36]
    free = next(k for k in range(2, 99) if f"{base}-{k}" not in ids and f"{stem} {k}" not in names)
    return layer.model_copy(update={"id": f"{base}-{free}", "name": f"{stem} {free}"})


def _sentence(layer: Layer, said: list[str]) -> str:
    return f"{layer.name} is added" + (f": {', '.join(said)}" if said else "")


def _with(hit: Hit, layer: Layer) -> Hit:
    return hit.model_copy(update={"layers": tuple(layer if one.id == layer.id else one for one in hit.layers)})


def _on_its_note(track: Track, hit_id: str, layer: Layer) -> tuple[Layer, str | None]:
    """The layer where the hit lands, or on the tonic; and the note's name, None for a layer without a pitch."""
    if isinstance(layer.source, UNPITCHED):
        return layer, None
    sheet, rate = track.sheet, track.sheet.sample_rate
    (alone,) = rendered_layers(Hit(layers=(layer,)), [layer], sample_rate=rate, bpm=sheet.bpm)
    landing, _ = measured_pitch(folded(alone), rate)
    own_hz = landing.landing_hz
    if limits_of(type(layer.source), "landing_hz") is not None:
        own_hz = float(layer.source.landing_hz)  # type: ignore[union-attr]
    if own_hz is None:
        return layer, None
    one = track.hit_of(hit_id)
    pitch = hit_pitch(track, one)
    wanted = pitch.used_hz or note_hz(tonic_near(own_hz, sheet), sheet.a4_hz)
    # In its own octave: a skin over a kick stays a skin.
    wanted *= 2 ** round(cents_between(own_hz, wanted) / 1200)
    if abs(cents_between(wanted, own_hz)) >= NEAR_CENTS:
        layer = retuned(Hit(layers=(layer,)), own_hz, wanted).layers[0]
    number = round(69 + 12 * math.log2(wanted / sheet.a4_hz))
    return layer, spelled(number, sheet.tonic, sheet.scale, sheet.middle_c)


def _first(hit: Hit, rate: int, tempo: float) -> Hit:
    """A hit of one layer, no higher than -1 dBFS."""
    over = _peak_db(hit, rate, tempo) - FIRST_PEAK_DB
    return moved_by(hit, -over) if over > 0 else hit


def _peak_db(hit: Hit, rate: int, tempo: float) -> float:
    return db(float(np.max(np.abs(render_hit(hit, sample_rate=rate, bpm=tempo).audio), initial=1e-9)))


def _needed_db(hit: Hit, layer: Layer, rate: int, tempo: float) -> float:
    """The level at which a layer does its job beside the others, dB."""
    layers = hit.heard()
    sounds = [folded(audio) for audio in rendered_layers(hit, layers, sample_rate=rate, bpm=tempo)]
    own = next(sound for one, sound in zip(layers, sounds, strict=True) if one.id == layer.id)
    size = max(sound.size for sound in sounds)
    rest = np.zeros(size)
    for one, sound in zip(layers, sounds, strict=True):
        if one.id != layer.id:
            rest[: sound.size] += sound
    if not np.any(own) or not np.any(rest):
        return layer.gain_db
    is_click = job_of(own, sample_rate=rate) == "click"
    zones = HIGH_ZONES if is_click else LOW_ZONES
    there = _energy(rest, zones, rate)
    # Where the hit has nothing yet, the job is measured by the whole.
    wanted = max(there * 10 ** (UNDER_DB / 10), _energy(rest, None, rate) * 10 ** (_floor_db(is_click) / 10))
    by_db = 10 * math.log10(wanted / max(_energy(own, zones, rate), 1e-30))
    return within(Layer, "gain_db", round(layer.gain_db + by_db, 1))


def _floor_db(is_click: bool) -> float:
    return 2 * CLICK_UNDER_DB if is_click else CLICK_UNDER_DB


def _energy(audio: Samples, zones: tuple[str, ...] | None, rate: int) -> float:
    found = zone_energies(audio, sample_rate=rate)
    return sum(energy for name, energy in found.items() if zones is None or name in zones)

"""Layer fit: the start and polarity of each layer with which the layers sum best in the low band (method: layer fit).

One layer after the other, the one with most low end first and fixed. What a layer gives or takes is read off its
correlation with the sum so far; among the peaks within 0.2 dB of the best the one with the smallest offset is taken.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import scipy
from scipy import fft

from juglant.core.hit.render import DEFAULT_BPM, folded, rendered_layers
from juglant.core.hit.take_lead import take_lead_ms
from juglant.core.measure.bands import HALF_BAND, LOW_CENTRES_HZ
from juglant.core.measure.timing import LOW_BAND_HZ, LOW_BAND_ORDER
from juglant.core.memory import newest
from juglant.core.model.hit import Hit, Layer
from juglant.core.signal.envelope import frames_of
from juglant.core.synth.take import Take
from juglant.core.types import Mask, Samples, Spectrum

REACH_MS = 10.0
TIE_DB = 0.2
# A layer with less low end than this re the strongest has nothing to fit.
LEAST_DB = -30.0


@dataclass(frozen=True)
class Place:
    """Where a layer should start, and its polarity; begin_ms: where in its file a recorded one with a lead-in begins."""

    layer_id: str
    offset_ms: float
    inverted: bool
    begin_ms: float | None = None


@dataclass(frozen=True)
class LayerFit:
    """The fit, and how the layers sum in the low band now and after it.

    now_db, after_db: energy of the sum re the sum of the layers' energies, 20-150 Hz: +3 for two equal ones in step, 0
    where they do not touch each other; bands_now_db, bands_after_db: the same by third-octave band, (bands,).
    """

    places: tuple[Place, ...]
    now_db: float
    after_db: float
    bands_now_db: tuple[float, ...]
    bands_after_db: tuple[float, ...]


@dataclass(frozen=True)
class _Part:
    layer: Layer
    offset: int
    spectrum: Spectrum


@newest(16)
def fit_layers(hit: Hit, sample_rate: int, bpm: float = DEFAULT_BPM) -> LayerFit | None:
    """The best places of a hit's heard layers; None where fewer than two have low end (pure, remembered, bounded).

    Recorded layers are taken from their onset: no other layer is moved to suit the silence before a sound.
    """
    hit, begins = _from_their_onsets(hit)
    layers = hit.heard()
    rendered = [folded(audio) for audio in rendered_layers(hit, layers, sample_rate=sample_rate, bpm=bpm)]
    if len(layers) < 2 or not all(audio.size for audio in rendered):
        return None
    parts, length = _parts_of(layers, rendered, sample_rate)
    reach = frames_of(REACH_MS, sample_rate)
    low = _low_band(length, sample_rate)
    ranked = sorted(((_energy(part.spectrum, low), part) for part in parts), key=lambda pair: -pair[0])
    most = ranked[0][0]
    telling = [part for energy, part in ranked if energy > most * 10 ** (LEAST_DB / 10)]
    if most <= 0 or len(telling) < 2:
        return None
    total = _placed(telling[0], telling[0].offset, False, length)
    first = telling[0].layer
    places = [Place(first.id, first.offset_ms, first.inverted, begins.get(first.id))]
    after = {telling[0].layer.id: total}
    for part in telling[1:]:
        offset, turned = _best(part, total, low, length, reach)
        moved = _placed(part, offset, turned, length)
        after[part.layer.id] = moved
        total = total + moved
        ms = part.layer.offset_ms if offset == part.offset else round(1000 * offset / sample_rate, 5)
        places.append(Place(part.layer.id, ms, part.layer.inverted != turned, begins.get(part.layer.id)))
    now = {part.layer.id: _placed(part, part.offset, False, length) for part in parts}
    both = [now, {**now, **after}]
    whole = [_gain_db(list(placed.values()), low) for placed in both]
    masks = [_band(centre, length, sample_rate) for centre in LOW_CENTRES_HZ]
    bands = [tuple(_gain_db(list(placed.values()), mask) for mask in masks) for placed in both]
    return LayerFit(tuple(places), whole[0], whole[1], bands[0], bands[1])


def _parts_of(layers: Sequence[Layer], rendered: list[Samples], sample_rate: int) -> tuple[list[_Part], int]:
    """The layers' spectra with their offsets, and the transform's length: room for every move within reach."""
    offsets = [frames_of(layer.offset_ms, sample_rate) for layer in layers]
    reach = frames_of(REACH_MS, sample_rate)
    span = max(audio.size for audio in rendered) + max(offsets) - min(offsets) + 4 * reach
    length = fft.next_fast_len(span, real=True)
    parts = [
        _Part(layer, offset, fft.rfft(audio, length))
        for layer, offset, audio in zip(layers, offsets, rendered, strict=True)
    ]
    return parts, length


def _begun(layer: Layer, begin_ms: float | None) -> Layer:
    if begin_ms is None:
        return layer
    return layer.model_copy(update={"source": layer.source.model_copy(update={"begin_ms": begin_ms})})


def _from_their_onsets(hit: Hit) -> tuple[Hit, dict[str, float]]:
    """The hit with its recorded layers from their onsets, and where each of those begins then, ms by layer."""
    begins: dict[str, float] = {}
    for layer in hit.layers:
        source = layer.source
        lead = take_lead_ms(source.take, source.begin_ms) if isinstance(source, Take) and not source.alternates else None
        if lead is not None and isinstance(source, Take):
            begins[layer.id] = round(source.begin_ms + lead, 4)
    layers = tuple(_begun(layer, begins.get(layer.id)) for layer in hit.layers)
    return (hit.model_copy(update={"layers": layers}) if begins else hit), begins


def place_of_layer(hit: Hit, layer_id: str, sample_rate: int, bpm: float) -> Place | None:
    """Where one layer of a hit sums best with all the others, which stay; None where it has no low end to speak of."""
    layers = hit.heard()
    rendered = [folded(audio) for audio in rendered_layers(hit, layers, sample_rate=sample_rate, bpm=bpm)]
    parts, length = _parts_of(layers, rendered, sample_rate)
    reach = frames_of(REACH_MS, sample_rate)
    low = _low_band(length, sample_rate)
    own = next(part for part in parts if part.layer.id == layer_id)
    others = [part for part in parts if part.layer.id != layer_id]
    total = np.sum([_placed(part, part.offset, False, length) for part in others], axis=0)
    if _energy(own.spectrum, low) <= _energy(total, low) * 10 ** (LEAST_DB / 10):
        return None
    offset, turned = _best(own, total, low, length, reach)
    return Place(layer_id, round(1000 * offset / sample_rate, 5), own.layer.inverted != turned)


def fitted(hit: Hit, fit: LayerFit) -> Hit:
    """The hit with its layers at the fit's places."""
    places = {place.layer_id: place for place in fit.places}
    return hit.model_copy(
        update={
            "layers": tuple(
                layer
                if (place := places.get(layer.id)) is None
                else _begun(layer, place.begin_ms).model_copy(
                    update={"offset_ms": place.offset_ms, "inverted": place.inverted}
                )
                for layer in hit.layers
            )
        }
    )


@newest(8)
def _low_band(length: int, sample_rate: int) -> Samples:
    """Energy gain of the low band's filter at the bins of a transform, (bins,)."""
    sections = scipy.signal.butter(LOW_BAND_ORDER, LOW_BAND_HZ, "bandpass", fs=sample_rate, output="sos")
    _, gain = scipy.signal.sosfreqz(sections, fft.rfftfreq(length, 1 / sample_rate), fs=sample_rate)
    # Run forwards and backwards: the amplitude gain is |H|^2.
    return np.asarray(np.abs(gain) ** 4)


def _band(centre_hz: float, length: int, sample_rate: int) -> Mask:
    frequency = fft.rfftfreq(length, 1 / sample_rate)
    return np.asarray((frequency >= centre_hz / HALF_BAND) & (frequency < centre_hz * HALF_BAND))


def _energy(spectrum: Spectrum, weight: Samples | Mask) -> float:
    return float((spectrum.real**2 + spectrum.imag**2) @ weight)


def _placed(part: _Part, offset: int, turned: bool, length: int) -> Spectrum:
    """The layer's spectrum with its start at a frame."""
    turn = np.exp(-2j * np.pi * offset / length * np.arange(part.spectrum.size))
    return np.asarray(part.spectrum * turn * (-1 if turned else 1))


def _best(part: _Part, total: Spectrum, low: Samples, length: int, reach: int) -> tuple[int, bool]:
    """Offset in frames and whether to turn the layer over, for the most low end of the sum."""
    middle = 0 if abs(part.offset) <= reach else part.offset
    correlation = fft.irfft(total * np.conj(part.spectrum) * low, length)
    moves = np.arange(middle - reach, middle + reach + 1)
    # Parseval: half of a real signal's transform holds half of its energy.
    alone = 2 / length * (_energy(total, low) + _energy(part.spectrum, low))
    candidates = []
    for turned in (False, True):
        value = alone + 2 * (-1 if turned else 1) * correlation[moves % length]
        inner = np.concatenate(([-np.inf], value, [-np.inf]))
        for k in np.flatnonzero((inner[1:-1] >= inner[:-2]) & (inner[1:-1] >= inner[2:])):
            inverted = part.layer.inverted != turned
            candidates.append((float(value[k]), abs(int(moves[k]) - middle), inverted, int(moves[k]), turned))
    best = max(value for value, *_ in candidates)
    near = [one for one in candidates if one[0] >= best * 10 ** (-TIE_DB / 10)]
    _, _, _, offset, turned = min(near, key=lambda one: one[1:3])
    return offset, turned


def _gain_db(spectra: list[Spectrum], weight: Samples | Mask) -> float:
    """Energy of a sum re the sum of energies."""
    apart = sum(_energy(spectrum, weight) for spectrum in spectra)
    together = _energy(np.sum(spectra, axis=0), weight)
    return 10 * float(np.log10(max(together, 1e-12 * apart, 1e-30) / max(apart, 1e-30)))

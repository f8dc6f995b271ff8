"""Hits of one role struck at nearly the same moment from two rows: what their sum loses by comb filtering."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import combinations

import numpy as np
from scipy import fft

from juglant.core.hit.render import folded
from juglant.core.measure.bands import CENTRES_HZ, band_energies_from, spectrum_of
from juglant.core.mix.render import render_stem
from juglant.core.model.fields import limits_of
from juglant.core.model.kit import CONTEXT, KICK_ID, KitHit, Stroke
from juglant.core.model.stem import KICK, StemRef
from juglant.core.model.track import Track
from juglant.core.music.tempo import beat_ms
from juglant.core.types import Samples

NEAR_MS = 20.0
# Compared over the start of both, in bands that hold enough of either.
HEARD_MS, LEAST_SHARE = 120.0, 0.01
RANGE_BANDS_HZ = (40.0, 12_000.0)


@dataclass(frozen=True)
class Coincidence:
    """Two hits of one role whose strokes fall within 20 ms of each other.

    count: such pairs of strokes in the loop; apart_ms: how much later the other's are, of the first pair; loss_db: of the
    band that loses most against the sum of energies (minus is loss), at band_hz; best_shift_ms: move of the other's strokes
    that sums best.
    """

    one: str
    other: str
    count: int
    apart_ms: float
    at_beats: float
    loss_db: float
    band_hz: float
    best_shift_ms: float


def _pairs(track: Track, one: KitHit, other: KitHit) -> list[tuple[Stroke, Stroke, float]]:
    """Strokes of two hits within 20 ms of each other, and by how many ms the second is later."""
    length, ms = track.sheet.length_beats, beat_ms(track.sheet.bpm)
    found = []
    for first in track.played(one):
        for second in track.played(other):
            apart = ((second.at_beats - first.at_beats + length / 2) % length - length / 2) * ms
            if abs(apart) <= NEAR_MS:
                found.append((first, second, apart))
    return found


def _stem(track: Track, one: KitHit) -> Samples:
    return folded(render_stem(track, KICK.of("before") if one.id == KICK_ID else StemRef(one.id)))


def _bands(audio: Samples, rate: int) -> Samples:
    return band_energies_from(*spectrum_of(audio, sample_rate=rate))


def coincidences(track: Track) -> list[Coincidence]:
    """Every pair of hits of one role that meets, the one that loses most first."""
    out = []
    hits = [one for one in track.hits() if one.role not in ("rumble", CONTEXT) and one.strokes]
    for one, other in combinations(hits, 2):
        if one.role != other.role or not (pairs := _pairs(track, one, other)):
            continue
        found = _measured(track, one, other, pairs)
        if found is not None:
            out.append(found)
    return sorted(out, key=lambda pair: pair.loss_db)


def _measured(track: Track, one: KitHit, other: KitHit, pairs: list[tuple[Stroke, Stroke, float]]) -> Coincidence | None:
    rate, bpm = track.sheet.sample_rate, track.sheet.bpm
    first, _, apart = pairs[0]
    at = round((first.at_beats * beat_ms(bpm) + min(0.0, apart)) / 1000 * rate)
    index = np.arange(at, at + round(HEARD_MS / 1000 * rate))
    a, b = (_stem(track, hit)[index % _stem(track, hit).size] for hit in (one, other))
    if not np.any(a) or not np.any(b):
        return None
    alone = _bands(a, rate), _bands(b, rate)
    total, summed = alone[0] + alone[1], _bands(a + b, rate)
    centres = np.array(CENTRES_HZ)
    heard = (total > LEAST_SHARE * total.max()) & (centres >= RANGE_BANDS_HZ[0]) & (centres <= RANGE_BANDS_HZ[1])
    # Only where both speak can one take from the other.
    heard &= np.minimum(*alone) > LEAST_SHARE * total
    if not heard.any():
        return None
    loss = np.where(heard, 10 * np.log10(np.maximum(summed, 1e-30) / np.maximum(total, 1e-30)), np.inf)
    worst = int(np.argmin(loss))
    return Coincidence(
        one=one.id,
        other=other.id,
        count=len(pairs),
        apart_ms=apart,
        at_beats=first.at_beats,
        loss_db=float(loss[worst]),
        band_hz=float(centres[worst]),
        best_shift_ms=_best_shift(a, b, rate),
    )


def _best_shift(a: Samples, b: Samples, rate: int) -> float:
    """Move of b within 20 ms that sums best with a, ms; later is positive."""
    size = fft.next_fast_len(2 * a.size, real=True)
    cross = fft.irfft(fft.rfft(a, size) * np.conj(fft.rfft(b, size)), size)
    reach = round(NEAR_MS / 1000 * rate)
    places = np.arange(-reach, reach + 1)
    return float(1000 * places[np.argmax(cross[places])] / rate)


def muted(track: Track, pair: Coincidence) -> Track:
    """The track without the strokes of the second hit that fall on the first's."""
    one, other = track.hit_of(pair.one), track.hit_of(pair.other)
    gone = {round(second.at_beats, 6) for _, second, _ in _pairs(track, one, other)}
    kept = tuple(stroke for stroke in other.strokes if round(_sounds(track, stroke), 6) not in gone)
    return track.with_strokes(pair.other, kept)


def moved(track: Track, pair: Coincidence) -> Track | None:
    """The track with those strokes moved to where they sum best; None where that is further than a stroke may move."""
    one, other = track.hit_of(pair.one), track.hit_of(pair.other)
    met = {round(second.at_beats, 6) for _, second, _ in _pairs(track, one, other)}
    strokes, limits = [], limits_of(Stroke, "shift_ms")
    for stroke in other.strokes:
        if round(_sounds(track, stroke), 6) in met:
            shift = stroke.shift_ms + pair.best_shift_ms
            if limits is not None and not limits.low <= shift <= limits.high:
                return None
            stroke = stroke.model_copy(update={"shift_ms": round(shift, 2)})
        strokes.append(stroke)
    return track.with_strokes(pair.other, tuple(strokes))


def _sounds(track: Track, stroke: Stroke) -> float:
    """Where a stroke is heard, in beats, or -1 outside of the loop."""
    if stroke.at_beats >= track.sheet.length_beats:
        return -1.0
    at = track.sheet.swung(stroke.at_beats) + stroke.shift_ms / beat_ms(track.sheet.bpm)
    return float(at % track.sheet.length_beats)

"""Hits of one role struck at nearly the same moment from two rows: what their sum loses by comb filtering."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import combinations

import numpy as np
from scipy import fft
from scipy.ndimage import maximum_filter1d

from juglant.core.hit.render import folded
from juglant.core.loop.render import render_stem
from juglant.core.measure.bands import CENTRES_HZ, band_energies_from, spectrum_of
from juglant.core.model.ids import CONTEXT, KICK_ID
from juglant.core.model.part import Part
from juglant.core.model.stem import KICK, StemRef
from juglant.core.model.strokes import Stroke
from juglant.core.model.track import Track
from juglant.core.music.tempo import beat_ms
from juglant.core.parameter.fields import limits_of
from juglant.core.signal.wrap import wrapped
from juglant.core.types import Samples

NEAR_MS = 20.0
# Compared over the start of both, in bands that hold enough of either.
HEARD_MS, LEAST_SHARE = 120.0, 0.01
RANGE_BANDS_HZ = (40.0, 12_000.0)
# A stroke inside a stem: the energy around the hit's strongest band rises by this against what came before, to within 30 dB
# of the stem's loudest there. Closer than LEAST_APART_MS they are one.
RISE_DB, RISE_STEP_MS, RISE_BACK_MS, RISE_RANGE = 9.0, 1.0, 30.0, 1e-3
RISE_RANGE_HZ, RISE_WIDTH, LEAST_APART_MS = (60.0, 8000.0), 2.0, 1.5
# The loop goes on for so long at either end of what is filtered.
SEAM_MS = 50.0


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


def _pairs(track: Track, one: Part, other: Part) -> list[tuple[Stroke, Stroke, float]]:
    """Strokes of two hits within 20 ms of each other, and by how many ms the second is later."""
    length, ms = track.sheet.length_beats, beat_ms(track.sheet.bpm)
    found = []
    others = track.played(other)
    for first in track.played(one):
        for second in others:
            apart = ((second.at_beats - first.at_beats + length / 2) % length - length / 2) * ms
            if abs(apart) <= NEAR_MS:
                found.append((first, second, apart))
    return found


class _StemPower:
    """A stem's energy around a frequency in 1 ms steps through its loop, each band made once."""

    def __init__(self, stem: Samples, rate: int) -> None:
        self.rate, self.frames = rate, stem.size
        self.lead = round(SEAM_MS * rate / 1000)
        # A length that transforms fast; what is added goes on as the loop does.
        self.length = fft.next_fast_len(stem.size + 2 * self.lead, real=True)
        self.spectrum = fft.rfft(wrapped(stem, self.lead, self.length - stem.size - self.lead))
        self.hz = fft.rfftfreq(self.length, 1 / rate)
        self.known: dict[float, tuple[Samples, Samples]] = {}

    def around(self, centre_hz: float) -> tuple[Samples, Samples]:
        """Energy of an octave either side, and the most of it in the 30 ms before each step, each (ms,)."""
        if centre_hz not in self.known:
            first, last = np.searchsorted(self.hz, (centre_hz / RISE_WIDTH, centre_hz * RISE_WIDTH))
            band = np.zeros_like(self.spectrum)
            band[first:last] = self.spectrum[first:last]
            sound = fft.irfft(band, self.length)[self.lead : self.lead + self.frames]
            step = max(1, round(RISE_STEP_MS * self.rate / 1000))
            power = np.add.reduceat(sound**2, np.arange(0, self.frames, step))
            back = round(RISE_BACK_MS / RISE_STEP_MS)
            most = np.roll(maximum_filter1d(power, back, mode="wrap"), back - back // 2)
            self.known[centre_hz] = power, most
        return self.known[centre_hz]


def _strongest_hz(hit: Samples, rate: int) -> float:
    """Centre of a hit's strongest third octave, where rises are looked for."""
    bands = band_energies_from(*spectrum_of(hit, sample_rate=rate))
    return float(np.clip(CENTRES_HZ[int(np.argmax(bands))], *RISE_RANGE_HZ))


def _rises(stem: _StemPower, centre_hz: float, track: Track, one: Part) -> list[tuple[Stroke, Stroke, float]]:
    """Strokes of a hit at which a stem of the rest of the track starts a sound of its own in the hit's strongest bands.

    A rise by 9 dB within 20 ms of the stroke, of the energy in 1 ms steps against the 30 ms before; counted where at least
    half of the strokes have one, all of them as far apart.
    """
    power, most = stem.around(centre_hz)
    count, near = power.size, round(NEAR_MS / RISE_STEP_MS)
    loud = RISE_RANGE * float(power.max())
    found, strokes = [], track.played(one)
    for stroke in strokes:
        at = round(stroke.at_beats * beat_ms(track.sheet.bpm) / RISE_STEP_MS)
        places = np.arange(at - near, at + near + 1) % count
        now, before = power[places], most[places]
        rising = np.where(now > loud, 10 * np.log10(now / np.maximum(before, 1e-30)), 0.0)
        first = np.flatnonzero(rising > RISE_DB)
        if first.size:
            found.append((stroke, stroke, (int(first[0]) - near) * RISE_STEP_MS))
    apart = [each for _, _, each in found]
    if len(found) * 2 < len(strokes) or not found or float(np.ptp(apart)) > 2 * RISE_STEP_MS:
        return []
    return found


def stem_coincidences(track: Track) -> list[Coincidence]:
    """Hits of the kit at which a stem of the rest of the track strikes too, a little apart."""
    out, rate = [], track.sheet.sample_rate
    stems = [one for one in track.hits() if one.role == CONTEXT and one.strokes]
    hits = [one for one in track.hits() if one.role not in ("rumble", CONTEXT) and one.strokes] if stems else []
    sounds = ((one, _stem(track, one)) for one in hits)
    centres = [(one, _strongest_hz(own, rate)) for one, own in sounds if np.any(own)]
    for stem in stems:
        audio = _stem(track, stem)
        if not np.any(audio):
            continue
        power = _StemPower(audio, rate)
        for one, centre_hz in centres:
            pairs = _rises(power, centre_hz, track, one)
            apart = float(np.median([each for _, _, each in pairs])) if pairs else 0.0
            if abs(apart) < LEAST_APART_MS:
                continue
            found = _measured(track, one, stem, [(first, second, apart) for first, second, _ in pairs], rate)
            if found is not None:
                out.append(found)
    return sorted(out, key=lambda pair: pair.loss_db)


def _stem(track: Track, one: Part) -> Samples:
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
        found = _measured(track, one, other, pairs, track.sheet.sample_rate)
        if found is not None:
            out.append(found)
    return sorted(out, key=lambda pair: pair.loss_db)


def _measured(
    track: Track, one: Part, other: Part, pairs: list[tuple[Stroke, Stroke, float]], rate: int
) -> Coincidence | None:
    bpm = track.sheet.bpm
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


def with_hit_muted(track: Track, hit_id: str) -> Track:
    """The track without a hit's strokes being heard."""
    return track.with_strokes(hit_id, ()) if hit_id == KICK_ID else track.with_part(hit_id, muted=True)


def shifted_strokes(track: Track, hit_id: str, by_ms: float) -> Track | None:
    """The track with all strokes of a hit moved; None where one would go further than a stroke may."""
    limits, strokes = limits_of(Stroke, "shift_ms"), []
    for stroke in track.hit_of(hit_id).strokes:
        shift = stroke.shift_ms + by_ms
        if limits is not None and not limits.low <= shift <= limits.high:
            return None
        strokes.append(stroke.model_copy(update={"shift_ms": round(shift, 2)}))
    return track.with_strokes(hit_id, tuple(strokes))

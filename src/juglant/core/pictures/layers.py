"""The hit's layers as waveforms, spans and jobs, measured on each layer's own rendering."""

from __future__ import annotations

import math

import numpy as np

from juglant.core.hit.fit import fit_layers
from juglant.core.hit.render import RenderedHit, folded, rendered_layers
from juglant.core.hit.strokes import stroke_tempo
from juglant.core.measure.bands import CENTRES_HZ, LOW_CENTRES_HZ, ZONE_EDGES_HZ, band_energies_from, spectrum_of
from juglant.core.measure.layer_role import job_from
from juglant.core.measure.level import db
from juglant.core.memory import newest
from juglant.core.model.hit import Hit
from juglant.core.pictures.strip import Picture, rounded
from juglant.core.signal.envelope import frames_of
from juglant.core.types import Indices, Samples

COLUMNS = 420
LEAST_FRAMES = 16
SILENT = 1e-6
# The picture ends a little after the last sound within 60 dB of its peak.
HEARD, MARGIN = 1e-3, 1.03
AXIS_STEPS_LOG2 = 4
LOWEST_SHOWN_DB = -48.0


class LayerPicture(Picture):
    """One layer, or the sum: lowest and highest sample in each column, level of each band, job, peak."""

    id: str
    low: tuple[float, ...]
    high: tuple[float, ...]
    bands_db: tuple[float, ...]
    job: str
    peak_db: float | None


class FitPicture(Picture):
    """How the layers sum in the low band, dB re their energies apart, now and where they are fitted; what would move."""

    now_db: float
    after_db: float
    low_centres_hz: tuple[float, ...]
    bands_now_db: tuple[float, ...]
    bands_after_db: tuple[float, ...]
    moves: tuple[str, ...]


class Zone(Picture):
    """One zone of frequency, up to where the next begins."""

    name: str
    from_hz: float


ZONES = tuple(Zone(name=name, from_hz=low) for name, (low, _) in ZONE_EDGES_HZ.items())


class HitPicture(Picture):
    """A hit's sum and layers on one time axis that starts at the earliest sound; the zones of frequency by name."""

    start_ms: float
    span_ms: float
    whole_ms: float
    centres_hz: tuple[float, ...]
    zones: tuple[Zone, ...]
    sum: LayerPicture
    layers: tuple[LayerPicture, ...]
    fit: FitPicture | None


class _Same:
    """An array by its identity: remembered renders come as the same object again and again."""

    def __init__(self, audio: Samples) -> None:
        self.audio = audio

    def __hash__(self) -> int:
        return id(self.audio)

    def __eq__(self, other: object) -> bool:
        return isinstance(other, _Same) and other.audio is self.audio


@newest(64)
def _bands_and_job(same: _Same, sample_rate: int) -> tuple[tuple[float, ...], str]:
    """Bands in dB re the strongest and job of a rendered sound not to be written to (pure, remembered, bounded)."""
    if same.audio.size < 2 or not np.any(same.audio):
        return (LOWEST_SHOWN_DB,) * len(CENTRES_HZ), "silent"
    frequency, power = spectrum_of(same.audio, sample_rate=sample_rate)
    energy = band_energies_from(frequency, power)
    level = np.maximum(10 * np.log10(np.maximum(energy / max(float(energy.max()), 1e-30), 1e-12)), LOWEST_SHOWN_DB)
    return rounded(level, 1), job_from(same.audio, frequency, power)


@newest(8)
def column_edges(total: int, columns: int = COLUMNS) -> Indices:
    """First frame of each column, read-only; of fewer frames than columns each is drawn once."""
    edges = np.unique(np.linspace(0, total, columns + 1).astype(int)[:-1])
    edges.flags.writeable = False
    return edges


def outline(sound: Samples, columns: int, digits: int = 3) -> tuple[tuple[float, ...], tuple[float, ...]]:
    """Lowest and highest sample of each column of a sound, (frames,), short enough to send; none of no sound."""
    if not sound.size:
        return (), ()
    edges = column_edges(sound.size, min(columns, sound.size))
    return rounded(np.minimum.reduceat(sound, edges), digits), rounded(np.maximum.reduceat(sound, edges), digits)


def _picture(name: str, audio: Samples, first: int, total: int, *, sample_rate: int) -> LayerPicture:
    """Columns of `audio` placed at frame `first` of `total`, which may be before it."""
    line = np.zeros(total)
    start, skip = max(0, first), max(0, -first)
    seen = audio[skip : skip + total - start] if start < total else audio[:0]
    line[start : start + seen.size] = seen
    edges = column_edges(total)
    peak = float(np.max(np.abs(audio), initial=0.0))
    bands, job = _bands_and_job(_Same(audio), sample_rate)
    return LayerPicture(
        id=name,
        low=rounded(np.minimum.reduceat(line, edges)),
        high=rounded(np.maximum.reduceat(line, edges)),
        bands_db=bands,
        job=job,
        peak_db=round(db(peak), 1) if peak > SILENT else None,
    )


def draw_fit(hit: Hit, *, sample_rate: int, bpm: float) -> FitPicture | None:
    """The layer fit, None where there is nothing to fit."""
    fit = fit_layers(hit, sample_rate, stroke_tempo(hit, bpm))
    if fit is None:
        return None
    layers = {layer.id: layer for layer in hit.layers}
    moves = []
    for place in fit.places:
        layer = layers[place.layer_id]
        by_ms = place.offset_ms - layer.offset_ms
        parts = [f"{abs(by_ms):.2f} ms {'later' if by_ms > 0 else 'earlier'}"] if by_ms else []
        parts += ["turned over"] if place.inverted != layer.inverted else []
        moves += [f"{layer.name} {', '.join(parts)}"] if parts else []
    return FitPicture(
        now_db=round(fit.now_db, 2),
        after_db=round(fit.after_db, 2),
        low_centres_hz=rounded(np.array(LOW_CENTRES_HZ), 1),
        bands_now_db=rounded(np.array(fit.bands_now_db), 1),
        bands_after_db=rounded(np.array(fit.bands_after_db), 1),
        moves=tuple(moves),
    )


def heard_frames(audio: Samples) -> int:
    """Frames up to where a sound has fallen by 60 dB for good."""
    if not audio.size:
        return 0
    size = np.abs(audio)
    loud = size > HEARD * float(size.max())
    return audio.size - int(np.argmax(loud[::-1])) if loud.any() else 0


def _axis_frames(frames: float) -> int:
    """A time axis that holds so many frames: it grows in steps of 3 to 6 %, so that it rests while a ruler moves."""
    step = 1 << max(0, math.floor(math.log2(frames)) - AXIS_STEPS_LOG2)
    return step * math.ceil(frames / step)


def draw_hit(
    hit: Hit,
    whole: RenderedHit,
    *,
    sample_rate: int,
    bpm: float,
    shown: tuple[float, float] | None = None,
    quick: bool = False,
) -> HitPicture:
    """A hit's layers, muted ones too, folded down to one channel, and their sum as heard (`whole`).

    shown: from which moment, ms after the hit's own start, and for how long; None for all of it. quick: without the
    layer fit, for a picture that follows a drag.
    """
    rate, heard = sample_rate, whole.mono
    rendered = [folded(x) for x in rendered_layers(hit, list(hit.layers), sample_rate=rate, bpm=bpm)]
    offsets = [frames_of(layer.offset_ms, rate) for layer in hit.layers]
    lead = max([whole.lead_frames, *(-offset for offset in offsets)])
    ends = [lead + offset + heard_frames(audio) for offset, audio in zip(offsets, rendered, strict=True)]
    total = max([COLUMNS, heard_frames(heard) + lead - whole.lead_frames, *ends])
    total, first = _axis_frames(MARGIN * total), 0
    whole_ms = 1000 * total / rate
    if shown is not None:
        first = lead + round(shown[0] * rate / 1000)
        total = max(LEAST_FRAMES, round(shown[1] * rate / 1000))
    return HitPicture(
        start_ms=1000 * (first - lead) / rate,
        span_ms=1000 * total / rate,
        whole_ms=whole_ms,
        centres_hz=rounded(np.array(CENTRES_HZ), 1),
        zones=ZONES,
        sum=_picture("sum", heard, lead - whole.lead_frames - first, total, sample_rate=rate),
        layers=tuple(
            _picture(layer.id, audio, lead + offset - first, total, sample_rate=rate)
            for layer, audio, offset in zip(hit.layers, rendered, offsets, strict=True)
        ),
        fit=None if quick else draw_fit(hit, sample_rate=rate, bpm=bpm),
    )

"""What a screen asks about one hit: its picture, figures, what each processor did, and how its strokes sound."""

from __future__ import annotations

import hashlib

import numpy as np
from pydantic import BaseModel, ConfigDict

from juglant.core.analysis.chain_changes import hit_changes, plays_through_layers
from juglant.core.analysis.rumbles import rumble_figures
from juglant.core.errors import NoSuchPart
from juglant.core.hit.click_body import click_db
from juglant.core.hit.render import RenderedHit, rendered_layers
from juglant.core.hit.stage_sounds import stages_of_bus, stages_of_layer
from juglant.core.hit.stages import StageChange, changes, sound_figures
from juglant.core.hit.strokes import cached_stroke, stroke_tempo
from juglant.core.loop.distance import sound_set_back
from juglant.core.loop.render import heard_kick
from juglant.core.measure.hit import flat_figures, measure_hit
from juglant.core.measure.level import energy_loudness_db
from juglant.core.measure.rumble import RumbleFigures
from juglant.core.measure.stereo import fold_loss_db
from juglant.core.memory import newest
from juglant.core.model.hit import Hit
from juglant.core.model.ids import KICK_ID, PartRole
from juglant.core.model.sheet import Sheet
from juglant.core.model.track import Track
from juglant.core.model.velocity import HARDEST
from juglant.core.music.notes import nearest_note
from juglant.core.music.scales import spelled
from juglant.core.pictures.layers import HitPicture, draw_hit
from juglant.core.pictures.strengths import StrengthAt, draw_strengths
from juglant.core.reports.report import HitFigures
from juglant.core.types import Samples
from juglant.formats.wav import wav_float

SILENT_PEAK = 1e-6


class BoundFigures(BaseModel):
    """One way of the sum: crest and loudness of the hit alone, dB."""

    model_config = ConfigDict(frozen=True)
    peak_db: float
    crest_db: float
    loudness_db: float


class HitView(BaseModel):
    """Everything the bench draws of one hit. Changes are in the order of the chain."""

    model_config = ConfigDict(frozen=True)
    id: str
    role: PartRole
    picture: HitPicture
    figures: HitFigures | None
    landing_note: str | None
    layer_changes: dict[str, tuple[StageChange, ...]]
    bus_changes: tuple[StageChange, ...]
    plain: BoundFigures | None
    bound: BoundFigures | None
    fold_loss_db: float | None
    rumble: RumbleFigures | None = None
    click_db: float | None = None


def _figures(block: Samples, rate: int) -> BoundFigures | None:
    found = sound_figures(block, sample_rate=rate)
    if found is None:
        return None
    return BoundFigures(peak_db=found.peak_db, crest_db=found.crest_db, loudness_db=found.loudness_db)


def _heard(track: Track, hit_id: str) -> RenderedHit:
    if hit_id == KICK_ID:
        return heard_kick(track)
    hit, sheet = track.hit_of(hit_id).hit, track.sheet
    return cached_stroke(hit, HARDEST, 0, sheet.sample_rate, stroke_tempo(hit, sheet.bpm))


@newest(32)
def _hit_view(hit: Hit, role: PartRole, hit_id: str, sheet: Sheet, audio_key: tuple[bytes, int, int]) -> HitView:
    data, channels, lead = audio_key
    audio = np.frombuffer(data).reshape(channels, -1)
    whole = RenderedHit(audio[0] if channels == 1 else audio, lead)
    rate, bpm = sheet.sample_rate, sheet.bpm
    measured = None
    if whole.audio.size and np.any(np.abs(whole.audio) > SILENT_PEAK):
        measured = measure_hit(whole.audio, sample_rate=rate, bpm=bpm, a4_hz=sheet.a4_hz)
    note = None
    if measured is not None and measured.landing.landing_hz is not None:
        number, _ = nearest_note(measured.landing.landing_hz, sheet.a4_hz)
        note = spelled(number, sheet.tonic, sheet.scale, sheet.middle_c)
    per_layer = {
        layer.id: tuple(changes(stages_of_layer(hit, layer.id, rate, stroke_tempo(hit, bpm)), sample_rate=rate))
        for layer in hit.layers
    }
    stages = stages_of_bus(hit, rate, bpm)
    return HitView(
        id=hit_id,
        role=role,
        picture=draw_hit(hit, whole, sample_rate=rate, bpm=bpm),
        figures=None if measured is None else HitFigures.model_validate(flat_figures(measured)),
        landing_note=note,
        layer_changes=per_layer,
        bus_changes=tuple(changes(stages, sample_rate=rate)) if hit.bus else (),
        plain=_figures(stages[0], rate),
        bound=_figures(stages[-1], rate) if hit.bus else None,
        fold_loss_db=fold_loss_db(whole.audio),
        click_db=click_db(hit, sample_rate=rate, bpm=stroke_tempo(hit, bpm)),
    )


def hit_view(track: Track, hit_id: str, shown: tuple[float, float] | None = None) -> HitView:
    """What the bench draws of a hit; raises NoSuchPart where the track has none of that name."""
    one, whole = track.hit_of(hit_id), _heard(track, hit_id)
    channels = 1 if whole.audio.ndim == 1 else 2
    key = (np.ascontiguousarray(whole.audio).tobytes(), channels, whole.lead_frames)
    own = track.sheet.model_copy(update={"bars": 1, "swing_pct": 50, "owner": "kick"})
    found = _hit_view(one.hit, one.role, hit_id, own, key)
    if plays_through_layers(track, hit_id):
        moved = hit_changes(track, hit_id)
        found = found.model_copy(update={"layer_changes": moved.layers, "bus_changes": moved.bus})
    if one.hit.has_rumble:
        found = found.model_copy(update={"rumble": rumble_figures(track, one, whole)})
    if shown is None:
        return found
    rate, tempo = track.sheet.sample_rate, track.sheet.bpm
    return found.model_copy(update={"picture": draw_hit(one.hit, whole, sample_rate=rate, bpm=tempo, shown=shown)})


def strengths(track: Track, hit_id: str) -> tuple[StrengthAt, ...]:
    """How loud and bright strokes of a hit are, softest first; raises NoSuchPart where the track has none of that name."""
    return draw_strengths(track.hit_of(hit_id).hit, sample_rate=track.sheet.sample_rate, bpm=track.sheet.bpm)


def preview(track: Track, hit_id: str, hit: Hit, shown: tuple[float, float] | None = None) -> HitPicture:
    """The picture of a hit that is not stored, for a drag to follow: without the layer fit."""
    heard = track.with_hit(hit_id, hit)
    hit = heard.hit_of(hit_id).hit
    rate, tempo = track.sheet.sample_rate, track.sheet.bpm
    return draw_hit(hit, _heard(heard, hit_id), sample_rate=rate, bpm=tempo, shown=shown, quick=True)


def stroke_audio(track: Track, hit_id: str, *, velocity: int, robin: int, layer_id: str | None = None) -> Samples:
    """One stroke at its level in the loop, (frames,) or (2, frames); one layer of it alone where it is named."""
    one, sheet = track.hit_of(hit_id), track.sheet
    gain = 10 ** (one.gain_db / 20)
    if layer_id is not None:
        chosen = [layer for layer in one.hit.layers if layer.id == layer_id]
        if not chosen:
            raise NoSuchPart(f"there is no layer {layer_id!r} in this hit")
        return rendered_layers(one.hit, chosen, sample_rate=sheet.sample_rate, bpm=sheet.bpm)[0] * gain
    tempo = stroke_tempo(one.hit, sheet.bpm)
    rendered = cached_stroke(one.hit, velocity, robin, sheet.sample_rate, tempo)
    if hit_id == KICK_ID:
        return rendered.mono * gain
    return sound_set_back(rendered.audio, one.distance, sample_rate=sheet.sample_rate) * gain


def stroke_key(track: Track, hit_id: str, *, velocity: int, robin: int, layer_id: str | None) -> str:
    """Hash of what a stroke is made from: equal keys are equal audio."""
    one, sheet = track.hit_of(hit_id), track.sheet
    made_of = f"{one.hit.model_dump_json()} {one.gain_db} {sheet.sample_rate} {stroke_tempo(one.hit, sheet.bpm)}"
    made_of += f" {one.distance.model_dump_json()}"
    return hashlib.sha256(f"{made_of} {hit_id == KICK_ID} {velocity} {robin} {layer_id}".encode()).hexdigest()[:24]


def stroke_wav(track: Track, hit_id: str, *, velocity: int, robin: int, layer_id: str | None) -> bytes:
    """A stroke as a 32-bit float WAV; silence is one silent sample long."""
    audio = stroke_audio(track, hit_id, velocity=velocity, robin=robin, layer_id=layer_id)
    return wav_float(audio if audio.size else np.zeros(1), track.sheet.sample_rate)


def sound_wav(track: Track, hit_id: str, gain_db: float = 0.0) -> bytes:
    """A hit at full strength as a 32-bit float WAV."""
    audio = stroke_audio(track, hit_id, velocity=HARDEST, robin=0) * 10 ** (gain_db / 20)
    return wav_float(audio if audio.size else np.zeros(1), track.sheet.sample_rate)


def matched_wav(track: Track, hit_id: str, hit: Hit) -> bytes:
    """Another sound for a hit as a 32-bit float WAV, turned down where it is louder than the hit as it stands."""
    other = track.with_hit(hit_id, hit)
    loudness = []
    for one in (track, other):
        audio = stroke_audio(one, hit_id, velocity=HARDEST, robin=0)
        loudness.append(energy_loudness_db(audio, sample_rate=track.sheet.sample_rate) if np.any(audio) else None)
    now, new = loudness
    return sound_wav(other, hit_id, 0.0 if now is None or new is None else min(0.0, now - new))

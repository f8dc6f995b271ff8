"""Every hit of a kit on the ladder of the key: its pitch path, what it is tuned by, and where it could go."""

from __future__ import annotations

import numpy as np

from juglant.core.findings.finding import is_intended
from juglant.core.findings.tune_findings import out_of_key_id
from juglant.core.hit.root import Used
from juglant.core.loop.pitched import stroke_cents
from juglant.core.measure.landing import Verdict
from juglant.core.model.ids import CONTEXT, PartRole
from juglant.core.model.part import Part
from juglant.core.model.track import Track
from juglant.core.music.notes import cents_between, note_hz
from juglant.core.music.scales import spelled
from juglant.core.pictures.layers import column_edges, heard_frames
from juglant.core.pictures.strip import Picture, Rung, rounded, rungs
from juglant.core.synth.take import Take
from juglant.core.tune.hit_pitch import HitPitch, hit_pitch, stroke_of
from juglant.core.tune.key_limits import CHARACTER_SEMITONES, too_wide
from juglant.core.tune.retune import THERE_CENTS
from juglant.core.tune.systems import not_played_by
from juglant.core.tune.targets import School, Target, advice, is_far, off_key_cents, targets, tonic_near
from juglant.core.types import Samples

LOWEST_NOTE, HIGHEST_NOTE = 24, 67
PATH_POINTS, WAVE_COLUMNS = 160, 360
# A path further than this under its loudest point is not drawn.
SHOWN_DB = 40.0
LONGEST_SHOWN_MS = 2000.0
# Closer to its note than this nobody hears a difference: it stays as it is.
LEAST_CENTS = 1.0


class TargetView(Picture):
    """One place to land: length after playback speed in ms and beats, what does not play it, distance to the bass."""

    note: int
    name: str
    frequency_hz: float
    shift_cents: float
    shift_semitones: float
    reason: str
    speed_length_ms: float | None
    speed_length_beats: float | None
    not_played_by: tuple[str, ...]
    bass_apart_hz: float | None
    warning: str | None
    is_there: bool


class SchoolView(Picture):
    """What one school of tuning asks for."""

    school: School
    target: TargetView | None
    reason: str


class LadderPath(Picture):
    """A measured pitch path; level in dB re its loudest point."""

    time_ms: tuple[float, ...]
    pitch_hz: tuple[float, ...]
    level_db: tuple[float, ...]


class LadderWave(Picture):
    """The waveform under the path, lowest and highest in each column, and how long it is."""

    span_ms: float
    low: tuple[float, ...]
    high: tuple[float, ...]


class HitOnLadder(Picture):
    """One hit: what was measured, which figure it is tuned by, its nearest note of the key, and where it could go.

    about_hz, about_cents: around where the low energy of a hit without a landing lies, and half how wide; also_hz: a lower
    note heard as well; wide_margin_cents: the margin where it is wider than the key's limit: the note is then the nearest
    tonic, and how far off it lies is not known; stroke_cents: pitches strokes have of their own; by_notes: it is heard
    at the notes of its line alone.
    """

    id: str
    name: str
    role: PartRole
    verdict: Verdict
    confidence: float
    cycles: float
    landing_hz: float | None
    heard_hz: float | None
    about_hz: float | None
    about_cents: float | None
    also_hz: float | None
    uncertainty_cents: float | None
    drift_cents_per_s: float | None
    landed_ms: float | None
    length_ms: float | None
    used: Used
    used_hz: float | None
    note: int | None
    note_name: str | None
    note_hz: float | None
    off_cents: float | None
    wide_margin_cents: float | None
    intended: bool
    has_take: bool
    stroke_cents: tuple[float, ...]
    by_notes: bool
    path: LadderPath | None
    wave: LadderWave
    targets: tuple[TargetView, ...]
    schools: tuple[SchoolView, ...]


class Ladder(Picture):
    """The rungs of the key and every hit on them.

    look_cents: further off its rung a hit is out of key; to_tune: the hits that are worth moving; moved by more than
    character_semitones a hit changes character.
    """

    rungs: tuple[Rung, ...]
    hits: tuple[HitOnLadder, ...]
    look_cents: float
    character_semitones: float
    to_tune: tuple[str, ...]


def _target_view(target: Target, bpm: float) -> TargetView:
    semitones = target.shift_cents / 100
    warning = None
    if is_far(target.shift_cents):
        warning = (
            f"{abs(semitones):.1f} semitones: beyond {CHARACTER_SEMITONES} a hit changes character (this project's choice)"
        )
    length = target.length_ms
    return TargetView(
        note=target.note,
        name=target.name,
        frequency_hz=round(target.frequency_hz, 3),
        shift_cents=round(target.shift_cents, 2),
        shift_semitones=round(semitones, 3),
        reason=target.reason,
        speed_length_ms=None if length is None else round(length, 1),
        speed_length_beats=None if length is None else round(length * bpm / 60000, 3),
        not_played_by=not_played_by(target.frequency_hz),
        bass_apart_hz=None if target.bass_apart_hz is None else round(target.bass_apart_hz, 2),
        warning=warning,
        is_there=abs(target.shift_cents) < THERE_CENTS,
    )


def _path(pitch: HitPitch) -> LadderPath | None:
    path = pitch.landing.path
    if path is None:
        return None
    level = path.level_db - path.level_db.max()
    shown = np.flatnonzero((level > -SHOWN_DB) & (path.time_s * 1000 < LONGEST_SHOWN_MS))
    if shown.size > PATH_POINTS:
        shown = shown[np.unique(np.linspace(0, shown.size - 1, PATH_POINTS).astype(int))]
    return LadderPath(
        time_ms=rounded(1000 * path.time_s[shown] - pitch.lead_ms, 2),
        pitch_hz=rounded(path.pitch_hz[shown], 3),
        level_db=rounded(level[shown], 1),
    )


def _wave(audio: Samples, lead_ms: float, sample_rate: int) -> LadderWave:
    shown = audio[round(lead_ms * sample_rate / 1000) :][: round(LONGEST_SHOWN_MS * sample_rate / 1000)]
    shown = shown[: heard_frames(shown)]
    if shown.size < 2:
        return LadderWave(span_ms=0.0, low=(), high=())
    edges = column_edges(shown.size, WAVE_COLUMNS)
    return LadderWave(
        span_ms=round(1000 * shown.size / sample_rate, 2),
        low=rounded(np.minimum.reduceat(shown, edges)),
        high=rounded(np.maximum.reduceat(shown, edges)),
    )


def _on_ladder(track: Track, one: Part) -> HitOnLadder:
    sheet, pitch = track.sheet, hit_pitch(track, one)
    landing, hz = pitch.landing, pitch.used_hz
    number, off = off_key_cents(track, hz) if hz is not None else (None, None)
    wide = pitch.used in ("landing", "heard") and too_wide(track, landing.uncertainty_cents)
    if hz is not None and wide:
        # Which note is nearest is not known: the tonic first.
        number = tonic_near(hz, sheet)
        off = cents_between(hz, note_hz(number, sheet.a4_hz))
    is_kick = one.role == "kick"
    places: list[Target] = [] if hz is None else targets(track, hz, length_ms=pitch.length_ms, is_kick=is_kick)
    schools = [] if hz is None else advice(track, hz, length_ms=pitch.length_ms, is_kick=is_kick)
    return HitOnLadder(
        id=one.id,
        name=one.name,
        role=one.role,
        verdict=landing.verdict,
        confidence=round(landing.confidence, 3),
        cycles=round(landing.cycles, 2),
        landing_hz=landing.landing_hz,
        heard_hz=landing.heard_hz,
        about_hz=landing.about_hz,
        about_cents=landing.about_cents,
        also_hz=landing.also_hz,
        uncertainty_cents=landing.uncertainty_cents,
        drift_cents_per_s=landing.drift_cents_per_s,
        landed_ms=landing.landed_ms,
        length_ms=pitch.length_ms,
        used=pitch.used,
        used_hz=hz,
        note=number,
        note_name=None if number is None else spelled(number, sheet.tonic, sheet.scale, sheet.middle_c),
        note_hz=None if number is None else round(note_hz(number, sheet.a4_hz), 3),
        off_cents=None if off is None else round(off, 2),
        wide_margin_cents=landing.uncertainty_cents if wide else None,
        intended=off is not None and is_intended(track, out_of_key_id(one.id), abs(off)),
        has_take=any(isinstance(layer.source, Take) for layer in one.hit.layers),
        stroke_cents=tuple(sorted({cents for stroke in one.strokes if (cents := stroke_cents(track, one, stroke))})),
        by_notes=bool(one.strokes) and all(stroke.note is not None for stroke in one.strokes),
        path=_path(pitch),
        wave=_wave(stroke_of(track, one)[0], pitch.lead_ms, sheet.sample_rate),
        targets=tuple(_target_view(target, sheet.bpm) for target in places),
        schools=tuple(
            SchoolView(
                school=each.school,
                target=None if each.target is None else _target_view(each.target, sheet.bpm),
                reason=each.reason,
            )
            for each in schools
        ),
    )


def draw_ladder(track: Track) -> Ladder:
    """Every hit of a track, measured as rendered."""
    sheet = track.sheet
    hits = tuple(_on_ladder(track, one) for one in track.hits() if one.role != CONTEXT)
    return Ladder(
        rungs=rungs(sheet, LOWEST_NOTE, HIGHEST_NOTE),
        hits=hits,
        character_semitones=CHARACTER_SEMITONES,
        look_cents=track.limits.key_look_cents,
        to_tune=tuple(nearest_moves(hits)),
    )


def nearest_moves(hits: tuple[HitOnLadder, ...]) -> dict[str, float]:
    """Where every pitched hit that is off its nearest note of the key would go, Hz by hit; what is intended stays.

    What is known no better than it is off stays too: nobody could say that it was brought nearer.
    """
    return {
        one.id: one.note_hz
        for one in hits
        if one.note_hz is not None and one.off_cents is not None and not one.intended and not one.by_notes
        if abs(one.off_cents) >= max(LEAST_CENTS, one.wide_margin_cents or 0.0)
    }

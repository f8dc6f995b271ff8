"""Every figure the screens show, as one typed document with units in its keys."""

from __future__ import annotations

from juglant.core.analysis.analyse import Analysis, Levels
from juglant.core.findings.finding import Finding, LimitKind, Severity, Step, Topic
from juglant.core.loop.bass_line import note_sound
from juglant.core.loop.kick_stem import cached_hit
from juglant.core.measure.hit import flat_figures
from juglant.core.model.carve import Move, Order, Phase
from juglant.core.model.duck import Duck
from juglant.core.model.sheet import Sheet
from juglant.core.music.notes import nearest_note
from juglant.core.music.scales import spelled
from juglant.core.music.tempo import beat_ms, tempo_table
from juglant.core.plans.room_duck import share_of
from juglant.core.reports.figures import Figures
from juglant.core.reports.report_clearance import ClearanceFigures, clearance_figures, short_of
from juglant.core.reports.report_room import RoomFigures, room_figures
from juglant.core.separate.filters import carve_sections, mirrored, yielder
from juglant.core.separate.pre_ring import PreRing, pre_ring
from juglant.core.tune.key_limits import too_wide
from juglant.core.tune.targets import off_key_cents, targets


class HitFigures(Figures):
    """One hit as measured; the keys of the command line's `measure`."""

    onset_ms: float
    landing_hz: float | None
    heard_hz: float | None
    verdict: str
    uncertainty_cents: float | None
    also_hz: float | None = None
    note: str | None
    cents: float | None
    confidence: float
    cycles: float
    drift_cents_per_s: float | None
    sweep_semitones: float | None
    sweep_ms: float | None
    length_ms: float | None
    length_silent_ms: float | None
    t60_ms: float | None
    attack_ms: float | None
    click_db: float | None
    peak_db: float | None
    true_peak_db: float | None
    loudness_lufs: float | None
    dc: float
    zones: dict[str, float | None]


class NoteValueFigures(Figures):
    """One row of the tempo table."""

    name: str
    form: str
    beats: float
    ms: float
    hz: float
    samples: float


class TargetFigures(Figures):
    """One place the kick could land."""

    note: str
    number: int
    frequency_hz: float
    shift_cents: float
    reason: str


class Tuning(Figures):
    """The landing against the key; `landing_note` is its nearest note as this key and octave naming spell it.

    wide_margin_cents: the margin where it is wider than the key's limit, and the distance is not to be read.
    """

    landing_note: str
    nearest_scale_note: str
    off_key_cents: float
    wide_margin_cents: float | None
    targets: tuple[TargetFigures, ...]


class BeatingFigures(Figures):
    """The pair of partials that beats most."""

    beats_heard: float
    kick_hz: float
    bass_hz: float
    at_beats: float
    overlap_ms: float


class CarveFigures(Figures):
    """The carve as applied, what it reaches alone, and what rings ahead of the first note (or the kick) at linear phase."""

    on: bool
    moves: tuple[Move, ...]
    kick_moves: tuple[Move, ...]
    share_pct: float
    order: Order
    depth_limit_db: float
    lift_limit_db: float
    mirror_pct: float
    mirror_moves: tuple[Move, ...]
    kick_pass_on: bool
    kick_pass_hz: float
    kick_pass_q: float
    phase: Phase
    floor_on: bool
    floor_hz: float
    yielder: str
    carved_clearance_db: float | None
    carved_short_db: float | None
    pre_ring_db: float | None
    pre_ring_ms: float | None


class LateNoteFigures(Figures):
    """A kept note at which the bass is still down."""

    at_beats: float
    down_db: float


class DuckFigures(Figures):
    """The duck's times in beats and its guards; its settings are the track's."""

    settings: Duck
    fall_beats: float
    hold_beats: float
    return_beats: float
    start_click_db: float | None
    low_note_distortion_db: float | None
    pile_up_db: float | None
    pumping_db: float
    late_notes: tuple[LateNoteFigures, ...]


class SheetFigures(Sheet):
    """The sheet with what follows from its tempo."""

    beat_ms: float
    longest_uncut_kick_ms: float


class FindingFigures(Figures):
    """One finding, its fixes by name."""

    id: str
    step: Step
    topic: Topic | None
    severity: Severity
    title: str
    reason: str
    value: float | None
    unit: str
    limit: float | None
    limit_kind: LimitKind
    place_beats: float | None
    hit_id: str | None
    intended: bool
    fixes: tuple[str, ...]


class Report(Figures):
    """All figures of a track."""

    name: str
    sheet: SheetFigures
    tempo_table: tuple[NoteValueFigures, ...]
    kick: HitFigures | None
    tuning: Tuning | None
    bass_notes_hz: dict[str, float]
    beating: BeatingFigures | None
    clearance: ClearanceFigures
    carve: CarveFigures
    room: RoomFigures | None
    duck: DuckFigures
    levels: Levels
    findings: tuple[FindingFigures, ...]


def _finding(finding: Finding) -> FindingFigures:
    document = finding.model_dump(exclude={"fixes"})
    return FindingFigures(**document, fixes=tuple(fix.label for fix in finding.fixes))


def _tuning(found: Analysis) -> Tuning | None:
    landing = found.kick.landing.landing_hz if found.kick else None
    if landing is None or found.kick is None:
        return None
    margin = found.kick.landing.uncertainty_cents
    sheet = found.track.sheet
    number, cents = off_key_cents(found.track, landing)
    own, _ = nearest_note(landing, sheet.a4_hz)
    return Tuning(
        landing_note=spelled(own, sheet.tonic, sheet.scale, sheet.middle_c),
        nearest_scale_note=spelled(number, sheet.tonic, sheet.scale, sheet.middle_c),
        off_key_cents=cents,
        wide_margin_cents=margin if too_wide(found.track, margin) else None,
        targets=tuple(
            TargetFigures(
                note=t.name, number=t.note, frequency_hz=t.frequency_hz, shift_cents=t.shift_cents, reason=t.reason
            )
            for t in targets(found.track, landing)
        ),
    )


def _duck(found: Analysis) -> DuckFigures:
    duck, guards, beat = found.track.duck, found.guards, beat_ms(found.track.sheet.bpm)
    return DuckFigures(
        settings=duck,
        fall_beats=duck.fall_ms / beat,
        hold_beats=duck.hold_ms / beat,
        return_beats=duck.return_ms / beat,
        start_click_db=guards.start_click_db,
        low_note_distortion_db=guards.low_note_distortion_db,
        pile_up_db=guards.pile_up_db,
        pumping_db=guards.pumping_db,
        late_notes=tuple(LateNoteFigures(**vars(one)) for one in guards.late_notes),
    )


# The note whose start is asked for what rings ahead of it.
RING_NOTE_S = 0.6


def _ringing(found: Analysis) -> PreRing | None:
    """What the carve lets ring ahead of the yielder's sound: the line's lowest note, or the kick."""
    track, rate = found.track, found.track.sheet.sample_rate
    part = yielder(track.sheet.owner)
    sections = carve_sections(track, part)
    if track.carve.phase != "linear" or not len(sections):
        return None
    if part == "kick":
        return pre_ring(cached_hit(track.kick, rate, track.sheet.bpm).audio, sections, sample_rate=rate)
    notes = track.notes()
    if not notes or track.bass.source == "recorded line":
        return None
    sound = note_sound(track, min(note.note for note in notes), round(RING_NOTE_S * rate))
    return pre_ring(sound, sections, sample_rate=rate)


def report(found: Analysis, findings: list[Finding]) -> Report:
    """The whole report of a track."""
    track, sheet = found.track, found.track.sheet
    beating, beat, ringing = found.beating, beat_ms(sheet.bpm), _ringing(found)
    return Report(
        name=track.name,
        sheet=SheetFigures(**sheet.model_dump(), beat_ms=beat, longest_uncut_kick_ms=beat),
        tempo_table=tuple(NoteValueFigures(**vars(row)) for row in tempo_table(sheet.bpm, sheet.sample_rate)),
        kick=None if found.kick is None else HitFigures.model_validate(flat_figures(found.kick)),
        tuning=_tuning(found),
        bass_notes_hz={spelled(n, sheet.tonic, sheet.scale, sheet.middle_c): hz for n, hz in found.note_hz.items()},
        beating=None
        if beating is None
        else BeatingFigures(
            beats_heard=beating.beats,
            kick_hz=beating.kick_hz,
            bass_hz=beating.bass_hz,
            at_beats=beating.at_beats,
            overlap_ms=1000 * beating.overlap_s,
        ),
        clearance=clearance_figures(found.clearance),
        carve=CarveFigures(
            **track.carve.model_dump(exclude={"aim", "kick_moves", "share_pct", "kick_share_pct"}),
            share_pct=100 * share_of(track),
            kick_moves=track.carve.kick_moves if sheet.owner == "zones" else (),
            yielder=yielder(sheet.owner),
            mirror_moves=mirrored(track),
            carved_clearance_db=found.carved_clearance_db,
            carved_short_db=short_of(found.clearance.goal, found.carved_clearance_db),
            pre_ring_db=None if ringing is None else ringing.level_db,
            pre_ring_ms=None if ringing is None else ringing.length_ms,
        ),
        room=room_figures(found),
        duck=_duck(found),
        levels=found.levels,
        findings=tuple(_finding(finding) for finding in findings),
    )

"""Every figure the screens show, as one document with units in its keys."""

from __future__ import annotations

from typing import Any

from juglant.core.findings.finding import Finding
from juglant.core.measure.bands import zone_of
from juglant.core.measure.hit import flat_figures
from juglant.core.mix.analyse import Analysis
from juglant.core.music.scales import spelled
from juglant.core.music.tempo import beat_ms, tempo_table
from juglant.core.separate.clearance import Clearance
from juglant.core.separate.filters import yielder
from juglant.core.tune.targets import off_key_cents, targets


def clearance_report(clearance: Clearance) -> dict[str, Any]:
    """The clearance as figures."""
    return {
        "owner": clearance.owner,
        "goal_db": clearance.goal.db,
        "goal_kind": clearance.goal.kind,
        "split_hz": clearance.goal.split_hz,
        "before_db": clearance.before_db,
        "after_db": clearance.after_db,
        "short_db": clearance.short_db,
        "reason": clearance.reason,
        "bands": [
            {
                "centre_hz": band.centre_hz,
                "zone": zone_of(band.centre_hz),
                "contested": band.contested,
                "judged": band.judged,
                "before_db": band.before_db,
                "after_db": band.after_db,
            }
            for band in clearance.bands
        ],
    }


def finding_report(finding: Finding) -> dict[str, Any]:
    """A finding as figures, its fixes by name only."""
    document = finding.model_dump(mode="json", exclude={"fixes"})
    document["fixes"] = [fix.label for fix in finding.fixes]
    return document


def report(found: Analysis, findings: list[Finding]) -> dict[str, Any]:
    """The whole report of a track."""
    track, sheet = found.track, found.track.sheet
    levels, guards, duck = found.levels, found.guards, found.track.duck
    kick: dict[str, Any] | None = None
    tuning: dict[str, Any] | None = None
    if found.kick is not None:
        kick = flat_figures(found.kick)
        landing = found.kick.landing.landing_hz
        if landing is not None:
            number, cents = off_key_cents(track, landing)
            tuning = {
                "nearest_scale_note": spelled(number, sheet.tonic, sheet.scale, sheet.middle_c),
                "off_key_cents": cents,
                "targets": [
                    {"note": t.name, "frequency_hz": t.frequency_hz, "shift_cents": t.shift_cents, "reason": t.reason}
                    for t in targets(track, landing)
                ],
            }
    beating = found.beating
    beat = beat_ms(sheet.bpm)
    return {
        "name": track.name,
        "sheet": {**sheet.model_dump(mode="json"), "beat_ms": beat, "longest_uncut_kick_ms": beat},
        "tempo_table": [
            {"name": row.name, "form": row.form, "beats": row.beats, "ms": row.ms, "hz": row.hz, "samples": row.samples}
            for row in tempo_table(sheet.bpm, sheet.sample_rate)
        ],
        "kick": kick,
        "tuning": tuning,
        "bass_notes_hz": {spelled(n, sheet.tonic, sheet.scale, sheet.middle_c): hz for n, hz in found.note_hz.items()},
        "beating": None
        if beating is None
        else {
            "beats_heard": beating.beats,
            "kick_hz": beating.kick_hz,
            "bass_hz": beating.bass_hz,
            "at_beats": beating.at_beats,
            "overlap_ms": 1000 * beating.overlap_s,
        },
        "clearance": clearance_report(found.clearance),
        "carve": {
            **track.carve.model_dump(mode="json"),
            "yielder": yielder(sheet.owner),
            "carved_clearance_db": found.carved_clearance_db,
        },
        "duck": {
            **duck.model_dump(mode="json"),
            "fall_beats": duck.fall_ms / beat,
            "hold_beats": duck.hold_ms / beat,
            "return_beats": duck.return_ms / beat,
            "start_click_db": guards.start_click_db,
            "low_note_distortion_db": guards.low_note_distortion_db,
            "pile_up_db": guards.pile_up_db,
            "pumping_db": guards.pumping_db,
            "late_notes": [{"at_beats": one.at_beats, "down_db": one.down_db} for one in guards.late_notes],
        },
        "levels": {name: getattr(levels, name) for name in levels.__dataclass_fields__},
        "findings": [finding_report(finding) for finding in findings],
    }

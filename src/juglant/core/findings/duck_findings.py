"""Findings of the duck."""

from __future__ import annotations

from juglant.core.findings.finding import Finding, Fix
from juglant.core.mix.analyse import Analysis
from juglant.core.model.duck import Duck
from juglant.core.model.track import Track

SHORTEST_RETURN_MS = 20.0
PUMPING_DB = 6.0
FALL_STEP_MS = 4.0


def _with(track: Track, duck: Duck, **changes: float) -> Track:
    return track.model_copy(update={"duck": duck.model_copy(update=changes)})


def not_back(found: Analysis) -> list[Finding]:
    """The bass is still down at a note that should be heard whole."""
    late = found.guards.late_notes
    if not late:
        return []
    track, duck = found.track, found.track.duck
    worst = max(late, key=lambda one: one.down_db)
    beat_ms = 60_000 / track.sheet.bpm
    room = min(one.recovery_s for one in found.strokes) * 1000
    hold = max(0.0, min(duck.hold_ms, room - SHORTEST_RETURN_MS))
    back = max(SHORTEST_RETURN_MS, round(room - hold - 0.1, 1))
    return [
        Finding(
            id="duck-not-back",
            step="duck",
            severity="look",
            title="The duck is not back in time",
            reason=f"The bass is {worst.down_db:.1f} dB down at the note on beat {worst.at_beats + 1:g}; {len(late)} such.",
            value=worst.down_db,
            unit="dB",
            limit=track.limits.not_back_db,
            limit_kind="this project's choice",
            place_beats=worst.at_beats,
            fixes=(
                Fix(
                    label=f"Be back after {room / beat_ms:.2f} beat",
                    track=_with(track, duck, hold_ms=round(hold, 1), return_ms=back),
                ),
            ),
        )
    ]


def start_click(found: Analysis) -> list[Finding]:
    """The curve falls so fast that the low bass clicks."""
    click, track = found.guards.start_click_db, found.track
    if click is None or click <= track.limits.start_click_db:
        return []
    duck = track.duck
    fall = min(60.0, duck.fall_ms + FALL_STEP_MS)
    ahead = min(120.0, duck.lookahead_ms + fall - duck.fall_ms)
    return [
        Finding(
            id="start-click",
            step="duck",
            severity="look",
            title="The duck clicks",
            reason=f"Its corners add energy above 1 kHz to the low bass; a {duck.fall_ms:.1f} ms fall is fast here.",
            value=click,
            unit="dB",
            limit=track.limits.start_click_db,
            limit_kind="this project's choice",
            fixes=(Fix(label=f"Fall in {fall:.0f} ms", track=_with(track, duck, fall_ms=fall, lookahead_ms=ahead)),),
        )
    ]


def distortion(found: Analysis) -> list[Finding]:
    """The return is so fast that a low note is bent."""
    value, track = found.guards.low_note_distortion_db, found.track
    if value is None or value <= track.limits.low_note_distortion_db:
        return []
    longer = min(1500.0, round(track.duck.return_ms * 1.5, 1))
    return [
        Finding(
            id="low-note-distortion",
            step="duck",
            severity="look",
            title="The return bends low notes",
            reason="It is short against one cycle of the lowest bass note.",
            value=value,
            unit="dB",
            limit=track.limits.low_note_distortion_db,
            limit_kind="this project's choice",
            fixes=(Fix(label=f"Return in {longer:.0f} ms", track=_with(track, track.duck, return_ms=longer)),),
        )
    ]


def pumping(found: Analysis) -> list[Finding]:
    """From this depth the duck is heard as groove."""
    depth = found.guards.pumping_db
    if depth < PUMPING_DB:
        return []
    return [
        Finding(
            id="pumping", step="duck", severity="note", title="The duck is heard as groove",
            reason="From about 6 dB the way the bass swells back is heard as rhythm.", value=depth, unit="dB",
            limit=PUMPING_DB, limit_kind="this project's choice",
        )
    ]  # fmt: skip


FINDERS = (not_back, start_click, distortion, pumping)

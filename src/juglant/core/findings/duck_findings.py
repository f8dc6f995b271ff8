"""Findings of the duck."""

from __future__ import annotations

from juglant.core.duck.curve import rows_to_gain
from juglant.core.duck.targets import gain_rows
from juglant.core.findings.finding import Finding, Fix
from juglant.core.findings.hit_findings import shortened
from juglant.core.measure.bands import low_band_frames
from juglant.core.mix.analyse import Analysis
from juglant.core.model.duck import Duck
from juglant.core.model.sheet import BEATS_PER_BAR
from juglant.core.model.track import Track
from juglant.core.separate.clearance import kick_clearance

SHORTEST_RETURN_MS = 20.0
FALL_STEP_MS, SHORTEST_RATIO = 4.0, 0.2
# Frames are 20 ms: less than half of one uncovered is nothing; nor is a clearance lost by less than this.
LEAST_UNCOVERED_MS, LEAST_COST_DB = 10.0, 0.5


def _with(track: Track, duck: Duck, **changes: float | None) -> Track:
    return track.model_copy(update={"duck": duck.model_copy(update=changes)})


def _back_within(duck: Duck, room_ms: float) -> tuple[float, float]:
    """Hold and return in ms that end within a time after the key hit; the hold gives way first."""
    hold_ms = max(0.0, min(duck.hold_ms, room_ms - SHORTEST_RETURN_MS))
    return hold_ms, max(SHORTEST_RETURN_MS, round(room_ms - hold_ms - 0.1, 1))


def not_back(found: Analysis) -> list[Finding]:
    """The bass is still down at a note that should be heard whole."""
    late = found.guards.late_notes
    if not late:
        return []
    track, duck = found.track, found.track.duck
    worst = max(late, key=lambda one: one.down_db)
    beat_ms = 60_000 / track.sheet.bpm
    room = min(one.recovery_s for one in found.strokes) * 1000
    hold, back = _back_within(duck, room)
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
    depth, limit = found.guards.pumping_db, found.track.limits.pumping_db
    if depth < limit:
        return []
    return [
        Finding(
            id="pumping", step="duck", severity="note", title="The duck is heard as groove",
            reason=f"From about {limit:g} dB the way the bass swells back is heard as rhythm.", value=depth, unit="dB",
            limit=limit, limit_kind="this project's choice",
        )
    ]  # fmt: skip


def pile_up(found: Analysis) -> list[Finding]:
    """The bass is not back when the next kick comes: it never is."""
    down, duck, limit = found.guards.pile_up_db, found.track.duck, found.track.limits.pile_up_db
    if down is None or down <= limit:
        return []
    room = min(one.next_hit_s - one.hit_s for one in found.strokes) * 1000 - duck.lookahead_ms
    hold, back = _back_within(duck, room)
    return [
        Finding(
            id="pile-up",
            step="duck",
            severity="look",
            title="The duck piles up",
            reason="The next kick comes before the bass is back; its level sags over the bar.",
            value=down,
            unit="dB",
            limit=limit,
            limit_kind="this project's choice",
            fixes=(
                Fix(
                    label=f"Return in {back:.0f} ms",
                    track=_with(found.track, duck, hold_ms=round(hold, 1), return_ms=back),
                ),
            ),
        )
    ]


def level_jump(found: Analysis) -> list[Finding]:
    """The bass gets louder where the kick that keys it rests."""
    jump, limit, track = found.guards.level_jump_lu, found.track.limits.level_jump_lu, found.track
    if jump is None or jump <= limit:
        return []
    losses = found.guards.bar_losses_lu
    heard = [(loss, i) for i, loss in enumerate(losses) if loss is not None]
    bar = max(heard)[1] if heard else 0
    silent = track.duck.key.model_copy(update={"kind": "trigger"})
    fixes: tuple[Fix, ...] = ()
    if track.duck.key.kind == "kick":
        fixed = track.model_copy(update={"duck": track.duck.model_copy(update={"key": silent})})
        fixes = (Fix(label="Key it by the silent trigger", track=fixed),)
    return [
        Finding(
            id="level-jump",
            step="duck",
            severity="look",
            title="The bass jumps where the kick rests",
            reason=f"Bar {bar + 1} has fewer keys: the duck takes less there, and the bass is louder by this.",
            value=jump,
            unit="LU",
            limit=limit,
            limit_kind="this project's choice",
            place_beats=float(BEATS_PER_BAR * bar),
            fixes=fixes,
        )
    ]


def uncovered(found: Analysis) -> list[Finding]:
    """The kick needs room for longer than the recovery point leaves."""
    track, duck = found.track, found.track.duck
    if not duck.on or duck.depth_db <= 0 or not found.strokes:
        return []
    late_s, latest_s = max(one.end_s for one in found.strokes), min(one.recovery_s for one in found.strokes)
    over_ms = 1000 * (late_s - (latest_s - SHORTEST_RETURN_MS / 1000))
    after = found.clearance.after_db
    # The recovery point wins only where the curve gives way to it.
    if over_ms <= LEAST_UNCOVERED_MS or after is None or duck.hold_ms / 1000 > late_s - LEAST_UNCOVERED_MS / 1000:
        return []
    rate = track.sheet.sample_rate
    whole = _with(track, duck, hold_ms=round(1000 * late_s, 1))
    bass = found.stems.bass_unducked
    held = bass * rows_to_gain(gain_rows(whole, bass.size), bass.size, sample_rate=rate)
    reach = kick_clearance(found.table.kick, low_band_frames(held, sample_rate=rate), found.contest)
    cost = 0.0 if reach is None else max(0.0, reach - after)
    length_ms = found.kick.timing.length_ms if found.kick else None
    # A kick that is cut by the next one is longer than its active part.
    ratio = (1000 * late_s - over_ms) / max(1000 * late_s, 0.7 * (length_ms or 0.0))
    shorter = shortened(track.kick, max(SHORTEST_RATIO, ratio))
    later = round((late_s + SHORTEST_RETURN_MS / 1000) * track.sheet.bpm / 60 + 0.005, 2)
    return [
        Finding(
            id="duck-uncovered",
            step="duck",
            severity="look" if cost > LEAST_COST_DB else "note",
            title="The kick sounds on after the bass must be back",
            reason=f"{over_ms:.0f} ms of it are not covered by the duck; this is the clearance that costs.",
            value=cost,
            unit="dB",
            limit=LEAST_COST_DB,
            limit_kind="this project's choice",
            fixes=(
                Fix(label="Shorten the kick", track=track.model_copy(update={"kick": shorter})),
                Fix(label=f"Recover after {later:g} beats", track=_with(track, duck, recovery_beats=later)),
            ),
        )
    ]


FINDERS = (not_back, pile_up, level_jump, uncovered, start_click, distortion, pumping)

"""Findings of what making room changed besides the clearance, and of plans that are older than their aim."""

from __future__ import annotations

import numpy as np

from juglant.core.analysis.analyse import Analysis
from juglant.core.analysis.carve_share import active_share, cheapest_share
from juglant.core.analysis.duck_aims import part_title
from juglant.core.analysis.part_duck import lowest_hz
from juglant.core.duck.curve import starts_s
from juglant.core.findings import solving
from juglant.core.findings.finding import Finding, Fix, Severity, Step
from juglant.core.model.carve import NO_AIM
from juglant.core.model.duck import DUCK_AIM
from juglant.core.model.ids import BASS_PART, KICK_ID
from juglant.core.model.part import Part
from juglant.core.model.track import Track, lowest_note_hz
from juglant.core.parameter.fields import within
from juglant.core.plans.computed_for import own_curve
from juglant.core.plans.duck_return import shortest_return_ms
from juglant.core.plans.returns import spared_curve
from juglant.core.separate.filters import move_sections, yielder
from juglant.core.separate.phase import measure_phase
from juglant.core.signal.filters import response

# A kick that is there for more of the time than this leaves little for the bass, whatever is planned.
GREEDY_SHARE = 0.6
# What a planned carve may at most do is over by no more than what is rounded away.
ROUNDED_DB = 0.1
# Notes that start with the kick lose so much more than those in its gaps before it is said, LU.
WITH_KICK_LU = 3.0
NEAR_MS = 0.5
# Another start of the bass is offered where it wins so much.
WON_DB = 0.3


def _finding(
    name: str, severity: Severity, title: str, reason: str, value: float, unit: str, limit: float, *fixes: Fix,
    step: Step = "separate",
) -> Finding:  # fmt: skip
    return Finding(
        id=name,
        step=step,
        severity=severity,
        title=title,
        reason=reason,
        value=value,
        unit=unit,
        limit=limit,
        limit_kind="this project's choice",
        fixes=fixes,
    )


def _cheapest(found: Analysis) -> Fix:
    """The share that costs least, taken and planned."""
    pct = round(100 * cheapest_share(found))
    carve = found.track.carve.model_copy(update={"share_pct": float(pct)})
    return Fix(
        label=f"Take the cheapest share, {pct} %", track=found.track.model_copy(update={"carve": carve}), solve=solving.room
    )


def carve_cost(found: Analysis) -> list[Finding]:
    """A carve that shifts low against middle, drives the notes apart or takes loudness, over its limits."""
    room, track = found.room, found.track
    if room is None or not (track.carve.on and (track.carve.moves or track.carve.kick_moves)):
        return []
    part, limits = yielder(track.sheet.owner), track.limits
    fixes = (_cheapest(found),) if part == "bass" and found.clearance.before_db is not None else ()
    out = []
    if room.low_middle_db is not None and abs(room.low_middle_db) > limits.low_middle_db:
        out.append(
            _finding(
                "carve-tilts", "look", "The carve turns low against middle over",
                f"Of the {part}, 25 to 100 Hz against 126 to 251 Hz moves by this.", room.low_middle_db, "dB",
                -limits.low_middle_db if room.low_middle_db < 0 else limits.low_middle_db, *fixes,
            )
        )  # fmt: skip
    if room.spread_lu is not None and room.spread_lu > limits.notes_apart_lu:
        out.append(
            _finding(
                "notes-apart", "look", "The carve drives the notes apart",
                f"Loudest against quietest: {room.spread_before_lu:.1f} LU before, {room.spread_after_lu:.1f} LU carved.",
                room.spread_lu, "LU", limits.notes_apart_lu, *fixes,
            )
        )  # fmt: skip
    if room.lost_lu is not None and room.lost_lu > limits.carve_loss_lu:
        out.append(
            _finding(
                "carve-takes", "note", f"The carve takes loudness of the {part}",
                "So much of it is gone when it plays alone, un-ducked.", room.lost_lu, "LU", limits.carve_loss_lu, *fixes,
            )
        )  # fmt: skip
    if room.kick_lost_lu is not None and room.kick_lost_lu > limits.carve_loss_lu:
        punch = "" if room.kick_punch_db is None else f" Its punch, 56 to 180 Hz, changes by {room.kick_punch_db:.1f} dB."
        out.append(
            _finding(
                "carve-takes-kick", "look", "The bass's zones take loudness of the kick",
                f"So much of it is gone where zones are the bass's.{punch}", room.kick_lost_lu, "LU", limits.carve_loss_lu,
            )
        )  # fmt: skip
    return out


def thinner_sum(found: Analysis) -> list[Finding]:
    """Kick and bass add up worse than before: filters turn phase."""
    room, track = found.room, found.track
    made = (track.carve.on and (track.carve.moves or track.carve.kick_moves)) or track.duck.on or track.carve.kick_pass_on
    if room is None or room.summing_before_db is None or room.summing_after_db is None or not made:
        return []
    lost, limit = room.summing_before_db - room.summing_after_db, track.limits.thin_sum_db
    if lost <= limit:
        return []
    fixes: tuple[Fix, ...] = ()
    if track.carve.on and track.carve.phase == "minimum":
        linear = track.carve.model_copy(update={"phase": "linear"})
        fixes = (Fix(label="Carve at linear phase", track=track.model_copy(update={"carve": linear}), solve=solving.room),)
    fixes = (*fixes, *_moved_start(found))
    return [
        _finding(
            "thin-sum", "look", "Kick and bass add up worse than before",
            f"Their sum was {room.summing_before_db:.1f} dB of perfect and is {room.summing_after_db:.1f} dB: filters turn "
            "phase. Linear phase, or another bass start (Kick and bass together), wins it back.",
            lost, "dB", limit, *fixes,
        )
    ]  # fmt: skip


def _moved_start(found: Analysis) -> tuple[Fix, ...]:
    """The bass started where the two add up best, and turned over where that is better; none where little is won."""
    track, stems = found.track, found.stems
    if found.contest.reason is not None:
        return ()
    meet = measure_phase(stems.kick, stems.bass_unducked, found.contest.active_any(), sample_rate=track.sheet.sample_rate)
    if meet is None or meet.best.summing_db - meet.now.summing_db < WON_DB:
        return ()
    shift = within(Part, "shift_ms", track.bass_part.shift_ms + meet.shift_ms)
    turned = track.bass_part.inverted != meet.inverted
    label = f"Bass start at {shift:.1f} ms" + (", turned over" if meet.inverted else "")
    return (Fix(label=label, track=track.with_part(BASS_PART, shift_ms=shift, inverted=turned)),)


def older_plans(found: Analysis) -> list[Finding]:
    """A stored carve or duck that was not computed for what one is computed for today: it sounds as it did."""
    track, out = found.track, []
    carve = track.carve
    if carve.on and carve.moves and carve.aim == NO_AIM:
        rate = track.sheet.sample_rate
        hz = np.geomspace(20, 2000, 300)
        level = 20 * np.log10(np.abs(response(move_sections(carve.moves, sample_rate=rate), hz, sample_rate=rate)))
        from_hz = (lowest_note_hz(track) or 20.0) if yielder(track.sheet.owner) == "bass" else 20.0
        deepest, highest = float(level[hz >= from_hz].min()), float(level.max())
        over = max(-deepest - carve.depth_limit_db, highest - max(0.3, carve.lift_limit_db))
        if over > ROUNDED_DB:
            out.append(
                _finding(
                    "older-carve", "note", "This carve goes further than one that is computed now",
                    f"By hand, or by an older aim, it cuts {-deepest:.1f} dB and lifts {highest:.1f} dB. It sounds as it "
                    "did; computed now it would only cut, softly, with the notes in balance.",
                    over, "dB", 0.0, Fix(label="Plan carve and duck anew", solve=solving.room),
                )
            )  # fmt: skip
    for part in (one.id for one in track.parts):
        own = own_curve(track, part)
        if own is None or not own.on or own.fitted is None or own.fitted.aim == DUCK_AIM:
            continue
        early = max(0.0, -1000 * starts_s(own))
        out.append(
            _finding(
                "older-duck" if part == BASS_PART else f"older-duck-{part}", "note",
                f"{part_title(track, part)}: this duck was computed for an older aim",
                f"It begins {early:.0f} ms before the kick and comes back in {own.return_ms:.0f} ms. It sounds as it did, "
                "and is not fitted again by itself.",
                early, "ms", own.fall_ms + 2, Fix(label="Compute it anew", solve=solving.duck_of(part)), step="duck",
            )
        )  # fmt: skip
    return out


def _known(track: Track, part: str) -> bool:
    return part in (BASS_PART, KICK_ID) or any(one.id == part for one in track.kit)


def greedy(found: Analysis) -> list[Finding]:
    """A kick that is there most of the time: what room is made goes off the bass nearly everywhere."""
    share = active_share(found)
    if share is None or share <= GREEDY_SHARE or yielder(found.track.sheet.owner) == "kick":
        return []
    return [
        _finding(
            "kick-greedy", "look", f"The kick is active {100 * share:.0f} % of the time",
            "Where it is active the bass gives way: at this tempo a shorter kick costs less than any carve or duck.",
            100 * share, "%", 100 * GREEDY_SHARE, Fix(label="Half a beat of kick", solve=solving.half_a_beat),
        )
    ]  # fmt: skip


def short_return(found: Analysis) -> list[Finding]:
    """A computed return that the beat leaves less time than it should have."""
    track = found.track
    duck = track.duck
    if not duck.on or duck.drawn or duck.fitted is None or duck.fitted.aim != DUCK_AIM or duck.drive == "compressor":
        return []
    shortest = shortest_return_ms(lowest_hz(track, BASS_PART))
    if duck.return_ms >= shortest - NEAR_MS:
        return []
    return [
        _finding(
            "short-return", "look", "The beat leaves the return little time",
            "Shorter than three periods of the lowest note it is a step in a held note. A later recovery point, or a "
            "shorter kick, gives it time.",
            duck.return_ms, "ms", shortest, step="duck",
        )
    ]  # fmt: skip


def with_the_kick(found: Analysis) -> list[Finding]:
    """Notes that start with the kick lose carve and duck in full, against those in its gaps."""
    room, track = found.room, found.track
    if room is None or room.with_kick_lu is None or room.in_gaps_lu is None or not track.duck.on or not found.strokes:
        return []
    more = room.with_kick_lu - room.in_gaps_lu
    if more <= WITH_KICK_LU or track.duck.drawn or track.duck.drive == "compressor":
        return []
    spared = spared_curve(track, BASS_PART, track.duck, found.strokes)
    fixes = () if spared is None else (Fix(label="Duck after their attack", track=track.with_duck(spared)),)
    return [
        _finding(
            "with-the-kick", "note", "Notes that start with the kick lose most",
            f"They lose {room.with_kick_lu:.1f} LU of their first 400 ms, those in its gaps {room.in_gaps_lu:.1f} LU. A "
            "duck that begins later spares their attack; Ways back says how the two then add up.",
            more, "LU", WITH_KICK_LU, *fixes, step="duck",
        )
    ]  # fmt: skip


FINDERS = (greedy, carve_cost, thinner_sum, with_the_kick, short_return, older_plans)

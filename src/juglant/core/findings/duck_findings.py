"""Findings of the ducks: every guard of every part, what is not covered, and curves that are behind."""

from __future__ import annotations

from dataclasses import dataclass

from juglant.core.analysis.analyse import Analysis
from juglant.core.analysis.duck_aims import part_title
from juglant.core.analysis.part_duck import measure_part
from juglant.core.duck.curve import rows_to_gain, starts_s
from juglant.core.duck.guards import Guards
from juglant.core.duck.keys import key_beats
from juglant.core.duck.part_curves import ducked_parts, first_curve, with_curve
from juglant.core.duck.strokes import Activity
from juglant.core.findings.duck_fixes import back_within, slower_fall, slower_return, without_make_up
from juglant.core.findings.finding import Finding, Fix, Severity
from juglant.core.findings.solving import duck_of
from juglant.core.hit.shorten import shortened
from juglant.core.loop.gain import gain_rows
from juglant.core.measure.bands import low_band_frames
from juglant.core.model.duck import Duck
from juglant.core.model.ids import BASS_PART, KICK_ID
from juglant.core.model.track import Track, lowest_note_hz
from juglant.core.music.tempo import BEATS_PER_BAR
from juglant.core.parameter.fields import within
from juglant.core.plans.computed_for import CHANGED, by_hand_since, changed_since, own_curve
from juglant.core.plans.duck_return import shortest_return_ms
from juglant.core.separate.clearance import kick_clearance

SHORTEST_RATIO = 0.2
# Frames are 20 ms: less than half of one uncovered is nothing; nor is a clearance lost by less than this.
LEAST_UNCOVERED_MS, LEAST_COST_DB = 10.0, 0.5
# What a duck takes of no bar by this much is not heard.
LEAST_HEARD_LU = 0.05


@dataclass(frozen=True)
class Ducked:
    """One ducked part as its findings see it."""

    track: Track
    part: str
    name: str
    curve: Duck
    guards: Guards
    strokes: list[Activity]

    def fix(self, label: str, curve: Duck) -> Fix:
        """The track with this part's curve changed."""
        return Fix(label=label, track=with_curve(self.track, self.part, curve))

    def finding(self, name: str, severity: Severity, title: str, reason: str, **what: object) -> Finding:
        """A finding of this part; the bass's go by their plain names."""
        if self.part != BASS_PART:
            name = f"{name}-{self.part}"
            title = title if title.startswith(self.name) else f"{self.name}: {title[0].lower()}{title[1:]}"
        hit_id = self.part if self.part not in (BASS_PART, KICK_ID) else None
        return Finding.model_validate(
            {"id": name, "step": "duck", "severity": severity, "title": title, "reason": reason, "hit_id": hit_id}
            | {"limit_kind": "this project's choice"}
            | what
        )


def ducked(found: Analysis) -> list[Ducked]:
    """Every ducked part: the bass as it is measured already, where it meets the kick."""
    track, out = found.track, []
    for part in ducked_parts(track):
        one = found if part == BASS_PART and found.strokes else measure_part(track, part)
        out.append(Ducked(track, part, part_title(track, part), first_curve(track, part), one.guards, one.strokes))
    return out


def _it(one: Ducked) -> str:
    return "The bass" if one.part == BASS_PART else one.name


def not_back(one: Ducked) -> list[Finding]:
    """The part is still down at a note that should be heard whole."""
    late = one.guards.late_notes
    if not late:
        return []
    worst = max(late, key=lambda note: note.down_db)
    room_ms = min(stroke.recovery_s for stroke in one.strokes) * 1000
    _, curve = back_within(one.curve, room_ms)
    return [
        one.finding(
            "duck-not-back",
            "look",
            "The duck is not back in time",
            f"{_it(one)} is {worst.down_db:.1f} dB down at the note on beat {worst.at_beats + 1:g}; {len(late)} such.",
            value=worst.down_db,
            unit="dB",
            limit=one.track.limits.not_back_db,
            place_beats=worst.at_beats,
            fixes=(one.fix(f"Be back after {room_ms * one.track.sheet.bpm / 60000:.2f} beat", curve),),
        )
    ]


def start_click(one: Ducked) -> list[Finding]:
    """The curve falls so fast that the part's lows click."""
    click, limit = one.guards.start_click_db, one.track.limits.start_click_db
    if click is None or click <= limit:
        return []
    label, curve = slower_fall(one.curve)
    return [
        one.finding(
            "start-click",
            "look",
            "The duck clicks",
            f"Its corners add energy above 1 kHz to the lows of {_it(one).lower()}; it goes down too fast here.",
            value=click,
            unit="dB",
            limit=limit,
            fixes=(one.fix(label, curve),),
        )
    ]


def distortion(one: Ducked) -> list[Finding]:
    """The return is so fast that a low note is bent."""
    value, limit = one.guards.low_note_distortion_db, one.track.limits.low_note_distortion_db
    if value is None or value <= limit:
        return []
    label, curve = slower_return(one.curve)
    return [
        one.finding(
            "low-note-distortion",
            "look",
            "The return bends low notes",
            f"It is short against one cycle of the lowest note of {_it(one).lower()}.",
            value=value,
            unit="dB",
            limit=limit,
            fixes=(one.fix(label, curve),),
        )
    ]


def pumping(one: Ducked) -> list[Finding]:
    """From this depth the duck is heard as groove."""
    depth, limit = one.guards.pumping_db, one.track.limits.pumping_db
    if depth < limit:
        return []
    return [
        one.finding(
            "pumping", "note", "The duck is heard as groove",
            f"From about {limit:g} dB the way {_it(one).lower()} swells back is heard as rhythm.",
            value=depth, unit="dB", limit=limit,
        )
    ]  # fmt: skip


def pile_up(one: Ducked) -> list[Finding]:
    """The part is not back when the next key comes: it never is."""
    down, limit = one.guards.pile_up_db, one.track.limits.pile_up_db
    if down is None or down <= limit:
        return []
    ahead_s = min(0.0, starts_s(one.curve))
    room_ms = 1000 * min(stroke.next_hit_s - stroke.hit_s + ahead_s for stroke in one.strokes)
    label, curve = back_within(one.curve, room_ms)
    return [
        one.finding(
            "pile-up",
            "look",
            "The duck piles up",
            f"The next key comes before {_it(one).lower()} is back; its level sags over the bar.",
            value=down,
            unit="dB",
            limit=limit,
            fixes=(one.fix(label, curve),),
        )
    ]


def level_jump(one: Ducked) -> list[Finding]:
    """The part gets louder in a bar: where what keys it rests, or where less of it lies under the keys."""
    jump, limit = one.guards.level_jump_lu, one.track.limits.level_jump_lu
    if jump is None or jump <= limit:
        return []
    heard = [(loss, i) for i, loss in enumerate(one.guards.bar_losses_lu) if loss is not None]
    bar = max(heard)[1] if heard else 0
    silent = one.curve.key.model_copy(update={"kind": "trigger"})
    keyed = one.curve.model_copy(update={"key": silent})
    bars = [int(at // BEATS_PER_BAR) for at in key_beats(one.track, one.curve.key)]
    rests = bars.count(bar) < max(bars.count(each) for _, each in heard) if heard else False
    why = "it has fewer keys" if rests else "less of it lies under the keys"
    return [
        one.finding(
            "level-jump",
            "look",
            f"{_it(one)} jumps where {'the kick rests' if rests else 'it is ducked less'}",
            f"In bar {bar + 1} the duck takes less, because {why}: {_it(one).lower()} is louder there by this.",
            value=jump,
            unit="LU",
            limit=limit,
            place_beats=float(BEATS_PER_BAR * bar),
            fixes=(one.fix("Key it by the silent trigger", keyed),) if rests and one.curve.key.kind == "kick" else (),
        )
    ]


def make_up(one: Ducked) -> list[Finding]:
    """Make-up gain lifts what lies between the keys."""
    lift, limit = one.guards.make_up_lift_db, one.track.limits.make_up_lift_db
    if lift is None or lift <= limit:
        return []
    return [
        one.finding(
            "make-up-lift",
            "look",
            "Make-up gain lifts what lies between",
            f"{_it(one)} is louder by this between the keys than without any duck: room is made and taken back.",
            value=lift,
            unit="dB",
            limit=limit,
            fixes=(one.fix("Make-up gain off", without_make_up(one.curve)),),
        )
    ]


def unheard(one: Ducked) -> list[Finding]:
    """A duck that is on and takes nothing: nobody keys it, or the part is silent where it moves."""
    losses = [loss for loss in one.guards.bar_losses_lu if loss is not None]
    if losses and min(losses) < -LEAST_HEARD_LU:
        return []
    keys = key_beats(one.track, one.curve.key)
    if not keys:
        why = "Nothing keys it: its key has no places in the loop."
    elif not losses:
        why = f"{_it(one)} is silent."
    else:
        why = f"{_it(one)} does not sound where it moves."
    return [
        one.finding(
            "duck-unheard", "look", "The duck takes nothing", why, value=-min(losses, default=0.0) + 0.0, unit="LU",
            limit=LEAST_HEARD_LU, fixes=(one.fix("Turn it off", one.curve.model_copy(update={"on": False})),),
        )
    ]  # fmt: skip


def behind(found: Analysis) -> list[Finding]:
    """A computed curve that no longer fits what it was computed for, and does not follow by itself."""
    track, out = found.track, []
    for part in ducked_parts(track):
        own, changed = own_curve(track, part), changed_since(track, part)
        if own is None or not changed:
            continue
        one = Ducked(track, part, part_title(track, part), own, found.guards, [])
        since = " and ".join(CHANGED[name] for name in changed)
        hand = "; it was changed by hand since, and is left as it is" if by_hand_since(track, part) else ""
        out.append(
            one.finding(
                "duck-behind",
                "note",
                "The duck was computed for something else",
                f"Since then {since} changed{hand}.",
                value=float(len(changed)),
                unit="",
                limit=0.0,
                fixes=(Fix(label="Compute it again", solve=duck_of(part)),),
            )
        )
    return out


def uncovered(found: Analysis) -> list[Finding]:
    """The kick needs room for longer than the recovery point leaves."""
    track, duck = found.track, found.track.duck
    if not duck.on or duck.depth_db <= 0 or duck.drawn or duck.drive == "compressor" or not found.strokes:
        return []
    late_s, latest_s = max(one.end_s for one in found.strokes), min(one.recovery_s for one in found.strokes)
    shortest_ms = shortest_return_ms(lowest_note_hz(track))
    over_ms = min(1000 * late_s - duck.hold_ms, 1000 * (late_s - latest_s) + shortest_ms)
    after = found.clearance.after_db
    # The recovery point wins only where the curve gives way to it.
    if over_ms <= LEAST_UNCOVERED_MS or after is None or duck.hold_ms / 1000 > late_s - LEAST_UNCOVERED_MS / 1000:
        return []
    rate = track.sheet.sample_rate
    held_ms = within(Duck, "hold_ms", round(1000 * late_s, 1))
    whole = with_curve(track, BASS_PART, duck.model_copy(update={"hold_ms": held_ms}))
    bass = found.stems.bass_unducked
    held = bass * rows_to_gain(gain_rows(whole, bass.size), bass.size, sample_rate=rate)
    reach = kick_clearance(found.table.kick, low_band_frames(held, sample_rate=rate), found.contest)
    cost = 0.0 if reach is None else max(0.0, reach - after)
    length_ms = found.kick.timing.length_ms if found.kick else None
    # A kick that is cut by the next one is longer than its active part.
    sounds_ms = 1000 * late_s if length_ms is None else max(1000 * late_s, 0.7 * length_ms)
    ratio = (1000 * late_s - over_ms) / sounds_ms
    shorter = shortened(track.kick, max(SHORTEST_RATIO, ratio))
    later_s = late_s + shortest_ms / 1000
    later = round(later_s * track.sheet.bpm / 60 + 0.005, 2)
    fixes = [Fix(label="Shorten the kick", track=track.with_hit(KICK_ID, shorter))]
    # Past the next key there is no recovering.
    if later_s < min(one.next_hit_s - one.hit_s for one in found.strokes) - duck.fall_ms / 1000:
        fixes.append(
            Fix(
                label=f"Recover after {later:g} beats",
                track=with_curve(track, BASS_PART, duck.model_copy(update={"recovery_beats": later})),
                solve=duck_of(),
            )
        )
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
            fixes=tuple(fixes),
        )
    ]


GUARDS = (unheard, not_back, pile_up, level_jump, start_click, distortion, make_up, pumping)


def guards(found: Analysis) -> list[Finding]:
    """Every guard of every ducked part that is over its limit."""
    return [finding for one in ducked(found) for finder in GUARDS for finding in finder(one)]


FINDERS = (uncovered, behind, guards)

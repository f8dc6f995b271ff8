"""Findings of pitch: landing in key, a stable pitch, beating with the bass."""

from __future__ import annotations

from juglant.core.analysis.analyse import Analysis
from juglant.core.findings.finding import Finding, Fix
from juglant.core.findings.solving import landed_at
from juglant.core.hit.shorten import shortened
from juglant.core.hit.transpose import retuned
from juglant.core.loop.render import own_parts
from juglant.core.measure.landing import FIRM_CYCLES, Landing
from juglant.core.model.ids import KICK_ID
from juglant.core.model.track import Track
from juglant.core.music.notes import cents_between, note_hz
from juglant.core.music.scales import spelled
from juglant.core.tune.hit_pitch import hit_pitch
from juglant.core.tune.key_limits import too_wide
from juglant.core.tune.retune import THERE_CENTS
from juglant.core.tune.targets import off_key_cents, targets, tonic_near


def out_of_key_id(hit_id: str) -> str:
    """How the finding of a hit that is out of key is named."""
    return "landing-out-of-key" if hit_id == KICK_ID else f"out-of-key-{hit_id}"


def no_stable_pitch(found: Analysis) -> list[Finding]:
    """The kick has no pitch, or one that cannot be trusted."""
    if found.kick is None or found.kick.landing.verdict == "firm":
        return []
    landing, track = found.kick.landing, found.track
    fixes: tuple[Fix, ...] = ()
    if landing.verdict == "none":
        title, value, unit = "The kick has no stable pitch", None, ""
        reason = "Nothing in it repeats steadily enough to be a note: there is no pitch to tune."
        if landing.about_hz is not None and landing.about_cents is not None:
            around = f"around {landing.about_hz:.1f} Hz, give or take {landing.about_cents:.0f} cents"
            reason = f"Nothing in it rests on a note. Its low end lies {around}: it can be tuned by that."
    else:
        title, value, unit = "The landing is uncertain", landing.uncertainty_cents, "cents"
        few = landing.cycles < FIRM_CYCLES
        why = f"Only {landing.cycles:.1f} cycles of it are heard" if few else "Its partials do not agree on one note"
        reason = f"{why}: read the note with its margin."
        if landing.also_hz is not None:
            reason = f"Partials of {landing.also_hz:.1f} Hz are heard too: it may be that note. {reason}"
        fixes = _onto_the_tonic(track, landing) if too_wide(track, landing.uncertainty_cents) else ()
    return [
        Finding(
            id="no-stable-pitch", step="tune", severity="note", title=title, reason=reason, value=value, unit=unit,
            limit=None, limit_kind="this project's choice", fixes=fixes,
        )
    ]  # fmt: skip


def _onto_the_tonic(track: Track, landing: Landing) -> tuple[Fix, ...]:
    """Where the nearest note is not known: the tonic, which suits every chord of the key."""
    if landing.landing_hz is None:
        return ()
    sheet, number = track.sheet, tonic_near(landing.landing_hz, track.sheet)
    hz = note_hz(number, sheet.a4_hz)
    if abs(cents_between(landing.landing_hz, hz)) < THERE_CENTS:
        return ()
    return _landed(track, number)


def _landed(track: Track, number: int) -> tuple[Fix, ...]:
    """The fix that lands the kick on a note; of a loop the stroke is played from then on."""
    sheet = track.sheet
    if track.kick_loop.plays:
        track = track.with_part(KICK_ID, loop=track.kick_loop.model_copy(update={"on": False}))
    name = spelled(number, sheet.tonic, sheet.scale, sheet.middle_c)
    return (Fix(label=f"Land on {name}", track=track, solve=landed_at(KICK_ID, note_hz(number, sheet.a4_hz))),)


def out_of_key(found: Analysis) -> list[Finding]:
    """The landing is off every note of the key."""
    track = found.track
    landing_hz = found.kick.landing.landing_hz if found.kick else None
    if landing_hz is None or found.kick is None:
        return []
    number, cents = off_key_cents(track, landing_hz)
    limits, margin = track.limits, found.kick.landing.uncertainty_cents or 0.0
    # Off by less than its margin it may as well be on it: that it is uncertain is a finding of its own.
    if abs(cents) <= limits.key_look_cents or (too_wide(track, margin) and abs(cents) < margin):
        return []
    sheet = track.sheet
    name = spelled(number, sheet.tonic, sheet.scale, sheet.middle_c)
    side = "above" if cents > 0 else "below"
    best = targets(track, landing_hz, most=1)
    places = dict.fromkeys([*(one.note for one in best), number])
    fixes = tuple(fix for place in places for fix in _landed(track, place))
    return [
        Finding(
            id=out_of_key_id(KICK_ID),
            step="tune",
            severity="fix" if abs(cents) > limits.key_fix_cents else "look",
            title="The kick lands out of key",
            reason=f"It lands {abs(cents):.0f} cents {side} {name}, the nearest note of the key.",
            value=abs(cents),
            unit="cents",
            limit=limits.key_look_cents,
            limit_kind="this project's choice",
            fixes=fixes,
        )
    ]


def kit_out_of_key(found: Analysis) -> list[Finding]:
    """A hit of the kit with a firm pitch off every note of the key."""
    track, out = found.track, []
    sheet, limits = track.sheet, track.limits
    for one in own_parts(track):
        strokes = track.strokes_of(one)
        if strokes and all(stroke.note is not None for stroke in strokes):
            # It is heard at its notes, and never at the pitch it has by itself.
            continue
        pitch = hit_pitch(track, one)
        if pitch.used_hz is None or (pitch.landing.verdict != "firm" and pitch.used != "by hand"):
            continue
        number, cents = off_key_cents(track, pitch.used_hz)
        if abs(cents) <= limits.key_look_cents:
            continue
        name = spelled(number, sheet.tonic, sheet.scale, sheet.middle_c)
        side = "above" if cents > 0 else "below"
        hit = retuned(one.hit, pitch.used_hz, note_hz(number, sheet.a4_hz))
        out.append(
            Finding(
                id=out_of_key_id(one.id),
                step="tune",
                severity="look",
                title=f"{one.name} is out of key",
                reason=f"It is {abs(cents):.0f} cents {side} {name}, its nearest note of the key.",
                value=abs(cents),
                unit="cents",
                limit=limits.key_look_cents,
                limit_kind="this project's choice",
                hit_id=one.id,
                fixes=(Fix(label=f"Land on {name}", track=track.with_hit(one.id, hit)),),
            )
        )
    return out


def tail_beats(found: Analysis) -> list[Finding]:
    """The kick's tail beats against a bass note."""
    beating, limits = found.beating, found.track.limits
    if beating is None or beating.beats < limits.beats_swell:
        return []
    strong = beating.beats > limits.beats_beating
    apart, overlap_ms = abs(beating.kick_hz - beating.bass_hz), 1000 * beating.overlap_s
    track = found.track
    fixes = [
        Fix(
            label="Shorten the tail by a third",
            track=track.with_hit(KICK_ID, shortened(track.kick, 2 / 3)),
        )
    ]
    return [
        Finding(
            id="tail-against-bass",
            step="tune",
            topic="line",
            severity="fix" if strong else "look",
            title="The tail beats against a bass note" if strong else "The tail swells against a bass note",
            reason=f"{beating.kick_hz:.1f} and {beating.bass_hz:.1f} Hz are {apart:.1f} Hz apart for {overlap_ms:.0f} ms.",
            value=beating.beats,
            unit="beats heard",
            limit=limits.beats_beating if strong else limits.beats_swell,
            limit_kind="this project's choice",
            place_beats=beating.at_beats,
            fixes=tuple(fixes),
        )
    ]


FINDERS = (out_of_key, kit_out_of_key, no_stable_pitch, tail_beats)

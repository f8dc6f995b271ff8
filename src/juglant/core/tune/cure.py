"""Changes that answer what the line's figures say: a kick short enough not to beat, a line that is even."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Literal

from juglant.core.analysis.analyse import Analysis, analyse, analysed
from juglant.core.errors import InvalidTrack, NoSuchPart
from juglant.core.hit.shorten import shortened
from juglant.core.memory import newest
from juglant.core.model.ids import BASS_PART, KICK_ID
from juglant.core.model.track import Track
from juglant.core.music.notes import note_hz
from juglant.core.music.scales import spelled
from juglant.core.tune.hit_pitch import hit_pitch
from juglant.core.tune.line import LOWEST_ADVISED_HZ, Meeting, meetings, note_map
from juglant.core.tune.retune import tuned
from juglant.core.tune.targets import nearest_of_class, targets

Evening = Literal["K-weighted", "equal-loudness contour"]
ROUNDS, LEAST_RATIO = 8, 0.4
# Of a cut that is named a little more is made, so that the last round does not creep.
MARGIN = 1.1
LOUDEST_DB, QUIETEST_DB = 6.0, -24.0
# Of the places the kick could go this many are tried; closer than this it is there.
MOST_TARGETS, SAME_CENTS = 3, 1.0
LOWEST_NOTE, HIGHEST_NOTE = 24, 60
SHORTEST_BEATS = 0.125
LATER_ROUNDS, LEAST_LATER_MS = 5, 40.0
# A cure leaves at most this share of the beats.
HELPS, ENOUGH = 0.5, 0.3


def without_beats(track: Track) -> Track:
    """The track with its kick short enough that no note of the line swells against it; what is measured counts.

    Raises InvalidTrack where nothing swells, or no layer of the kick can be shortened that far.
    """
    for turn in range(ROUNDS):
        found = analyse(track)
        cut_ms = max((one.cut_ms for one in meetings(found) if one.cut_ms is not None), default=None)
        length_ms = found.kick.timing.length_ms if found.kick else None
        if cut_ms is None:
            if turn == 0:
                raise InvalidTrack("no note of the line swells against the kick: it is short enough as it is")
            return track
        ratio = max(LEAST_RATIO, 1 - MARGIN * cut_ms / length_ms) if length_ms else LEAST_RATIO
        kick = shortened(track.kick, ratio)
        if kick == track.kick:
            break
        track = track.with_hit(KICK_ID, kick)
    raise InvalidTrack("the kick cannot be made short enough by its holds and decays; move its note, or the bass's start")


@dataclass(frozen=True)
class Cure:
    """One thing that could be done about the kick against a note, as measured with it done.

    beats: heard against this note, worst_beats: against any note of the line; cost: what else it changes.
    """

    id: str
    title: str
    cost: str
    beats: float
    worst_beats: float
    track: Track


def cures(found: Analysis, note: int) -> list[Cure]:
    """What could be done about the kick against one note of the line, the best first; empty where they do not swell.

    Each is rendered and measured, and offered where it helps: the kick shorter, its strokes there on the note, the kick
    elsewhere, the note an octave away, started later or ended earlier.
    """
    met = next((one for one in meetings(found) if one.note == note), None)
    if met is None or met.cut_ms is None:
        return []
    out = [cure for tried in _tried(found, met) if (cure := _measured(found, note, *tried)) is not None]
    limit = found.track.limits.beats_swell
    out = [one for one in out if one.beats < HELPS * met.beats_heard]
    return sorted(out, key=lambda one: (one.worst_beats >= limit, one.beats >= limit))


def _tried(found: Analysis, met: Meeting) -> Iterator[tuple[str, str, str, Track | None, int]]:
    """Id, title, cost, the changed track (None where it cannot be) and the number the note has then."""
    track, note = found.track, met.note
    sheet = track.sheet
    length_ms = found.kick.timing.length_ms if found.kick else None
    of_it = "" if length_ms is None else f" of its {length_ms:.0f} ms"
    try:
        short = without_beats(track)
        title = "Shorten the kick"
        cost = "less of its tail" if met.cut_ms is None else f"about {met.cut_ms:.0f} ms{of_it}"
        yield "shorter-kick", title, cost, short, note
    except InvalidTrack:
        pass
    name = spelled(note, sheet.tonic, sheet.scale, sheet.middle_c)
    yield (
        "stroke",
        f"Kick on {name} where it meets it",
        "a version of the kick for this note",
        _struck_on(track, note),
        note,
    )
    for octaves, way in ((1, "up"), (-1, "down")):
        moved = note + 12 * octaves
        heard = "most systems play it" if note_hz(moved, sheet.a4_hz) > LOWEST_ADVISED_HZ else "few systems play it there"
        yield f"octave-{way}", f"{name} an octave {way}", f"the line leaps; {heard}", _renumbered(track, note, moved), moved
    later, by_ms = _late_enough(track, met)
    yield "later-note", f"Start {name} later by {by_ms:.0f} ms", "the bass comes behind the kick", later, note
    if met.cut_ms is not None:
        title = f"End {name} earlier by {met.cut_ms:.0f} ms"
        yield "shorter-note", title, "the line breathes there", _shorter(track, met, MARGIN * met.cut_ms, 0.0), note
    landing_hz = found.kick.landing.landing_hz if found.kick else None
    for target in targets(track, landing_hz, most=MOST_TARGETS) if landing_hz else ():
        if abs(target.shift_cents) > SAME_CENTS:
            cost = f"{target.shift_cents / 100:+.1f} semitones; {target.reason}"
            title = f"Move the kick to {target.name}"
            yield f"kick-{target.note}", title, cost, _moved_kick(track, target.frequency_hz), note


def _moved_kick(track: Track, frequency_hz: float) -> Track | None:
    try:
        return tuned(track, KICK_ID, frequency_hz)
    except InvalidTrack:
        return None


def _measured(
    found: Analysis, note: int, name: str, title: str, cost: str, track: Track | None, number: int
) -> Cure | None:
    if track is None or track == found.track:
        return None
    after = meetings(analyse(track))
    beats = next((one.beats_heard for one in after if one.note == number), 0.0)
    return Cure(name, title, cost, beats, max((one.beats_heard for one in after), default=0.0), track)


def _struck_on(track: Track, note: int) -> Track | None:
    """Every stroke that sounds last before one of these notes ends is moved to the note's nearest octave."""
    here = hit_pitch(track, track.kick_hit()).used_hz
    strokes = track.kick_hit().strokes
    if here is None or not strokes:
        return None
    length, target = track.sheet.length_beats, nearest_of_class(track, note % 12, here)
    under: set[float] = set()
    for one in track.notes():
        if one.note == note:
            inside = [s.at_beats for s in strokes if (s.at_beats - one.at_beats) % length < one.length_beats]
            before = min(strokes, key=lambda s: (one.at_beats - s.at_beats) % length).at_beats
            under |= {before, *inside}
    cents = round(target.shift_cents, 2)
    moved = tuple(s.model_copy(update={"tune_cents": cents}) if s.at_beats in under else s for s in strokes)
    return track.with_strokes(KICK_ID, moved)


def _renumbered(track: Track, note: int, moved: int) -> Track | None:
    if not LOWEST_NOTE <= moved <= HIGHEST_NOTE:
        return None
    notes = tuple(one.model_copy(update={"note": moved}) if one.note == note else one for one in track.bass_notes)
    return track.with_part(BASS_PART, notes=notes)


def _late_enough(track: Track, met: Meeting) -> tuple[Track | None, float]:
    """The track with these notes started later until it helps enough, and by how much in ms; what is measured counts."""
    by_ms = 0.0
    for _ in range(LATER_ROUNDS):
        by_ms += MARGIN * max(met.cut_ms or 0.0, LEAST_LATER_MS)
        later = _shorter(track, met, by_ms, 1.0)
        beats = next((one.beats_heard for one in meetings(analyse(later)) if one.note == met.note), 0.0)
        if beats < max(track.limits.beats_swell, ENOUGH * met.beats_heard):
            return later, by_ms
    return None, by_ms


def _shorter(track: Track, met: Meeting, by_ms: float, start: float) -> Track:
    """The notes of this number shorter by so many ms: at their start (1) or their end (0)."""
    by = by_ms * track.sheet.bpm / 60000
    notes = [
        one.model_copy(
            update={"at_beats": round(one.at_beats + start * by, 4), "length_beats": round(one.length_beats - by, 4)}
        )
        if one.note == met.note and one.length_beats - by >= SHORTEST_BEATS
        else one
        for one in track.bass_notes
    ]
    return track.with_part(BASS_PART, notes=tuple(notes))


@newest(4)
def cures_of(track: Track, note: int) -> tuple[Cure, ...]:
    """What could be done about the kick against one note of the line, each measured (pure, remembered, bounded)."""
    return tuple(cures(analysed(track), note))


def cure_of(track: Track, note: int, cure: str) -> Cure:
    """One cure by its name; raises NoSuchPart where there is no such cure."""
    for one in cures_of(track, note):
        if one.id == cure:
            return one
    raise NoSuchPart(f"there is no cure {cure!r} for this note")


def evened(track: Track, way: Evening) -> Track:
    """The line with each note's own level set so that all are as loud: by K-weighting, or by the equal-loudness contour."""
    if track.bass.source == "recorded line":
        raise InvalidTrack("a recorded line is played as it is: even it as it sounds, under Steady bass on Separate")
    gains = {row.note: row.even_db if way == "K-weighted" else row.contour_db for row in note_map(track)}
    top = max((gains[note.note] for note in track.notes()), default=0.0)
    notes = tuple(
        note.model_copy(
            update={"gain_db": round(min(LOUDEST_DB, max(QUIETEST_DB, gains[note.note] - max(0.0, top - LOUDEST_DB))), 2)}
        )
        if note.note in gains
        else note
        for note in track.bass_notes
    )
    return track.with_part(BASS_PART, notes=notes)

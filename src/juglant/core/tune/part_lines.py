"""Lines of any pitched part: what each note is played at as measured, another's line doubled, two parts in turn by bar."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from juglant.core.errors import InvalidTrack
from juglant.core.hit.render import folded
from juglant.core.hit.root import measured_pitch, played_root_hz
from juglant.core.hit.strokes import cached_stroke, stroke_tempo
from juglant.core.hit.transpose import transposed
from juglant.core.loop.level_lines import line_of
from juglant.core.loop.pitched import stroke_cents
from juglant.core.model.ids import BASS_PART, CONTEXT, KICK_ID
from juglant.core.model.level_line import SILENT_DB, LevelLine, LevelPoint
from juglant.core.model.part import Part
from juglant.core.model.strokes import (
    HIGHEST_BASS_NOTE,
    LOWEST_BASS_NOTE,
    BassNote,
    Doubling,
    Stroke,
    as_stroke,
    octaves_away,
)
from juglant.core.model.track import Track
from juglant.core.model.velocity import HARDEST
from juglant.core.music.notes import cents_between, note_hz, octaves_within
from juglant.core.music.scales import spelled
from juglant.core.music.tempo import BEATS_PER_BAR
from juglant.core.tune.systems import not_played_by

# A recorded line comes and goes between bars in this time.
EDGE_BEATS = 1 / 64
# A note is where it is meant to be within this; another of the same pitch that ends nearer than that is as good.
OFF_CENTS = 10.0


@dataclass(frozen=True)
class PlayedNote:
    """One note of a part's line: how often it is written, where it should be, and where its sound was measured.

    off_cents: measured from meant, None where nothing could be measured; off: whether that is too far, or not known.
    """

    note: int
    name: str
    count: int
    frequency_hz: float
    off_cents: float | None
    off: bool
    not_played_by: tuple[str, ...]


@dataclass(frozen=True)
class PartLine:
    """What a part's line stands on: the pitch its sound is at as set, whose line it plays, and its notes, lowest first.

    unheard: why a note written for it would not be played at its pitch; None where it would.
    """

    part: str
    root_hz: float | None
    root_name: str | None
    root_cents: float | None
    doubles: str | None
    unheard: str | None
    notes: tuple[PlayedNote, ...]


def _nearest(hz: float, track: Track) -> tuple[str, float]:
    sheet = track.sheet
    number = min(range(0, 128), key=lambda n: abs(cents_between(hz, note_hz(n, sheet.a4_hz))))
    return spelled(number, sheet.tonic, sheet.scale, sheet.middle_c), cents_between(hz, note_hz(number, sheet.a4_hz))


def why_unpitched(track: Track, one: Part) -> str | None:
    """Why a line of this part would have no pitch; None where it has one."""
    if one.role == CONTEXT:
        return f"{one.name} is a stem of the rest of the track: it plays what was recorded"
    if not one.hit.heard():
        return f"{one.name} has no layer that sounds: add one, or start from a sound"
    if one.hit.has_rumble:
        return f"{one.name} is made of the kick at every kick: it has no notes of its own"
    if played_root_hz(one, track.sheet.sample_rate, track.sheet.bpm) is None:
        return f"no pitch could be measured in {one.name}: set its landing by hand if you hear one"
    return None


def line_of_part(track: Track, part: str) -> PartLine:
    """A part's line as it is played, every note's sound measured; raises NoSuchPart for one that is no hit."""
    one, sheet = track.hit_of(part), track.sheet
    own = next((each for each in track.kit if each.id == part), None)
    doubles = own.doubles.of if own is not None and own.doubles is not None else None
    unheard = why_unpitched(track, one)
    root_hz = None if unheard else played_root_hz(one, sheet.sample_rate, sheet.bpm)
    name, cents = (None, None) if root_hz is None else _nearest(root_hz, track)
    strokes = [stroke for stroke in track.played(one) if stroke.note is not None]
    notes = tuple(_played(track, one, number, strokes) for number in sorted({stroke.note or 0 for stroke in strokes}))
    return PartLine(part, root_hz, name, cents, doubles, unheard, notes)


def _played(track: Track, one: Part, number: int, strokes: list[Stroke]) -> PlayedNote:
    sheet = track.sheet
    meant_hz = note_hz(number, sheet.a4_hz)
    plain = Stroke(at_beats=0, velocity=HARDEST, note=number)
    hit = transposed(one.hit, stroke_cents(track, one, plain))
    whole = cached_stroke(hit, HARDEST, 0, sheet.sample_rate, stroke_tempo(one.hit, sheet.bpm))
    landing, _ = measured_pitch(folded(whole.audio), sheet.sample_rate)
    at_hz = landing.landing_hz
    # What is tuned by its heard pitch is measured by it.
    if landing.heard_hz is not None and one.hit.tuned_by == "heard":
        at_hz = landing.heard_hz
    off_cents = None if at_hz is None else cents_between(at_hz, meant_hz)
    return PlayedNote(
        note=number,
        name=spelled(number, sheet.tonic, sheet.scale, sheet.middle_c),
        count=sum(stroke.note == number for stroke in strokes),
        frequency_hz=meant_hz,
        off_cents=off_cents,
        off=off_cents is None or abs(off_cents) > OFF_CENTS,
        not_played_by=not_played_by(meant_hz),
    )


@dataclass(frozen=True)
class InTurn:
    """The track with two parts in turn, and in words what was taken out of them."""

    track: Track
    said: tuple[str, ...]


def _line_hit(track: Track, part: str) -> Part:
    """The hit that is to play a line; raises NoSuchPart, and InvalidTrack where it cannot."""
    one = track.hit_of(part)
    if part == KICK_ID:
        raise InvalidTrack("the kick keeps its own pattern: give a line to another part")
    if (why := why_unpitched(track, one)) is not None:
        raise InvalidTrack(why)
    return one


def written(track: Track, part: str) -> tuple[Stroke, ...]:
    """A part's line as strokes, the bass's at full strength; raises NoSuchPart."""
    if part == BASS_PART:
        return tuple(as_stroke(note) for note in track.bass_notes)
    return track.hit_of(part).strokes


def _has_line(track: Track, part: str, name: str) -> tuple[Stroke, ...]:
    strokes = written(track, part)
    if not any(stroke.note is not None for stroke in strokes):
        raise InvalidTrack(f"{name} has no notes: write its line first")
    return strokes


def with_doubling(track: Track, part: str, of: str, octaves: int, *, linked: bool) -> Track:
    """The track in which a part plays another's line: as it is written there from now on, or a copy of its own.

    Raises NoSuchPart, and InvalidTrack where the part has no pitch, or the other no line.
    """
    if part == BASS_PART:
        raise InvalidTrack("the bass keeps a line of its own: double it with another part, or let two play in turn")
    one = _line_hit(track, part)
    if part == of:
        raise InvalidTrack(f"{one.name} cannot double itself: choose another part's line")
    _has_line(track, of, part_named(track, of))
    leader = next((each for each in track.kit if each.id == of and each.doubles is not None), None)
    if leader is not None and leader.doubles is not None and linked:
        # What that one doubles has the line.
        of, octaves = leader.doubles.of, max(-3, min(3, octaves + leader.doubles.octaves))
        if of == part:
            raise InvalidTrack(f"{leader.name} doubles {one.name} already: they play one line")
    followers = [each.name for each in track.kit if each.doubles is not None and each.doubles.of == part]
    if followers and linked:
        raise InvalidTrack(f"{one.name} is doubled by {followers[0]}: take that off first, or copy the line")
    if not linked:
        return track.with_strokes(part, tuple(octaves_away(stroke, octaves) for stroke in written(track, of)))
    return track.with_part(part, doubles=Doubling(of=of, octaves=octaves))


def part_named(track: Track, part: str) -> str:
    """What a part is called in a sentence; raises NoSuchPart."""
    return "the bass" if part == BASS_PART else track.hit_of(part).name


def in_turn(track: Track, part: str, of: str, bars: tuple[int, ...]) -> InTurn:
    """The track in which a part plays in some bars, counted from 1, and another in the rest.

    In its bars each has its own notes, or, where it has none there, the other's; what else either had is taken out. A note
    is the bar's it begins in and ends where the other takes over. A recorded line is taken down in those bars by its level
    line. Raises NoSuchPart, and InvalidTrack where the part has no pitch, neither has notes, or no such bar is in the loop.
    """
    if part == BASS_PART:
        raise InvalidTrack("the bass gives bars away: name the other part first, then the bass")
    one, name = _line_hit(track, part), part_named(track, of)
    if part == of:
        raise InvalidTrack(f"{one.name} cannot play in turn with itself: choose another part")
    last = track.sheet.bars
    chosen = {bar for bar in bars if 1 <= bar <= last}
    if not chosen:
        raise InvalidTrack(f"none of these bars is in the loop, which has {last}: two parts in turn need a bar each")
    if len(chosen) == last:
        raise InvalidTrack(f"every bar is named, and {name} would never play: leave it one, or double its line")
    own = tuple(stroke for stroke in one.strokes if stroke.note is not None)
    theirs = tuple(stroke for stroke in written(track, of) if stroke.note is not None)
    if not own and not theirs:
        raise InvalidTrack(f"neither {one.name} nor {name} has notes: write a line first")
    here, there = ({_bar(stroke.at_beats) for stroke in strokes} for strokes in (own, theirs))

    def in_bars(wanted: Callable[[int], bool], first: tuple[Stroke, ...], second: tuple[Stroke, ...]) -> list[Stroke]:
        """Notes of some bars: of each those of the first line, or of the second where the first has none there."""
        had = {_bar(stroke.at_beats) for stroke in first}
        picked = [*first, *(stroke for stroke in second if _bar(stroke.at_beats) not in had)]
        return sorted((one for one in picked if wanted(_bar(one.at_beats))), key=lambda one: one.at_beats)

    mine = [_until_taken_over(stroke, chosen, last) for stroke in in_bars(lambda bar: bar in chosen, own, theirs)]
    rest = [_until_taken_over(stroke, chosen, last) for stroke in in_bars(lambda bar: bar not in chosen, theirs, own)]
    made = track.with_strokes(part, tuple(mine))
    plain = len(one.strokes) - len(own)
    if of == BASS_PART and track.bass.source == "recorded line":
        # It plays what was recorded: nothing of that is lost, and nothing can be given to it.
        left = sum(_bar(stroke.at_beats) not in chosen for stroke in own) + plain
        return InTurn(_taken_down(made, chosen), _gone(one.name, left))
    out = sum(_bar(stroke.at_beats) in chosen & here for stroke in theirs)
    left = sum(_bar(stroke.at_beats) in there - chosen for stroke in own) + plain
    gone = (*_gone(name, out), *_gone(one.name, left))
    if of != BASS_PART:
        struck = tuple(stroke for stroke in track.hit_of(of).strokes if stroke.note is None)
        return InTurn(made.with_strokes(of, (*struck, *rest)), gone)
    kept = {note.at_beats: note for note in track.bass_notes}
    notes = tuple(_as_note(stroke, kept.get(stroke.at_beats)) for stroke in rest)
    return InTurn(made.with_part(BASS_PART, notes=notes), gone)


def _gone(name: str, count: int) -> tuple[str, ...]:
    """What was taken out of a part, in words."""
    if not count:
        return ()
    return (f"{count} {'note' if count == 1 else 'notes'} of {name} {'was' if count == 1 else 'were'} taken out",)


def _bar(at_beats: float) -> int:
    return int(at_beats // BEATS_PER_BAR) + 1


def _until_taken_over(stroke: Stroke, chosen: set[int], last: int) -> Stroke:
    """A note no longer than until a bar that is the other's; one without an end has it there."""
    own, bar = _bar(stroke.at_beats) in chosen, _bar(stroke.at_beats)
    while bar < last and ((bar + 1) in chosen) == own:
        bar += 1
    room = bar * BEATS_PER_BAR - stroke.at_beats
    # The loop begins again with its first bar.
    if bar == last and (1 in chosen) == own:
        return stroke
    return stroke.model_copy(
        update={"length_beats": room if stroke.length_beats is None else min(stroke.length_beats, room)}
    )


def _as_note(stroke: Stroke, was: BassNote | None) -> BassNote:
    note = octaves_within(stroke.note or LOWEST_BASS_NOTE, LOWEST_BASS_NOTE, HIGHEST_BASS_NOTE)
    length = stroke.length_beats if stroke.length_beats is not None else 1.0
    if was is not None:
        return was.model_copy(update={"note": note, "length_beats": length})
    return BassNote(
        at_beats=stroke.at_beats, length_beats=length, note=note, slide_ms=stroke.slide_ms, bend_cents=stroke.bend_cents
    )


def _taken_down(track: Track, chosen: set[int]) -> Track:
    """The track whose bass is silent in some bars, by its level line."""
    there, bars = line_of(track, BASS_PART), track.sheet.bars
    if there is not None and there != _line_of_turns(_silent_in(there, bars), bars):
        raise InvalidTrack(
            "the bass has a level line of its own: take it off first, a recorded line is silent in a bar by its level line"
        )
    line = _line_of_turns(chosen, bars)
    return track.with_part(BASS_PART, level_line=line)


def _silent_in(line: LevelLine, bars: int) -> set[int]:
    """The bars in which a level line is silent as they begin."""
    levels = {point.at_beats: point.gain_db for point in line.points}
    return {bar for bar in range(1, bars + 1) if levels.get((bar - 1) * BEATS_PER_BAR) == SILENT_DB}


def _line_of_turns(silent: set[int], bars: int) -> LevelLine:
    """A level line that is silent in some bars and level in the others."""
    points: list[LevelPoint] = []
    for bar in range(1, bars + 1):
        begins, ends = (bar - 1) * BEATS_PER_BAR, bar * BEATS_PER_BAR
        level = SILENT_DB if bar in silent else 0.0
        points += [LevelPoint(at_beats=begins, gain_db=level), LevelPoint(at_beats=ends - EDGE_BEATS, gain_db=level)]
    return LevelLine(points=tuple(points))

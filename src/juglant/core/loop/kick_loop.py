"""The kick as a recorded loop: played as it is or fitted to the tempo, its strokes read, one of them cut out as the hit."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from juglant.core.errors import InvalidTrack
from juglant.core.loop.place import cut, place
from juglant.core.loop.recorded_line import NEARLY_BARS, laid, recorded, repeats_every
from juglant.core.measure.strokes import FoundStroke, read_strokes
from juglant.core.memory import remembered
from juglant.core.model.hit import Hit, Layer
from juglant.core.model.ids import KICK_ID
from juglant.core.model.sheet import Sheet
from juglant.core.model.strokes import Stroke
from juglant.core.model.track import Track
from juglant.core.model.velocity import HARDEST, SOFTEST, Velocity
from juglant.core.music.tempo import BEATS_PER_BAR, beat_ms, frame_at
from juglant.core.parameter.fields import limits_of
from juglant.core.signal.envelope import frames_of
from juglant.core.synth.recorded_loop import KickLoop
from juglant.core.synth.take import LATEST_MS, Take
from juglant.core.types import Samples

# What is within this of whole bars but not a loop of them is offered as fitted.
FITTED_WITHIN = 0.2
# A slice begins this long before its stroke, so that its attack is whole.
EARLY_MS = 2.0
# Strokes stand on thirty-seconds where their timing can hold the rest.
GRID_BEATS, DIGITS = 1 / 8, 4
# Without a next stroke the hit is this long.
LONGEST_HIT_MS = 2000.0
# The hit is cut from where least else sounds after it has struck, for up to so long.
STRUCK_S, CLEAR_S, QUIET = 0.06, 0.4, 1e-12
# The first that is as clear as the clearest within this.
AS_CLEAR_DB = 1.0
# A kick of the track is the one read in the loop within this.
SAME_MS = 15.0
PICTURE = 400


def loop_stem(track: Track) -> Samples:
    """The kick's stem from its loop before its level, (loop_frames,)."""
    sheet, one, shift_ms = track.sheet, track.kick_loop, track.kick_part.shift_ms
    audio = recorded(one.take, one.begin_ms, sheet.sample_rate)
    if not audio.size:
        return laid(np.zeros(1), sheet)
    if shift_ms:
        # Where its strokes are in the recording is told by where they are written.
        track = track.with_part(KICK_ID, shift_ms=0.0)
    out = laid(_fitted(track, audio) if one.fit_bars else audio, sheet)
    return np.roll(out, round(shift_ms * sheet.sample_rate / 1000))


def _fitted(track: Track, audio: Samples) -> Samples:
    """A loop with each stroke and what follows it moved to its place at the track's tempo, as long as its bars."""
    sheet, beats = track.sheet, track.kick_loop.fit_bars * BEATS_PER_BAR
    out = np.zeros(frame_at(beats, sheet.bpm, sheet.sample_rate))
    early = frames_of(EARLY_MS, sheet.sample_rate)
    places = [at for at in track.kicks() if at < beats]
    sources = [round(at / beats * audio.size) for at in places]
    # Without strokes there is nothing to move.
    ends = [*sources[1:], audio.size + early][: len(sources)]
    for at, source, after in zip(places, sources, ends, strict=True):
        first = max(0, source - early)
        piece = cut(audio[first:], max(0, after - early - first), sample_rate=sheet.sample_rate)
        start = frame_at(at, sheet.bpm, sheet.sample_rate) - (source - first)
        place(out, piece, start)
    return out


def loop_layer(track: Track) -> Layer | None:
    """The layer that a kick loop was cut for: the first that is made of the same recording."""
    take = track.kick_loop.take
    return next((one for one in track.kick.layers if isinstance(one.source, Take) and one.source.take == take), None)


def heard_in_the_loop(track: Track, made: Track) -> bool:
    """Whether a change of the kick is heard while it comes as a loop: all but what is cut out of it as the hit."""
    if not made.kick_loop.processed:
        return False
    before, after = loop_layer(track), loop_layer(made)
    return (before and before.source) == (after and after.source)


def with_kick_loop(track: Track, take: str, begin_ms: float, fit_bars: int | None) -> Track:
    """The track with its kick from a recorded loop: its strokes on the grid, the clearest of them cut out as the hit.

    fit_bars: so many bars at the track's tempo, 0 at its own speed, None as its length asks for. Raises InvalidTrack where
    the sound is not there, bar 1 lies behind it, or no kick is found in it.
    """
    sheet = track.sheet
    audio = recorded(take, begin_ms, sheet.sample_rate)
    if not audio.size:
        raise InvalidTrack("there is no sound from where bar 1 is said to be; move it, or load the loop again")
    found = [one for one in _read(take, begin_ms, sheet.sample_rate) if one.sure]
    if not found:
        raise InvalidTrack("no kick was found in this loop; use it as a stem or a hit instead")
    bars = _bars_asked(audio.size, sheet) if fit_bars is None else fit_bars
    settings = KickLoop(on=True, take=take, begin_ms=begin_ms, fit_bars=bars, processed=True)
    hit = _hit(track.kick.velocity, take, begin_ms, found, audio, sheet.sample_rate)
    own = loop_layer(track)
    if track.kick_loop.processed and track.kick_loop.take == take and own is not None:
        # Read again: what the loop goes through stays.
        read = own.model_copy(update={"source": hit.layers[0].source})
        layers = tuple(read if one is own else one for one in track.kick.layers)
        hit = track.kick.model_copy(update={"layers": layers})
    strokes = _on_the_grid(sheet, found, audio.size, bars, hit.velocity)
    return track.with_part(KICK_ID, loop=settings, hit=hit, strokes=strokes)


def _bars_asked(frames: int, sheet: Sheet) -> int:
    """Whole bars that a loop is meant to be at the track's tempo, 0 where it is already or is none."""
    bars = 1000 * frames / sheet.sample_rate / beat_ms(sheet.bpm) / BEATS_PER_BAR
    whole = round(bars)
    off = abs(bars - whole) / whole if whole else 1.0
    return whole if NEARLY_BARS <= off < FITTED_WITHIN and whole <= sheet.bars else 0


def _alone_db(audio: Samples, at_s: float, end_s: float, sample_rate: int) -> float:
    """Energy after a stroke has struck, up to the next or CLEAR_S, re its first milliseconds, dB: what else sounds."""
    start, struck, end = (round(s * sample_rate) for s in (at_s, at_s + STRUCK_S, min(end_s, at_s + CLEAR_S)))
    first, rest = float(np.sum(audio[start:struck] ** 2)), float(np.sum(audio[struck:end] ** 2))
    return 10 * float(np.log10((rest + QUIET) / (first + QUIET)))


def _hit(velocity: Velocity, take: str, begin_ms: float, found: list[FoundStroke], audio: Samples, rate: int) -> Hit:
    """The stroke under which least else sounds, up to the next, as a hit of one recorded layer."""
    ends = [*(one.at_s for one in found[1:]), audio.size / rate]
    # A hit begins no later than its ruler ends; the first stroke of a loop does.
    within = [i for i, one in enumerate(found) if not i or begin_ms + 1000 * one.at_s <= LATEST_MS]
    rest = [_alone_db(audio, found[i].at_s, ends[i], rate) for i in within]
    best = next(i for i, db in zip(within, rest, strict=True) if db <= min(rest) + AS_CLEAR_DB)
    begin = begin_ms + 1000 * found[best].at_s
    after = found[best + 1].at_s if best + 1 < len(found) else found[best].at_s + LONGEST_HIT_MS / 1000
    length = min(LONGEST_HIT_MS, 1000 * (after - found[best].at_s) - EARLY_MS)
    source = Take(take=take, begin_ms=round(min(LATEST_MS, begin), 2), length_ms=round(max(1.0, length), 2))
    return Hit(layers=(Layer(id="take-1", name="Stroke of the loop", source=source),), velocity=velocity)


def _turn(sheet: Sheet, frames: int, fit_bars: int) -> tuple[int, float]:
    """After how many beats a recording begins again, and how many beats a second of it is."""
    turn = (fit_bars or repeats_every(frames, sheet)) * BEATS_PER_BAR
    return turn, turn * sheet.sample_rate / frames if fit_bars else sheet.bpm / 60


def _on_the_grid(
    sheet: Sheet, found: list[FoundStroke], frames: int, fit_bars: int, velocity: Velocity
) -> tuple[Stroke, ...]:
    """Strokes of a recording over the loop, its turns repeated, each on the grid with the rest as its timing."""
    turn, beats_a_s = _turn(sheet, frames, fit_bars)
    limits = limits_of(Stroke, "shift_ms")
    assert limits is not None  # noqa: S101 - a ruler
    out: dict[float, Stroke] = {}
    for begin in range(0, sheet.length_beats, turn):
        for one in found:
            at = one.at_s * beats_a_s
            if at >= turn - 1e-6 or begin + at >= sheet.length_beats:
                continue
            place_beats = round((begin + at) / GRID_BEATS) * GRID_BEATS
            shift_ms = (begin + at - place_beats) * beat_ms(sheet.bpm)
            if not limits.low <= shift_ms <= limits.high or place_beats >= sheet.length_beats or place_beats in out:
                place_beats, shift_ms = round(begin + at, DIGITS), 0.0
            # Softer by as much as the hit's own range says.
            under = -one.level_db / velocity.range_db if velocity.range_db else 0.0
            strength = min(HARDEST, max(SOFTEST, round(HARDEST - under * (HARDEST - SOFTEST))))
            out[place_beats] = Stroke(at_beats=place_beats, velocity=strength, shift_ms=round(shift_ms, 2))
    return tuple(out[at] for at in sorted(out))


@dataclass(frozen=True)
class ReadStroke:
    """A place of the loop where a kick may begin: s and beats from its bar 1, low-band peak re the loudest of all, dB, how
    sure it is a kick, 0..1, and whether the track has a kick there.
    """

    at_s: float
    at_beats: float
    level_db: float
    confidence: float
    on: bool


@dataclass(frozen=True)
class LoopRead:
    """A kick loop as far as it is played: lowest and highest samples of 400 stretches, and what was read in it."""

    length_beats: float
    low: Samples
    high: Samples
    strokes: tuple[ReadStroke, ...]


@remembered()
def _read(take: str, begin_ms: float, sample_rate: int) -> tuple[FoundStroke, ...]:
    return tuple(read_strokes(recorded(take, begin_ms, sample_rate), sample_rate=sample_rate))


def _kicks_near(track: Track, at_beats: float, turn: int) -> list[Stroke]:
    """The track's kicks at a place of the recording, in any of its turns, as they are stored."""
    sheet, kick = track.sheet, track.kick_hit()
    out = []
    for stroke in kick.strokes:
        sounds = sheet.swung(stroke.at_beats) + stroke.shift_ms / beat_ms(sheet.bpm)
        off = (sounds - at_beats + turn / 2) % turn - turn / 2
        if abs(off) * beat_ms(sheet.bpm) < SAME_MS:
            out.append(stroke)
    return out


def read_loop(track: Track) -> LoopRead | None:
    """What was read in the track's kick loop; None where it has none, or its sound is not there."""
    sheet, loop = track.sheet, track.kick_loop
    audio = recorded(loop.take, loop.begin_ms, sheet.sample_rate) if loop.take else np.zeros(0)
    if not loop.take or audio.size < PICTURE:
        return None
    turn, beats_a_s = _turn(sheet, audio.size, loop.fit_bars)
    played = audio[: min(audio.size, round(turn / beats_a_s * sheet.sample_rate))]
    edges = np.arange(PICTURE) * played.size // PICTURE
    strokes = tuple(
        ReadStroke(one.at_s, at, one.level_db, one.confidence, bool(_kicks_near(track, at, turn)))
        for one in _read(loop.take, loop.begin_ms, sheet.sample_rate)
        if (at := one.at_s * beats_a_s) < turn - 1e-6
    )
    length = played.size / sheet.sample_rate * beats_a_s
    return LoopRead(length, np.minimum.reduceat(played, edges), np.maximum.reduceat(played, edges), strokes)


def with_loop_stroke(track: Track, at_s: float, on: bool) -> Track:
    """The track with or without a kick at a place that was read in its loop, in each of its turns.

    Raises InvalidTrack where nothing was read there.
    """
    loop, sheet = track.kick_loop, track.sheet
    known = _read(loop.take, loop.begin_ms, sheet.sample_rate) if loop.take else ()
    named = [one for one in known if abs(one.at_s - at_s) * 1000 < SAME_MS]
    if not loop.take or not named:
        raise InvalidTrack(f"nothing that could be a kick begins {at_s:.3f} s into this loop; write it on the grid instead")
    frames = recorded(loop.take, loop.begin_ms, sheet.sample_rate).size
    turn, beats_a_s = _turn(sheet, frames, loop.fit_bars)
    there = _kicks_near(track, named[0].at_s * beats_a_s, turn)
    kept = [stroke for stroke in track.kick_hit().strokes if stroke not in there]
    made = _on_the_grid(sheet, [named[0]], frames, loop.fit_bars, track.kick.velocity) if on else ()
    taken = {stroke.at_beats for stroke in made}
    strokes = [*(stroke for stroke in kept if stroke.at_beats not in taken), *made]
    return track.with_strokes("kick", tuple(sorted(strokes, key=lambda stroke: stroke.at_beats)))

"""The kick as a recorded loop: played as it is or fitted to the tempo, its strokes read, one of them cut out as the hit."""

from __future__ import annotations

import numpy as np

from juglant.core.errors import InvalidTrack
from juglant.core.measure.strokes import FoundStroke, find_strokes
from juglant.core.mix.place import cut, place
from juglant.core.mix.recorded_line import NEARLY_BARS, laid, recorded, repeats_every
from juglant.core.model.fields import limits_of
from juglant.core.model.hit import Hit, Layer
from juglant.core.model.kit import Stroke
from juglant.core.model.recording import KickLoop
from juglant.core.model.sheet import BEATS_PER_BAR, Sheet
from juglant.core.model.track import Track
from juglant.core.model.velocity import HARDEST, SOFTEST, Velocity
from juglant.core.music.tempo import beat_ms, frame_at
from juglant.core.signal.envelope import frames_of
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


def loop_stem(track: Track) -> Samples:
    """The kick's stem from its loop before its level, (loop_frames,)."""
    sheet, one = track.sheet, track.kick_loop
    audio = recorded(one.take, one.begin_ms, sheet.sample_rate)
    if not audio.size:
        return laid(np.zeros(1), sheet)
    return laid(_fitted(track, audio) if one.fit_bars else audio, sheet)


def _fitted(track: Track, audio: Samples) -> Samples:
    """A loop with each stroke and what follows it moved to its place at the track's tempo, as long as its bars."""
    sheet, beats = track.sheet, track.kick_loop.fit_bars * BEATS_PER_BAR
    out = np.zeros(frame_at(beats, sheet.bpm, sheet.sample_rate))
    early = frames_of(EARLY_MS, sheet.sample_rate)
    places = [at for at in track.kicks() if at < beats]
    sources = [round(at / beats * audio.size) for at in places]
    for at, source, after in zip(places, sources, [*sources[1:], audio.size + early], strict=True):
        first = max(0, source - early)
        piece = cut(audio[first:], max(0, after - early - first), sample_rate=sheet.sample_rate)
        start = frame_at(at, sheet.bpm, sheet.sample_rate) - (source - first)
        place(out, piece, start)
    return out


def with_kick_loop(track: Track, take: str, begin_ms: float, fit_bars: int | None) -> Track:
    """The track with its kick from a recorded loop: its strokes on the grid, the one with most low end cut out as the hit.

    fit_bars: so many bars at the track's tempo, 0 at its own speed, None as its length asks for. Raises InvalidTrack where
    the sound is not there, bar 1 lies behind it, or no kick is found in it.
    """
    sheet = track.sheet
    audio = recorded(take, begin_ms, sheet.sample_rate)
    if not audio.size:
        raise InvalidTrack("there is no sound from where bar 1 is said to be; move it, or load the loop again")
    found = find_strokes(audio, sample_rate=sheet.sample_rate)
    if not found:
        raise InvalidTrack("no kick was found in this loop: its low end never rises; use it as a stem or a hit instead")
    bars = _bars_asked(audio.size, sheet) if fit_bars is None else fit_bars
    settings = KickLoop(on=True, take=take, begin_ms=begin_ms, fit_bars=bars)
    hit = _hit(track.kick.velocity, take, begin_ms, found)
    strokes = _on_the_grid(sheet, found, audio.size, bars, hit.velocity)
    return track.model_copy(update={"kick_loop": settings, "kick": hit}).with_strokes("kick", strokes)


def _bars_asked(frames: int, sheet: Sheet) -> int:
    """Whole bars that a loop is meant to be at the track's tempo, 0 where it is already or is none."""
    bars = 1000 * frames / sheet.sample_rate / beat_ms(sheet.bpm) / BEATS_PER_BAR
    whole = round(bars)
    off = abs(bars - whole) / whole if whole else 1.0
    return whole if NEARLY_BARS <= off < FITTED_WITHIN and whole <= sheet.bars else 0


def _hit(velocity: Velocity, take: str, begin_ms: float, found: list[FoundStroke]) -> Hit:
    """The stroke with most low end, up to the next, as a hit of one recorded layer."""
    # A hit begins no later than its ruler ends; the first stroke of a loop does.
    best = max(
        (i for i, one in enumerate(found) if not i or begin_ms + 1000 * one.at_s <= LATEST_MS),
        key=lambda i: found[i].level_db,
    )
    begin = begin_ms + 1000 * found[best].at_s
    after = found[best + 1].at_s if best + 1 < len(found) else found[best].at_s + LONGEST_HIT_MS / 1000
    length = min(LONGEST_HIT_MS, 1000 * (after - found[best].at_s) - EARLY_MS)
    source = Take(take=take, begin_ms=round(min(LATEST_MS, begin), 2), length_ms=round(max(1.0, length), 2))
    return Hit(layers=(Layer(id="take-1", name="Stroke of the loop", source=source),), velocity=velocity)


def _on_the_grid(
    sheet: Sheet, found: list[FoundStroke], frames: int, fit_bars: int, velocity: Velocity
) -> tuple[Stroke, ...]:
    """Strokes of a recording over the loop, its turns repeated, each on the grid with the rest as its timing."""
    turn = (fit_bars or repeats_every(frames, sheet)) * BEATS_PER_BAR
    beats_a_s = turn * sheet.sample_rate / frames if fit_bars else sheet.bpm / 60
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

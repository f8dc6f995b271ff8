"""A recorded loop taken apart into parts on rows of their own: strokes where they are played, each row one hit of its own
slices in turn."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from juglant.core.errors import InvalidTrack
from juglant.core.hit.alternates import Picked, alternates_of
from juglant.core.hit.rework import Part as Recording
from juglant.core.hit.rework import own_strokes, read_part, velocities
from juglant.core.measure.drum_part import DrumStroke
from juglant.core.measure.level import energy_loudness_db
from juglant.core.measure.pattern import STEPS_A_BEAT, Pattern, Row, read_pattern
from juglant.core.measure.stereo import for_measuring
from juglant.core.model.hit import Hit, Layer
from juglant.core.model.sheet import Sheet
from juglant.core.model.strokes import MOST_STROKES, Stroke
from juglant.core.music.tempo import BEATS_PER_BAR
from juglant.core.signal.crossover import low_branch
from juglant.core.signal.filters import filter_signal
from juglant.core.synth.takes import TakeAudio, find_take

# The best slices of a row are played in turn; a stroke is moved off the grid by so much at most.
MOST_SLICES, MOST_SHIFT_MS, HEARD_S = 8, 50.0, 0.6
# What a kick leaves under the others is below this; it is there where so much of what is low was there before (this
# project's choice).
LOW_CUT_HZ: dict[Row, float] = {"kick": 10.0, "snare": 150.0, "hat": 1000.0}
RUNG_MS, RUNG_SHARE = (15, 30), 0.1


@dataclass(frozen=True)
class DissectedRow:
    """One row of a loop: its hit, its strokes over all bars of a track, and what is to be said of it."""

    row: Row
    hit: Hit
    strokes: tuple[Stroke, ...]
    said: str


def dissected(take: str, sheet: Sheet, *, rows: tuple[Row, ...], said_bpm: float | None) -> list[DissectedRow]:
    """The rows of a loop by their spectrum; raises InvalidTrack where the loop is not here, or nothing separates in it."""
    found = find_take(take)
    if found is None:
        raise InvalidTrack("the loop is not here; load it, then try again")
    rate = found.sample_rate
    read = read_pattern(for_measuring(found.audio), sample_rate=rate, hint_bpm=sheet.bpm, said_bpm=said_bpm)
    if read.refused:
        raise InvalidTrack(f"nothing is taken apart: {read.refused}")
    part = read_part(found.audio, sample_rate=rate)
    out = [_row(take, found, part, read, sheet, row) for row in rows if any(one.of(row) for one in part.strokes)]
    made = [one for one in out if one is not None]
    if not made:
        raise InvalidTrack("none of these rows is in it: no stroke of them is told apart by its spectrum")
    return made


def _row(take: str, found: TakeAudio, part: Recording, read: Pattern, sheet: Sheet, row: Row) -> DissectedRow | None:
    if all(one.incidental for one in part.strokes if one.of(row)):
        return None
    own = own_strokes(part, row)
    alone = [one for one in own if not one.shared(row)]
    # What begins with a stroke of another row is heard with it: only where there is nothing else.
    usable = sorted(alone or own, key=lambda one: (one.clipped, one.incidental, -(one.end - one.begin)))[:MOST_SLICES]
    slices = [_picked(take, found, one) for one in sorted(usable, key=lambda one: one.number)]
    made = alternates_of(slices, {take: found})
    rings_hz = LOW_CUT_HZ[row] if any(_rung_into(part, one, row) for one in usable) else None
    layer = Layer(id="take-1", name=f"Loop {row}", source=made.source)
    if rings_hz is not None:
        layer = layer.model_copy(update={"low_cut_hz": rings_hz})
    hit = Hit(layers=(layer,), velocity=made.velocity)
    strokes = _strokes(part, own, read, sheet, velocities(part, row, hit.velocity.range_db))
    said = f"{row}: {len(own)} strokes, {len(slices)} {'slice' if len(slices) == 1 else 'slices in turn'}"
    if not alone:
        said += ", each with what begins with it"
    if rings_hz is not None:
        said += f", without what rings on under them (below {rings_hz:g} Hz)"
    return DissectedRow(row, hit, strokes, said)


def _rung_into(part: Recording, one: DrumStroke, row: Row) -> bool:
    """Whether something else still sounds below a row's own band where its stroke begins."""
    if row == "kick":
        return False
    rate = part.sample_rate
    before, after = (round(ms * rate / 1000) for ms in RUNG_MS)
    low = filter_signal(
        low_branch(LOW_CUT_HZ[row], sample_rate=rate), part.mono[max(0, one.begin - rate) : one.begin + after]
    )
    until = low.size - after
    if until < before:
        return False
    power = [float(np.mean(low[place] ** 2)) for place in (slice(until - before, until), slice(until, None))]
    return power[0] > RUNG_SHARE * power[1]


def _picked(take: str, found: TakeAudio, one: DrumStroke) -> Picked:
    rate = found.sample_rate
    stretch = for_measuring(found.audio)[one.begin : min(one.end, one.begin + round(HEARD_S * rate))]
    return Picked(
        take=take,
        number=one.number,
        begin_ms=round(1000 * one.begin / rate, 4),
        length_ms=round(1000 * (one.end - one.begin) / rate, 4),
        loudness_db=round(energy_loudness_db(stretch, sample_rate=rate), 2),
        why_not=None,
    )


def _strokes(
    part: Recording, own: list[DrumStroke], read: Pattern, sheet: Sheet, strengths: dict[int, int]
) -> tuple[Stroke, ...]:
    """Strokes on the grid, each as late as it is played, the loop from its start again to the track's end."""
    step_s, bars = 60 / read.bpm / STEPS_A_BEAT, max(1, read.bars)
    places: dict[float, Stroke] = {}
    for one in own:
        late = one.at / part.sample_rate - read.bar_s
        step = round(late / step_s)
        shift_ms = float(np.clip(1000 * (late - step * step_s), -MOST_SHIFT_MS, MOST_SHIFT_MS))
        beat = (step / STEPS_A_BEAT) % (bars * BEATS_PER_BAR)
        stroke = Stroke(at_beats=beat, velocity=strengths[one.number], shift_ms=round(shift_ms, 2))
        known = places.get(beat)
        if known is None or known.velocity < stroke.velocity:
            places[beat] = stroke
    out = [
        one.model_copy(update={"at_beats": beat + turn * bars * BEATS_PER_BAR})
        for turn in range(-(-sheet.bars // bars))
        for beat, one in places.items()
        if beat + turn * bars * BEATS_PER_BAR < sheet.length_beats
    ]
    return tuple(sorted(out, key=lambda one: one.at_beats)[:MOST_STROKES])

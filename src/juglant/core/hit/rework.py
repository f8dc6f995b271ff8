"""A recorded drum part worked over stroke by stroke: evened, its small events raised or removed, re-timed, strokes
silenced, and another hit played in their place, aligned to the sample, as loud as what it replaces.

Nothing but the strokes of the row that is asked for is touched: where another row begins with one of them, or sounds under
it, only the row's own band is.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from juglant.core.errors import InvalidAudio
from juglant.core.hit.render import RenderedHit
from juglant.core.hit.strokes import cached_stroke, stroke_tempo
from juglant.core.measure.drum_part import (
    CLEAR_HZ,
    Band,
    DrumStroke,
    RowEvenness,
    Which,
    drum_strokes,
    evenness_of,
    in_band,
    own_band,
)
from juglant.core.measure.impacts import find_impacts
from juglant.core.measure.level import k_weighted
from juglant.core.measure.pattern import ROWS
from juglant.core.measure.stereo import for_measuring
from juglant.core.model.hit import Hit
from juglant.core.model.velocity import HARDEST, SOFTEST
from juglant.core.signal.envelope import with_edges
from juglant.core.signal.match import fitted_to
from juglant.core.signal.shift import resampled
from juglant.core.types import Samples

RISE_MS, FALL_MS = 1.0, 5.0
# Two that are this alike where they meet are moved so that they add (this project's choice).
ADDS = 0.5
# A stroke that falls by more than this is as good as gone.
GONE_DB = -60.0
NEAR_S = 0.03
MOST_EVENED_DB, MOST_EVENED_CENTS = 18.0, 300.0
LENGTH_FALLS_DB = 40.0
SILENT = 1e-12
WHOLE: Band = (None, None)


@dataclass(frozen=True)
class Played:
    """One stroke of the new hit: where it begins, s; how strong; by how much it was moved to add to what was there, ms; and
    whether it is turned upside down for it."""

    at_s: float
    velocity: int
    offset_ms: float
    turned: bool


@dataclass(frozen=True)
class Part:
    """A drum part in the middle of being worked over: (channels, frames) and its strokes in it."""

    audio: Samples
    strokes: tuple[DrumStroke, ...]
    sample_rate: int

    @property
    def mono(self) -> Samples:
        """The fold-down, (frames,)."""
        return for_measuring(self.audio)


def read_part(audio: Samples, *, sample_rate: int) -> Part:
    """A drum part, (channels, frames), with its strokes; raises InvalidAudio where nothing begins in it."""
    strokes = tuple(drum_strokes(for_measuring(audio), sample_rate=sample_rate))
    if not strokes:
        raise InvalidAudio("nothing begins in it: it is silent, or it only swells")
    return Part(np.asarray(audio, dtype=np.float64), strokes, sample_rate)


def own_strokes(part: Part, row: Which) -> list[DrumStroke]:
    """The strokes of a row, small events left out; raises InvalidAudio where there is none."""
    found = [one for one in part.strokes if one.of(row) and not one.incidental]
    if not found:
        raise InvalidAudio(f"no stroke of it is told as a {row}: choose another row, or all of it")
    return found


def _window(begin: int, end: int, frames: int, rate: int) -> tuple[slice, Samples]:
    """From just before a stroke to just after its end: all of it, with a short rise and fall outside."""
    rise, fall = (max(1, round(ms * rate / 1000)) for ms in (RISE_MS, FALL_MS))
    first, last = max(0, begin - rise), min(frames, max(end, begin + 1))
    shape = np.ones(last - first)
    up, down = min(rise, begin - first), min(fall, last - begin)
    if up:
        shape[:up] = np.sin(np.pi / 2 * (np.arange(up) + 0.5) / up) ** 2
    if down and last < frames:
        shape[-down:] *= np.cos(np.pi / 2 * (np.arange(down) + 0.5) / down) ** 2
    return slice(first, last), shape


def _changed(
    part: Part, row: Which, strokes: list[DrumStroke], factor: Callable[[DrumStroke, Samples], Samples]
) -> Samples:
    """What is added to a part where its strokes are multiplied by a factor over their time in s, (channels, frames)."""
    rate, frames = part.sample_rate, part.audio.shape[1]
    changes: dict[Band, Samples] = {}
    for one in strokes:
        ends = one.end if row == "all" else one.rings_to
        place, shape = _window(one.begin, ends, frames, rate)
        time = (np.arange(place.start, place.stop) - one.at) / rate
        change = shape * (factor(one, np.maximum(0.0, time)) - 1)
        inner = np.zeros(change.size)
        _, own = _window(one.begin, one.end, frames, rate)
        inner[: min(own.size, inner.size)] = own[: inner.size]
        # Until another row begins all that is not another's which begins with it; then what is not that one's either.
        first, later = _bands(part, row, one)
        for band, share in ((first, inner), (later, 1 - inner)):
            changes.setdefault(band, np.zeros(frames))[place] += change * share
    added = np.zeros_like(part.audio)
    for band, change in changes.items():
        if np.any(change):
            added += change * (part.audio if band == WHOLE else in_band(part.audio, band, rate))
    return added


def _bands(part: Part, row: Which, stroke: DrumStroke) -> tuple[Band, Band]:
    """The bands in which a stroke is its row's: while it sounds alone, and while others sound with it."""
    if row == "all":
        # A small event while a kick rings: the kick goes on.
        rings = [one for one in part.strokes if "kick" in one.rows and one.begin < stroke.begin < one.rings_to]
        own = (CLEAR_HZ, None) if stroke.incidental and rings else WHOLE
        return own, own
    with_it = frozenset(stroke.rows) - {row}
    under = [one for one in part.strokes if stroke.end <= one.begin < stroke.rings_to]
    # What is no stroke of any row may be anything.
    later = frozenset(other for one in under for other in (one.rows or ROWS)) - {row}
    return own_band(row, with_it), own_band(row, with_it | later)


def row_alone(part: Part, row: Which) -> Samples:
    """What of a part is its row: what is gone where all of its strokes are, (channels, frames)."""
    return -_changed(part, row, own_strokes(part, row), lambda _, time: np.zeros(time.size))


def evened(part: Part, row: Which, *, level_pct: float, landing_pct: float, length_pct: float) -> Part:
    """A row evened by a share of what each of its strokes is off the middle; only longer ones change in length."""
    own = {one.number: one for one in own_strokes(part, row)}
    figures = evenness_of(part.mono, list(part.strokes), row, sample_rate=part.sample_rate)
    if landing_pct > 0:
        part = _retuned(part, row, own, figures, landing_pct)
    known = [one.length_ms for one in figures.strokes if one.length_ms is not None]
    usual_ms = float(np.median(known)) if known else None
    told = {one.number: one for one in figures.strokes}

    def factor(stroke: DrumStroke, time: Samples) -> Samples:
        one = told[stroke.number]
        by_db = -min(MOST_EVENED_DB, max(-MOST_EVENED_DB, one.level_db)) * level_pct / 100
        steeper = 0.0
        if usual_ms and one.length_ms and one.length_ms > usual_ms:
            wanted_ms = one.length_ms + (usual_ms - one.length_ms) * length_pct / 100
            steeper = LENGTH_FALLS_DB * 1000 * (1 / wanted_ms - 1 / one.length_ms)
        return np.asarray(10 ** ((by_db - steeper * time) / 20))

    if not (level_pct or length_pct):
        return part
    return replace(part, audio=part.audio + _changed(part, row, list(own.values()), factor))


def _retuned(part: Part, row: Which, own: dict[int, DrumStroke], figures: RowEvenness, share_pct: float) -> Part:
    """Strokes that begin alone played a little faster or slower, each until the next begins."""
    audio, rate = part.audio.copy(), part.sample_rate
    for one in figures.strokes:
        stroke = own[one.number]
        if not one.cents or stroke.shared(row) or abs(one.cents) > MOST_EVENED_CENTS:
            continue
        place, shape = _window(stroke.begin, stroke.end, audio.shape[1], rate)
        stretch = part.audio[:, stroke.begin : place.stop]
        moved = resampled(stretch, rate, rate * 2 ** (one.cents * share_pct / 100 / 1200))
        fitted = np.zeros((audio.shape[0], place.stop - place.start))
        lead, count = stroke.begin - place.start, min(moved.shape[1], place.stop - stroke.begin)
        faded = np.stack([with_edges(row_, start_ms=0, end_ms=FALL_MS, sample_rate=rate) for row_ in moved[:, :count]])
        fitted[:, lead : lead + count] = faded
        audio[:, place] += shape * (fitted - part.audio[:, place])
    return replace(part, audio=audio)


def small_events(part: Part, only: tuple[int, ...] | None = None) -> list[DrumStroke]:
    """What is between the strokes, all of it or those of some numbers."""
    return [one for one in part.strokes if one.incidental and (only is None or one.number in only)]


def incidental_by(part: Part, by_db: float, only: tuple[int, ...] | None = None) -> Part:
    """Small events between the strokes raised or lowered, all or some of them; at -60 dB they are gone."""
    small = small_events(part, only)
    gain = 0.0 if by_db <= GONE_DB else 10 ** (by_db / 20)
    if not small:
        raise InvalidAudio("there is nothing between its strokes: no event is 12 dB under those of its row")
    return replace(part, audio=part.audio + _changed(part, "all", small, lambda _, time: np.full(time.size, gain)))


def silenced_at(part: Part, row: Which, at_s: list[float]) -> tuple[Part, int]:
    """A row's strokes silenced where others are struck, within 30 ms; and how many that are."""
    places = np.sort(np.array(at_s))
    if not places.size:
        return part, 0

    def struck(one: DrumStroke) -> bool:
        return bool(np.min(np.abs(places - one.at / part.sample_rate)) < NEAR_S)

    gone = [one for one in own_strokes(part, row) if struck(one)]
    added = _changed(part, row, gone, lambda _, time: np.zeros(time.size))
    return replace(part, audio=part.audio + added), len(gone)


def retimed(part: Part, to_s: dict[int, float], share_pct: float) -> Part:
    """Strokes, by their number, moved by a share of the way to where they belong, s; each until the next begins."""
    rate, frames = part.sample_rate, part.audio.shape[1]
    moved = []
    for one in part.strokes:
        wanted = to_s.get(one.number)
        moved.append(0 if wanted is None else round((wanted * rate - one.at) * share_pct / 100))
    begins = [max(0, one.begin + by) for one, by in zip(part.strokes, moved, strict=True)]
    # Never past each other: what would be stays behind the one before it.
    for index in range(1, len(begins)):
        begins[index] = max(begins[index], begins[index - 1] + 1)
    ends = [*begins[1:], frames]
    out = np.zeros_like(part.audio)
    head = min(begins[0], part.strokes[0].begin)
    out[:, :head] = part.audio[:, :head]
    strokes = []
    for index, one in enumerate(part.strokes):
        begin, room = begins[index], ends[index] - begins[index]
        stretch = part.audio[:, one.begin : min(one.end, one.begin + room)]
        stretch = stretch[:, : max(0, frames - begin)]
        if stretch.shape[1] > 1:
            cut_short = one.end < part.audio.shape[1] or stretch.shape[1] < one.end - one.begin
            # A stretch that goes on where it went on before is joined as it was.
            goes_on = stretch.shape[1] == one.end - one.begin == room
            edge_ms = FALL_MS if cut_short and not goes_on else 0.0
            if edge_ms:
                rows = [with_edges(row, start_ms=0, end_ms=edge_ms, sample_rate=rate) for row in stretch]
                stretch = np.stack(rows)
            out[:, begin : begin + stretch.shape[1]] = stretch
        by = begin - one.begin
        ring = max(ends[index], min(frames, one.rings_to + by))
        strokes.append(
            replace(
                one,
                at=min(frames - 1, one.at + by),
                begin=begin,
                end=max(begin + 1, ends[index]),
                rings_to=ring,
                fallen=min(frames, one.fallen + by),
            )
        )
    return replace(part, audio=out, strokes=tuple(strokes))


def _strengths(part: Part, row: Which) -> dict[int, float]:
    """How far each stroke of a row is under its loudest, dB, 0 and up, by its number."""
    own = own_strokes(part, row)
    figures = {
        one.number: one.level_db
        for one in evenness_of(part.mono, list(part.strokes), row, sample_rate=part.sample_rate).strokes
    }
    top = max(figures.values())
    return {one.number: top - figures[one.number] for one in own}


def velocities(part: Part, row: Which, range_db: float) -> dict[int, int]:
    """Velocities that make a hit of such a range as much softer as the strokes are."""
    span = max(range_db, 1e-9)
    return {
        number: max(SOFTEST, round(HARDEST - (HARDEST - SOFTEST) * min(1.0, under / span)))
        for number, under in _strengths(part, row).items()
    }


def _own_onset(sound: RenderedHit, rate: int) -> int:
    """The frame at which a rendered hit is heard to begin; its own start where nothing stands out."""
    found = find_impacts(np.pad(sound.mono, (round(0.05 * rate), 0)), sample_rate=rate)
    return max(0, round(found[0].onset_s * rate) - round(0.05 * rate)) if found else sound.lead_frames


def replaced(
    part: Part, row: Which, hit: Hit, *, share_pct: float, aligned: bool, bpm: float
) -> tuple[Part, tuple[Played, ...]]:
    """A hit in the place of a row's strokes: 0 is the old, 100 the new alone, as loud in between as the old is.

    aligned: each stroke is moved by up to 2 ms, and turned, where it adds to the one it joins; where the old is gone there
    is nothing to join. Raises InvalidAudio where the hit or the row is silent.
    """
    rate, frames = part.sample_rate, part.audio.shape[1]
    own, old = own_strokes(part, row), row_alone(part, row)
    speeds, tempo = velocities(part, row, hit.velocity.range_db), stroke_tempo(hit, bpm)
    new, played = np.zeros((2, frames)), []
    old_mono = for_measuring(old)
    for index, one in enumerate(own):
        sound = cached_stroke(hit, speeds[one.number], index % hit.velocity.robins, rate, tempo)
        if not np.any(sound.audio):
            raise InvalidAudio("the hit is silent: nothing would be played")
        onset = _own_onset(sound, rate)
        mono = sound.mono[onset:]
        off, turned = (0, False)
        if aligned and share_pct < 100:
            off, turned = fitted_to(old_mono, one.at, mono, least=ADDS, sample_rate=rate)
        start = one.at + off - onset
        rows = np.broadcast_to(np.atleast_2d(sound.audio), (2, sound.audio.shape[-1]))
        # One voice: a new stroke ends the one before it.
        ends = own[index + 1].begin if index + 1 < len(own) and not hit.velocity.rings else frames
        first, last = max(0, start), min(frames, start + rows.shape[1], max(ends, start + 1))
        stretch = rows[:, first - start : last - start]
        if last < start + rows.shape[1]:
            stretch = np.stack([with_edges(each, start_ms=0, end_ms=FALL_MS, sample_rate=rate) for each in stretch])
        new[:, first:last] += -stretch if turned else stretch
        played.append(Played((one.at + off) / rate, speeds[one.number], round(1000 * off / rate, 3), turned))
    if part.audio.shape[0] == 1 and np.array_equal(new[0], new[1]):
        new = new[:1]
    wide = max(part.audio.shape[0], new.shape[0])
    audio, old = (np.broadcast_to(one, (wide, frames)) if one.shape[0] == 1 else one for one in (part.audio, old))
    share = share_pct / 100
    before, after = _energy(old, rate), _energy(new, rate)
    if min(before, after) < SILENT:
        raise InvalidAudio("the strokes of this row are silent: there is nothing to replace")
    mixed = (1 - share) * old + share * math.sqrt(before / after) * new
    level = math.sqrt(before / max(_energy(mixed, rate), SILENT))
    return replace(part, audio=np.asarray(audio - old + level * mixed)), tuple(played)


def _energy(audio: Samples, rate: int) -> float:
    weighted = k_weighted(audio, sample_rate=rate)
    return float((weighted**2).sum(axis=1).mean())

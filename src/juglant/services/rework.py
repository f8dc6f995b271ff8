"""A recorded drum part worked over, as it would be: its strokes, what is done to them, its sound, a take and MIDI of it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Annotated

import numpy as np
from pydantic import BaseModel, ConfigDict, Field

from juglant.core.errors import InvalidAudio
from juglant.core.hit.rework import (
    GONE_DB,
    Part,
    Played,
    evened,
    incidental_by,
    own_strokes,
    read_part,
    replaced,
    retimed,
    silenced_at,
    small_events,
    velocities,
)
from juglant.core.measure.drum_part import RowEvenness, Which, evenness_of, in_band, with_falls
from juglant.core.measure.level import db, true_peak
from juglant.core.measure.pattern import ROWS, STEPS_A_BEAT, Pattern, Row
from juglant.core.memory import newest
from juglant.core.model.hit import Hit
from juglant.core.model.ids import PART_PATTERN
from juglant.core.model.part import Part as TrackPart
from juglant.core.model.track import Track
from juglant.core.model.velocity import Velocity
from juglant.core.pictures.layers import outline
from juglant.core.synth.takes import ID_PATTERN, TakeAudio, find_take
from juglant.core.types import Samples
from juglant.formats.midi import strokes_midi
from juglant.services.patterns import pattern_read
from juglant.services.takes import LONGEST_NAME, LoadedTake, MadeOf, Shelf, heard_wav

COLUMNS, BAR_STEPS = 720, 16
LOUDEST_DB = 12.0
# Parts of the spectrum in which it is told what else was changed, Hz.
TOLD_HZ = {"below 120 Hz": (None, 120.0), "120 Hz to 2 kHz": (120.0, 2000.0), "above 2 kHz": (2000.0, None)}
SILENT_DB = -120.0
# Less than this is no movement, ms.
MOVED_MS = 0.05


class Rework(BaseModel):
    """What is done, in this order: the row evened by a share, what is small between the strokes raised or taken out (small:
    which, by their numbers; None: all), the row's strokes silenced where a part of the track plays, moved to the grid or to
    another loop's groove by a share, and replaced by a hit of the track by a share."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)
    row: Which = "all"
    level_pct: float = Field(default=0, ge=0, le=100)
    landing_pct: float = Field(default=0, ge=0, le=100)
    length_pct: float = Field(default=0, ge=0, le=100)
    small_db: float = Field(default=0, ge=GONE_DB, le=LOUDEST_DB)
    small: tuple[Annotated[int, Field(ge=1, le=100_000)], ...] | None = Field(default=None, max_length=5000)
    under: str | None = Field(default=None, max_length=40, pattern=PART_PATTERN)
    timed_pct: float = Field(default=0, ge=0, le=100)
    groove: str | None = Field(default=None, pattern=ID_PATTERN)
    bpm: float | None = Field(default=None, ge=20, le=400)
    by: str | None = Field(default=None, max_length=40, pattern=PART_PATTERN)
    share_pct: float = Field(default=100, ge=0, le=100)
    aligned: bool = True


class ReworkedTake(Rework):
    """The same, and what the take is called."""

    name: str = Field(min_length=1, max_length=LONGEST_NAME)


class SeenStroke(BaseModel):
    """One stroke of a part, s."""

    model_config = ConfigDict(frozen=True)
    number: int
    at_s: float
    end_s: float
    rows: tuple[Row, ...]
    level_db: float
    incidental: bool
    clipped: bool


class Strokes(BaseModel):
    """A take as a drum part: its strokes, how even a row is, and how many strokes each row has; bar_s: where its bar 1
    is; untimed: why no tempo was read, None where one was;
    gone_db, loudest_db: small events are moved by so much, the least of which leaves nothing."""

    model_config = ConfigDict(frozen=True)
    take: str
    row: Which
    duration_s: float
    strokes: tuple[SeenStroke, ...]
    counts: dict[Row, int]
    even: RowEvenness
    bpm: float | None
    bar_s: float
    untimed: str | None
    bass: bool
    gone_db: float
    loudest_db: float
    low: tuple[float, ...]
    high: tuple[float, ...]


class BandChange(BaseModel):
    """By how much a part of the spectrum is louder, over the whole part, dB; None where it was or is silent."""

    model_config = ConfigDict(frozen=True)
    band: str
    by_db: float | None


class Reworked(BaseModel):
    """What was done, in words; how even the row is then; the strokes that are played; what else it changed."""

    model_config = ConfigDict(frozen=True)
    done: tuple[str, ...]
    even: RowEvenness
    played: tuple[Played, ...]
    changed: tuple[BandChange, ...]
    peak_db: float
    low: tuple[float, ...]
    high: tuple[float, ...]


@dataclass(frozen=True)
class _Names:
    """What the parts of the track are called: the one a row is silenced under, the one it is replaced by."""

    under: str = ""
    by: str = ""


@dataclass(frozen=True)
class _Made:
    part: Part
    done: tuple[str, ...]
    played: tuple[Played, ...]


# A take of a hundred seconds in two channels is 77 MB: no more of them than one works at.
@newest(2)
def _part(take: str) -> Part:
    """Pure: a take never changes."""
    found = find_take(take)
    if found is None:
        raise InvalidAudio("this sound is not here")
    return read_part(found.audio, sample_rate=found.sample_rate)


def strokes_of(shelf: Shelf, take: str, row: Which, hint_bpm: float | None) -> Strokes:
    """A take as a drum part; raises NotFound, and InvalidAudio where nothing begins in it."""
    shelf.the(take)
    part, read = _part(take), pattern_read(take, hint_bpm, None)
    rate = part.sample_rate
    low, high = outline(part.mono, COLUMNS)
    seen = tuple(
        SeenStroke(
            number=one.number, at_s=one.at / rate, end_s=one.end / rate, rows=one.rows, level_db=one.level_db,
            incidental=one.incidental, clipped=one.clipped,
        )
        for one in part.strokes
    )  # fmt: skip
    return Strokes(
        take=take,
        row=row,
        duration_s=part.audio.shape[1] / rate,
        strokes=seen,
        counts={each: sum(each in one.rows and not one.incidental for one in seen) for each in ROWS},
        even=evenness_of(part.mono, list(part.strokes), row, sample_rate=rate),
        bpm=None if read.refused else read.bpm,
        bar_s=read.bar_s,
        untimed=read.refused,
        bass=read.bass,
        gone_db=GONE_DB,
        loudest_db=LOUDEST_DB,
        low=low,
        high=high,
    )


def _timed(take: str, how: Rework, hint_bpm: float) -> Pattern:
    read = pattern_read(take, hint_bpm, how.bpm)
    if read.refused:
        raise InvalidAudio(f"no time was read in it: {read.refused}")
    return read


def _on_the_beat_ms(read: Pattern) -> float:
    """How late the strokes on whole beats are: they are what a grid is laid on, however late those between them are."""
    late = [one.off_ms for one in read.hits if one.at_beats % 1 == 0]
    return float(np.median(late)) if late else 0.0


def groove_of(read: Pattern) -> dict[tuple[Row, int], float]:
    """How late a loop plays each sixteenth of a bar against its beats, by row, as a share of a sixteenth."""
    found: dict[tuple[Row, int], list[float]] = {}
    step_ms = 60000 / read.bpm / STEPS_A_BEAT
    for one in read.hits:
        found.setdefault((one.row, round(one.at_beats * STEPS_A_BEAT) % BAR_STEPS), []).append(one.off_ms / step_ms)
    beat = _on_the_beat_ms(read) / step_ms
    return {place: float(np.mean(late)) - beat for place, late in found.items()}


def _places(part: Part, row: Which, read: Pattern, groove: dict[tuple[Row, int], float]) -> dict[int, float]:
    """Where every stroke of a row belongs, s: its nearest sixteenth, as late as the groove plays that."""
    step_s, out = 60 / read.bpm / STEPS_A_BEAT, {}
    bar_s = read.bar_s + _on_the_beat_ms(read) / 1000
    for one in (each for each in part.strokes if each.of(row)):
        step = round((one.at / part.sample_rate - bar_s) / step_s)
        place = step % BAR_STEPS
        # What a groove does not play in this row it may in another.
        late = next((groove[row, place] for row in (*one.rows, *ROWS) if (row, place) in groove), 0.0)
        out[one.number] = bar_s + (step + late) * step_s
    return out


def _struck_s(track: Track, part: TrackPart, read: Pattern, duration_s: float) -> list[float]:
    """Where a part of the track is struck in a loop that runs along with it from bar 1, s, again as often as it fits."""
    beat_s, length = 60 / read.bpm, track.sheet.length_beats
    turns = range(-1, int(duration_s / (length * beat_s)) + 2)
    return [read.bar_s + (turn * length + one.at_beats) * beat_s for turn in turns for one in track.played(part)]


@newest(2)
def _made(take: str, how: Rework, hit: Hit | None, names: _Names, struck: tuple[float, ...], hint_bpm: float) -> _Made:
    part = _part(take)
    own_strokes(part, how.row)
    done: list[str] = []
    if how.level_pct or how.landing_pct or how.length_pct:
        part = evened(part, how.row, level_pct=how.level_pct, landing_pct=how.landing_pct, length_pct=how.length_pct)
        shares = {"level": how.level_pct, "landing": how.landing_pct, "length": how.length_pct}
        done.append("evened: " + ", ".join(f"{what} by {share:g} %" for what, share in shares.items() if share))
    if how.small_db:
        part = incidental_by(part, how.small_db, how.small)
        count = len(small_events(part, how.small))
        what = (
            "taken out"
            if how.small_db <= GONE_DB
            else f"{'raised' if how.small_db > 0 else 'lowered'} by {abs(how.small_db):g} dB"
        )
        done.append(f"{count} small {'event' if count == 1 else 'events'} between the strokes {what}")
    if how.under is not None:
        part, count = silenced_at(part, how.row, list(struck))
        done.append(f"{count} {'stroke' if count == 1 else 'strokes'} silenced where {names.under} plays")
    if how.timed_pct:
        groove = {} if how.groove is None else groove_of(_timed(how.groove, Rework(), hint_bpm))
        moved = retimed(part, _places(part, how.row, _timed(take, how, hint_bpm), groove), how.timed_pct)
        pairs = zip(part.strokes, moved.strokes, strict=True)
        most_ms = 1000 * max(abs(after.at - before.at) for before, after in pairs) / part.sample_rate
        where, part = "groove" if how.groove else "grid", moved
        done.append(
            f"moved {how.timed_pct:g} % of the way to the {where}, by {most_ms:.1f} ms at most"
            if most_ms >= MOVED_MS
            else f"all of it is on the {where} already: nothing is moved"
        )
    played: tuple[Played, ...] = ()
    if hit is not None and how.by is not None:
        part, played = replaced(part, how.row, hit, share_pct=how.share_pct, aligned=how.aligned, bpm=hint_bpm)
        fitted, turned = sum(one.offset_ms != 0 for one in played), sum(one.turned for one in played)
        done.append(
            f"{len(played)} {'stroke' if len(played) == 1 else 'strokes'} {how.share_pct:g} % {names.by}"
            + (f", {fitted} moved" if fitted else "")
            + (f", {turned} turned" if turned else "")
        )
    return _Made(part, tuple(done), played)


def _asked(shelf: Shelf, track: Track, take: str, how: Rework) -> _Made:
    shelf.the(take)
    if how.groove is not None:
        shelf.the(how.groove)
    names, hit, struck = _Names(), None, tuple[float, ...]()
    how = _plain(how)
    if how.under is not None:
        part, read = track.hit_of(how.under), _timed(take, how, track.sheet.bpm)
        names = replace(names, under=part.name)
        struck = tuple(_struck_s(track, part, read, _part(take).audio.shape[1] / _part(take).sample_rate))
    if how.by is not None:
        by = track.hit_of(how.by)
        names, hit = replace(names, by=by.name), by.hit
    return _made(take, how, hit, names, struck, track.sheet.bpm)


def _plain(how: Rework) -> Rework:
    # Without what a take of it is called.
    return Rework(**how.model_dump(include=set(Rework.model_fields)))


def _changes(before: Samples, after: Samples, rate: int) -> tuple[BandChange, ...]:
    out = []
    for name, band in TOLD_HZ.items():
        levels = [db(float(np.sqrt(np.mean(in_band(one, band, rate) ** 2)))) for one in (before, after)]
        out.append(BandChange(band=name, by_db=round(levels[1] - levels[0], 2) if min(levels) > SILENT_DB else None))
    return tuple(out)


def reworked(shelf: Shelf, track: Track, take: str, how: Rework) -> Reworked:
    """What would be made, nothing of it kept; raises NotFound, NoSuchPart and InvalidAudio."""
    made = _asked(shelf, track, take, how)
    mono, rate = made.part.mono, made.part.sample_rate
    low, high = outline(mono, COLUMNS)
    return Reworked(
        done=made.done,
        # Measured as it is now, lengths too.
        even=evenness_of(mono, with_falls(mono, list(made.part.strokes), rate), how.row, sample_rate=rate),
        played=made.played,
        changed=_changes(_part(take).mono, mono, rate),
        peak_db=round(db(true_peak(made.part.audio)), 2),
        low=low,
        high=high,
    )


def reworked_wav(shelf: Shelf, track: Track, take: str, how: Rework, sample_rate: int) -> bytes:
    """What would be made, its first seconds, as a 32-bit float WAV; raises NotFound, NoSuchPart and InvalidAudio."""
    made = _asked(shelf, track, take, how).part
    return heard_wav(made.audio, made.sample_rate, sample_rate)


def reworked_take(shelf: Shelf, track: Track, take: str, how: ReworkedTake) -> LoadedTake:
    """What was made as a take of its own; raises NotFound, NoSuchPart, and InvalidAudio where nothing is done."""
    made = _asked(shelf, track, take, how)
    if not made.done:
        raise InvalidAudio("nothing is done to it yet: move a ruler, or choose what it is replaced by; nothing was kept")
    made_of = MadeOf(way="reworked", take=take, said="; ".join(made.done))
    return shelf.keep(how.name, TakeAudio(made.part.audio, made.part.sample_rate), made_of=made_of)


def reworked_midi(shelf: Shelf, track: Track, take: str, how: Rework) -> bytes:
    """The strokes of the row as MIDI, where they are then and as strong as they are, at the tempo that was read."""
    made = _asked(shelf, track, take, how)
    read, part = pattern_read(take, track.sheet.bpm, how.bpm), made.part
    own = own_strokes(part, how.row)
    strengths = velocities(part, how.row, Velocity().range_db)
    struck: Sequence[tuple[float, int]] = [(one.at_s, one.velocity) for one in made.played] or [
        (one.at / part.sample_rate, strengths[one.number]) for one in own
    ]
    bpm, bar_s = (track.sheet.bpm, 0.0) if read.refused else (read.bpm, read.bar_s)
    beats = [(max(0.0, (at - bar_s) * bpm / 60), velocity) for at, velocity in struck]
    return strokes_midi(beats, role="kick" if how.row == "all" else how.row, bpm=bpm)

"""The same clearance by other means: EQ, ducking, later or shorter bass notes, a shorter kick; each with what it costs."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from juglant.core.errors import InvalidTrack
from juglant.core.hit.shorten import shortened
from juglant.core.loop.render import Stems, heard_kick
from juglant.core.measure.level import loop_loudness
from juglant.core.model.ids import BASS_PART, KICK_ID
from juglant.core.model.strokes import BassNote
from juglant.core.model.track import Track
from juglant.core.plans.bare import measured, unplanned
from juglant.core.plans.plan import plan_carve, plan_duck
from juglant.core.progress import steps
from juglant.core.separate.aims import Standing, aims_of, furthest
from juglant.core.separate.filters import move_sections, yielder
from juglant.core.signal.filters import response

# How far each is taken before it is given up.
MOST_GAP_MS, LEAST_RATIO = 240.0, 0.35
STEPS, NEARLY_DB = 6, 0.1
# What comes nearer to the goal by less than this is no way.
HELPS_DB = 0.5
SHORTEST_BEATS = 1 / 16
GRID_HZ = np.geomspace(20, 2000, 200)


@dataclass(frozen=True)
class WayCost:
    """One way to the goal, made, rendered and measured.

    amount, unit: how much of it; lost_lu: loudness that the part which gives way loses; short_db: of the goal.
    """

    id: str
    title: str
    amount: float
    unit: str
    reached_db: float
    short_db: float
    lost_lu: float | None


@dataclass(frozen=True)
class Way:
    """What a way costs, and the track with it."""

    cost: WayCost
    track: Track


def _reached(track: Track) -> tuple[Standing | None, Stems]:
    """How what lacks most stands."""
    stems, contest, table = measured(track)
    return furthest(aims_of(track.sheet, contest), table.kick, table.bass), stems


def ways(track: Track) -> list[Way]:
    """Every way that helps, on the track without carve and duck: those that reach the goal first, then by loudness lost.

    Empty where kick and bass do not clash.
    """
    bare = unplanned(track)
    before, stems = _reached(bare)
    if before is None:
        return []
    part = yielder(track.sheet.owner)
    loud = loop_loudness(getattr(stems, part), sample_rate=track.sheet.sample_rate)
    found = [
        way
        for make in steps((_carve, _duck, _kick_shorter, _gap if part == "bass" else _nothing))
        if (way := make(bare, part, loud)) is not None and way.cost.short_db < before.short_db - HELPS_DB
    ]
    return sorted(found, key=lambda one: (one.cost.short_db > NEARLY_DB, _lost(one), one.cost.short_db))


def _lost(one: Way) -> float:
    """By how much a way changes the loudness, LU; one that leaves none to measure comes last."""
    return math.inf if one.cost.lost_lu is None else abs(one.cost.lost_lu)


def _way(name: str, title: str, amount: float, unit: str, made: Track, part: str, loud: float | None) -> Way | None:
    reached, stems = _reached(made)
    if reached is None:
        return None
    after = loop_loudness(getattr(stems, part), sample_rate=made.sheet.sample_rate)
    lost = loud - after if loud is not None and after is not None else None
    return Way(WayCost(name, title, amount, unit, reached.clearance_db, reached.short_db, lost), made)


def _carve(bare: Track, part: str, loud: float | None) -> Way | None:
    made, plan, _ = plan_carve(bare)
    if plan is None:
        return None
    level = np.abs(response(move_sections(made.carve.moves, sample_rate=made.sheet.sample_rate), GRID_HZ,
                            sample_rate=made.sheet.sample_rate))  # fmt: skip
    return _way("carve", f"Carve the {part}", min(0.0, float(20 * np.log10(level.min()))), "dB", made, part, loud)


def _duck(bare: Track, part: str, loud: float | None) -> Way | None:
    made, _ = plan_duck(bare)
    return _way("duck", "Duck the bass", -made.duck.depth_db, "dB", made, part, loud) if made.duck.on else None


def _nothing(bare: Track, part: str, loud: float | None) -> Way | None:
    return None


def _least(bare: Track, made: Callable[[float], Track], most: float) -> tuple[float, Track]:
    """The least amount, by halving, whose track reaches the goal; the most where none does."""

    def short(amount: float) -> float:
        reached, _ = _reached(made(amount))
        # What no longer meets is as clear as can be.
        return 0.0 if reached is None else reached.short_db

    if short(most) > NEARLY_DB:
        return most, made(most)
    low, high = 0.0, most
    for _ in range(STEPS):
        middle = 0.5 * (low + high)
        low, high = (low, middle) if short(middle) <= NEARLY_DB else (middle, high)
    return high, made(high)


def _gap(bare: Track, part: str, loud: float | None) -> Way | None:
    """No bass from each kick on for so long: notes that start there start later, notes held into it end and begin again."""
    ms, made = _least(bare, lambda amount: with_gaps(bare, amount), MOST_GAP_MS)
    return _way("gap", "Let the bass start later and end earlier", ms, "ms", made, part, loud)


def with_gaps(track: Track, gap_ms: float) -> Track:
    """The track with its bass silent for `gap_ms` after every kick."""
    gap, length = gap_ms * track.sheet.bpm / 60000, track.sheet.length_beats
    notes: list[BassNote] = []
    for note in track.bass_notes:
        pieces = [(note.at_beats, note.at_beats + note.length_beats)]
        if note.at_beats < length:
            for hit in sorted(turn + at for at in track.kicks() for turn in (-length, 0, length)):
                pieces = [part for piece in pieces for part in _without(piece, hit, hit + gap)]
        notes += [
            note.model_copy(update={"at_beats": round(start, 4), "length_beats": round(end - start, 4)})
            for start, end in pieces
            if end - start >= SHORTEST_BEATS
        ]
    return track.with_part(BASS_PART, notes=tuple(notes))


def _without(piece: tuple[float, float], start: float, end: float) -> list[tuple[float, float]]:
    """What is left of a stretch with another taken out of it."""
    if end <= start:
        return [piece]
    left = [(piece[0], min(piece[1], start)), (max(piece[0], end), piece[1])]
    return [part for part in left if part[1] - part[0] > 1e-9]


def _kick_shorter(bare: Track, part: str, loud: float | None) -> Way | None:
    """The kick's holds and decays scaled down."""
    try:
        kick = bare.kick
        share, made = _least(bare, lambda amount: bare.with_hit(KICK_ID, shortened(kick, 1 - amount)), 1 - LEAST_RATIO)
    except InvalidTrack:
        return None
    if made.kick == bare.kick:
        return None
    rate = bare.sheet.sample_rate
    by_ms = 1000 * (heard_kick(bare).audio.size - heard_kick(made).audio.size) / rate
    return _way("shorter-kick", f"Shorten the kick's tail by {100 * share:.0f} %", by_ms, "ms", made, part, loud)

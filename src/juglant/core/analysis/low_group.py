"""Several low parts at once: who is over whom in each zone, how every two add up, and the least cuts that make room."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from juglant.core.analysis.duck_aims import part_title
from juglant.core.analysis.pairs import (
    NEARLY_DB,
    PairCut,
    Side,
    ZonePair,
    contest_of_pair,
    cut_full,
    side_of,
    with_cut,
    with_least_cut,
    zone_of_pair,
    zone_rows,
)
from juglant.core.errors import InvalidTrack
from juglant.core.hit.render import folded
from juglant.core.loop.render import heard_stem, render_stem
from juglant.core.measure.level import db, loop_loudness, true_peak
from juglant.core.measure.stereo import fold_loss_db
from juglant.core.memory import elsewhere, newest
from juglant.core.model.carve import Move
from juglant.core.model.ids import BASS_PART, KICK_ID
from juglant.core.model.low_group import GROUP_ZONES, LowZone
from juglant.core.model.part import Part
from juglant.core.model.stem import StemRef
from juglant.core.model.track import Track
from juglant.core.parameter.fields import within
from juglant.core.progress import steps
from juglant.core.separate.phase import measure_phase
from juglant.core.types import Samples

# A cut that brings less is none, and a clearance that loses less is not worth a word.
WORTH_DB = 0.3
MEET_DB = 25.0
# Cuts that take more of a part's own loudness than this in all take the part itself (this project's choice).
MOST_LOST_LU = 3.0
# A cut on one part moves where it stands to the next: so often all of them are looked at again.
ROUNDS = 2


@dataclass(frozen=True)
class LowRow:
    """One zone of two parts of the group: who has it, and how far that is over the other (see ZonePair)."""

    owner: str
    owner_name: str
    yielder: str
    yielder_name: str
    zone: LowZone
    clearance_db: float
    goal_db: float
    short_db: float
    together_pct: float
    worst_beats: float | None


@dataclass(frozen=True)
class LowPair:
    """How two parts add up in the low band while the first is active: now, and at the best shift and polarity of the other.

    summing_db: 0 is perfect (method: phase). None where they do not meet, one 25 dB under the other in these zones. worth:
    whether lining them up wins enough to be done.
    """

    one: str
    one_name: str
    other: str
    other_name: str
    summing_db: float | None
    best_summing_db: float | None
    best_shift_ms: float | None
    best_inverted: bool
    worth: bool


@dataclass(frozen=True)
class LowGroupFigures:
    """Every zone and every two of the group, and the sum of all: true peak, dBTP, and what it loses in mono, dB."""

    rows: tuple[LowRow, ...]
    pairs: tuple[LowPair, ...]
    peak_dbtp: float | None
    mono_db: float | None


@dataclass(frozen=True)
class Separated:
    """The track with its low parts separated, and in words what was cut, what it cost, and what is still short."""

    track: Track
    said: tuple[str, ...]


def _checked(track: Track) -> None:
    if len(track.low_group.parts) < 2:
        raise InvalidTrack("the low group has fewer than two parts: tick those that share the low end")


def _sides(track: Track) -> dict[str, Side]:
    return {part: side_of(track, part) for part in track.low_group.parts}


def _found(track: Track, sides: dict[str, Side], pair: tuple[str, str], zone: LowZone) -> tuple[str, str, ZonePair]:
    owner = track.low_group.owner_of(*pair, zone)
    yielder = pair[1] if owner == pair[0] else pair[0]
    return owner, yielder, zone_of_pair(track, owner, sides[owner], sides[yielder], zone)


def _rows(track: Track, sides: dict[str, Side]) -> list[LowRow]:
    out = []
    for pair in track.low_group.pairs():
        for zone in GROUP_ZONES:
            owner, yielder, one = _found(track, sides, pair, zone)
            if one.clearance_db is None:
                continue
            names = part_title(track, owner), part_title(track, yielder)
            out.append(
                LowRow(
                    owner, names[0], yielder, names[1], zone, one.clearance_db, one.goal_db, one.short_db,
                    one.together_pct, one.worst_beats,
                )
            )  # fmt: skip
    return out


def _pair(track: Track, sides: dict[str, Side], pair: tuple[str, str]) -> LowPair:
    one, other = pair
    rows = [row for zone in GROUP_ZONES for row in zone_rows(zone, sides[one].heard.shape[0])]
    contest = contest_of_pair(track, one, sides[one], sides[other], rows)
    first, second = (folded(render_stem(track, StemRef(part))) for part in pair)
    active = np.asarray(contest.active.any(axis=0))
    phase = measure_phase(first, second, active, sample_rate=track.sheet.sample_rate)
    names = part_title(track, one), part_title(track, other)
    levels = [float(sides[part].heard[rows].sum()) for part in pair]
    # Of two of which one is next to nothing down there, how they add up is not a question.
    if phase is None or min(levels) < max(levels) * 10 ** (-MEET_DB / 10):
        return LowPair(one, names[0], other, names[1], None, None, None, False, False)
    now, best = phase.now.summing_db, phase.best.summing_db
    worth = best - now > WORTH_DB
    return LowPair(one, names[0], other, names[1], now, best, phase.shift_ms, phase.inverted, worth)


@newest(4)
@elsewhere(lambda track: "Comparing the low parts")
def low_group_figures(track: Track) -> LowGroupFigures:
    """The group measured as it is heard (remembered); raises InvalidTrack where it has fewer than two parts."""
    _checked(track)
    sides = _sides(track)
    total: Samples = np.zeros(1)
    for part in track.low_group.parts:
        total = total + heard_stem(track, StemRef(part))
    peak = float(true_peak(total))
    pairs = tuple(_pair(track, sides, pair) for pair in steps(track.low_group.pairs()))
    return LowGroupFigures(tuple(_rows(track, sides)), pairs, db(peak) if peak > 0 else None, fold_loss_db(total))


def aligned(track: Track, one: str, other: str) -> Separated:
    """The track with one of two low parts moved or turned so that they add best: the second, of the kick the other.

    Raises NoSuchPart for a part that is not there, and InvalidTrack where they do not meet or nothing is won.
    """
    sides = {part: side_of(track, part) for part in (one, other)}
    found = _pair(track, sides, (one, other))
    names = f"{found.one_name} and {found.other_name}"
    if found.best_shift_ms is None or found.summing_db is None or found.best_summing_db is None:
        raise InvalidTrack(f"{names} do not meet in the low end: there is nothing to line up")
    if not found.worth:
        raise InvalidTrack(f"{names} add as well as they can by start and polarity")
    # The kick stays where it is: whatever goes with it is moved.
    moved, shift_ms = (one, -found.best_shift_ms) if other == KICK_ID else (other, found.best_shift_ms)
    made = _shifted(track, moved, shift_ms, turned=found.best_inverted)
    after = _pair(made, {part: side_of(made, part) for part in (one, other)}, (one, other)).summing_db
    if after is None or after <= found.summing_db:
        raise InvalidTrack(f"{names} do not add better for being moved: what is measured after it is no more")
    title = part_title(track, moved)
    how = f"{title} {abs(shift_ms):.1f} ms {'later' if shift_ms > 0 else 'earlier'}{', turned over' * found.best_inverted}"
    return Separated(made, (f"{how}: together {found.summing_db:+.1f} to {after:+.1f} dB of perfect",))


def _shifted(track: Track, part: str, by_ms: float, *, turned: bool) -> Track:
    own = track.part(part)
    shift_ms = within(Part, "shift_ms", own.shift_ms + by_ms)
    return track.with_part(part, shift_ms=shift_ms, inverted=own.inverted != turned)


def _planned_above(pair: tuple[str, str]) -> bool:
    return set(pair) == {KICK_ID, BASS_PART}


def separated(track: Track) -> Separated:
    """The least cuts, pair by pair and zone by zone, until each owner is clear of who gives way to it, or none helps.

    Kick and bass are left to carve and duck. Raises InvalidTrack where the group has fewer than two parts.
    """
    _checked(track)
    before, first = track, {_key(row): row for row in _rows(track, _sides(track))}
    cuts: list[tuple[str, str, LowZone, PairCut]] = []
    too_dear, spent = dict[tuple[str, str, str], float](), dict[str, float]()
    for _ in range(ROUNDS):
        sides, done = _sides(track), len(cuts)
        for pair in steps([pair for pair in track.low_group.pairs() if not _planned_above(pair)]):
            for zone in GROUP_ZONES:
                owner, yielder, found = _found(track, sides, pair, zone)
                if found.clearance_db is None or found.short_db <= NEARLY_DB or cut_full(track, yielder):
                    continue
                cut = with_least_cut(track, (owner, yielder), sides[owner], sides[yielder], found).cut
                if cut is None or cut.reached_db < found.clearance_db + WORTH_DB:
                    continue
                if (loss := spent.get(yielder, 0.0) + cut.lost_lu) > MOST_LOST_LU:
                    too_dear[owner, yielder, zone] = loss
                    continue
                spent[yielder] = loss
                track = with_cut(track, yielder, Move(frequency_hz=cut.frequency_hz, gain_db=cut.gain_db, q=cut.q))
                sides[yielder] = side_of(track, yielder)
                cuts.append((owner, yielder, zone, cut))
        if len(cuts) == done:
            break
    return Separated(track, tuple(_said(before, track, first, cuts, too_dear)))


def _key(row: LowRow) -> tuple[str, str, str]:
    return row.owner, row.yielder, row.zone


def _said(
    before: Track,
    track: Track,
    first: dict[tuple[str, str, str], LowRow],
    cuts: list[tuple[str, str, LowZone, PairCut]],
    too_dear: dict[tuple[str, str, str], float],
) -> list[str]:
    """What was cut and what that cost, what lost clearance by it, and what is still short."""
    rows = {_key(row): row for row in _rows(track, _sides(track))}
    lacking = [row for row in rows.values() if row.short_db > WORTH_DB]
    still = [row for row in lacking if not _planned_above((row.owner, row.yielder))]
    said = []
    if cuts:
        parts = list(dict.fromkeys(yielder for _, yielder, _, _ in cuts))
        lost = [f"{part_title(track, part)} loses {_lost_lu(before, track, part):.1f} LU" for part in parts]
        said.append(f"{len(cuts)} {'cut' if len(cuts) == 1 else 'cuts'}: {', '.join(lost)} of loudness")
    elif not still:
        said.append("every other part is clear of those that give way to it: nothing was cut")
    for key, row in first.items():
        now = rows.get(key)
        if now is not None and now.clearance_db < row.clearance_db - WORTH_DB and now.short_db > WORTH_DB:
            fell = f"{row.clearance_db:+.1f} to {now.clearance_db:+.1f} dB"
            said.append(f"{row.owner_name} over {row.yielder_name} in {row.zone} fell from {fell} by these cuts")
    if left := [row for row in lacking if row not in still]:
        zones = " and ".join(row.zone for row in left)
        said.append(f"{left[0].owner_name} over {left[0].yielder_name} in {zones} is left to carve and duck")
    for row in still:
        dear = too_dear.get(_key(row))
        why = cut_full(track, row.yielder) or "a cut as deep as any does no more: duck it, or turn it down"
        if dear is not None:
            why = f"cuts would take {dear:.1f} LU of it: duck it, or let it have the zone"
        short = f"{row.short_db:.1f} dB short over {row.yielder_name} in {row.zone}"
        said.append(f"{row.owner_name} is still {short}: {why}")
    return said


def _lost_lu(before: Track, after: Track, part: str) -> float:
    rate = before.sheet.sample_rate
    here, there = (loop_loudness(folded(render_stem(one, StemRef(part))), sample_rate=rate) for one in (before, after))
    return here - there

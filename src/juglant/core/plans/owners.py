"""Who should own the sub: what each school would cost for these sounds, and what the sounds themselves lean to."""

from __future__ import annotations

from dataclasses import dataclass
from typing import get_args

import numpy as np

from juglant.core.analysis.analyse import Analysis
from juglant.core.analysis.room_cost import measure_room
from juglant.core.measure.bands import LOW_CENTRES_HZ
from juglant.core.measure.level import db, loop_loudness
from juglant.core.model.sheet import Owner, School
from juglant.core.model.track import Track
from juglant.core.music.notes import note_hz
from juglant.core.music.tempo import beat_ms
from juglant.core.plans.bare import measured, unplanned
from juglant.core.plans.plan import make_room
from juglant.core.progress import steps
from juglant.core.separate.aims import aims_of, furthest
from juglant.core.separate.filters import move_sections
from juglant.core.signal.filters import response
from juglant.core.tune.systems import SYSTEMS

SCHOOLS: tuple[School, ...] = get_args(School)
# The sub: bands up to here, Hz (zones of the brief).
SUB_TOP_HZ = 56.0
LONG_BEATS, SHORT_BEATS = 0.6, 0.35
SHORT_DB = 0.1
# Half of the systems of the table play this.
PLAYED_HZ = sorted(system.lowest_hz for system in SYSTEMS)[len(SYSTEMS) // 2]
GRID_HZ = np.geomspace(40, 2000, 200)


@dataclass(frozen=True)
class OwnerCost:
    """One school with its plan made, rendered and measured.

    deepest_cut_db: of the carve's response from 40 Hz on; lost_lu, low_middle_db, spread_lu: of the yielder, as `RoomCost`
    says them; duck_db: how deep the duck goes;
    peak_db, loudness_lufs: of kick and bass together, so that what it wins in headroom can be read off.
    """

    owner: Owner
    goal_db: float
    reached_db: float | None
    short_db: float | None
    deepest_cut_db: float
    lost_lu: float | None
    low_middle_db: float | None
    spread_lu: float | None
    duck_db: float
    peak_db: float | None
    loudness_lufs: float | None
    reason: str


@dataclass(frozen=True)
class OwnerPlan:
    """What an owner costs, and the track planned for it."""

    cost: OwnerCost
    track: Track


@dataclass(frozen=True)
class Lean:
    """One thing the sounds say, and for whom."""

    owner: Owner
    reason: str


def owner_plans(track: Track) -> list[OwnerPlan]:
    """What every owner would cost, in the order of the choices; each plan is made on the track without carve or duck.

    By zones too where the track has them: what they are is its own.
    """
    own: tuple[Owner, ...] = ("zones",) if track.sheet.owner == "zones" else ()
    return [_planned(track, owner) for owner in steps((*SCHOOLS, *own))]


def _planned(track: Track, owner: Owner) -> OwnerPlan:
    asked = unplanned(track).model_copy(update={"sheet": track.sheet.model_copy(update={"owner": owner})})
    done = make_room(asked)
    stems, contest, table = measured(done)
    aims = aims_of(done.sheet, contest)
    now = furthest(aims, table.kick, table.bass)
    if now is None:
        why = contest.reason or aims[0].contest.reason or ""
        return OwnerPlan(OwnerCost(owner, aims[0].goal.db, None, None, 0.0, None, None, None, 0.0, None, None, why), asked)
    short = now.short_db
    rate, moves = track.sheet.sample_rate, done.carve.moves if done.carve.on else ()
    level = 20 * np.log10(np.abs(response(move_sections(moves, sample_rate=rate), GRID_HZ, sample_rate=rate)))
    low, room = stems.kick + stems.bass, measure_room(done, stems)
    peak = float(np.max(np.abs(low), initial=0.0))
    cost = OwnerCost(
        owner=owner,
        goal_db=now.aim.goal.db,
        reached_db=now.clearance_db,
        short_db=short,
        deepest_cut_db=min(0.0, float(level.min())),
        lost_lu=None if room is None else room.lost_lu,
        low_middle_db=None if room is None else room.low_middle_db,
        spread_lu=None if room is None else room.spread_lu,
        duck_db=done.duck.depth_db if done.duck.on else 0.0,
        peak_db=db(peak) if peak > 0 else None,
        loudness_lufs=loop_loudness(low, sample_rate=rate),
        reason="" if short <= SHORT_DB else f"{short:.1f} dB short of what it asks",
    )
    return OwnerPlan(cost, done)


def leans(found: Analysis) -> list[Lean]:
    """What spectra, lengths and notes of the sounds themselves lean to: common practice, no rule."""
    track, out = found.track, []
    sub = np.array(LOW_CENTRES_HZ) < SUB_TOP_HZ
    kick, bass = found.table.kick_before, found.table.bass_before
    if kick.sum() <= 0 or bass.sum() <= 0:
        return []
    kick_sub, bass_sub = (float(x[sub].sum() / x.sum()) for x in (kick, bass))
    if kick_sub > bass_sub + 0.1:
        out.append(Lean("kick", f"of the low energy, {_pct(kick_sub)} of the kick and {_pct(bass_sub)} of the bass is sub"))
    elif bass_sub > kick_sub + 0.1:
        out.append(Lean("bass", f"of the low energy, {_pct(bass_sub)} of the bass and {_pct(kick_sub)} of the kick is sub"))
    out += _by_length(found)
    notes = sorted({note.note for note in track.notes()})
    lowest_hz = note_hz(notes[0], track.sheet.a4_hz) if notes else None
    if lowest_hz is not None and lowest_hz < PLAYED_HZ:
        out.append(Lean("kick", f"its lowest note, {lowest_hz:.0f} Hz, is more than half of common systems play of a bass"))
    landing_hz = found.kick.landing.landing_hz if found.kick else None
    if landing_hz is not None and landing_hz > 1.6 * SUB_TOP_HZ:
        out.append(Lean("bass", f"the kick lands at {landing_hz:.0f} Hz, over the sub"))
    return out


def _by_length(found: Analysis) -> list[Lean]:
    track, out = found.track, []
    length_ms = found.kick.timing.length_ms if found.kick else None
    if length_ms is None:
        return []
    beats = length_ms / beat_ms(track.sheet.bpm)
    if beats > LONG_BEATS:
        out.append(
            Lean("kick-is-bass", f"the kick sounds for {beats:.2f} beats: it carries the low end between its starts")
        )
    elif beats < SHORT_BEATS:
        out.append(Lean("bass", f"the kick sounds for {beats:.2f} beats only: the sub is free most of the time"))
    kicks = {round(at, 3) for at in track.kicks()}
    notes = track.notes()
    with_kick = sum(round(note.at_beats, 3) in kicks for note in notes)
    if notes and with_kick == 0:
        out.append(Lean("shared", "no note starts with a kick: they take turns already"))
    return out


def _pct(share: float) -> str:
    return f"{100 * share:.0f} %"

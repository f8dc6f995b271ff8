"""Owners by zone: what each asks, both parts carved by one plan against brute force and scipy, and what no plan can do."""

from __future__ import annotations

from functools import cache
from itertools import product

import numpy as np
import pytest
from outside_room import RATE, response_db
from pydantic import ValidationError
from reference_clearance import CENTRES_HZ, active_cells, band_frames, clearance_db
from scipy import signal as dsp
from support import sheet_with, tone
from unlike_tracks import UNLIKE

from juglant.core.analysis.analyse import Analysis, analyse
from juglant.core.findings.registry import find_all
from juglant.core.model.sheet import Sheet, Zone
from juglant.core.model.track import Track
from juglant.core.music.notes import note_hz
from juglant.core.plans import zone_plan
from juglant.core.plans.plan import make_room, plan_carve, planned
from juglant.core.plans.zone_plan import plan_zones
from juglant.core.reports.report import report
from juglant.core.separate.aims import NO_BAND, NO_BASS_HERE, NO_KICK_HERE, aims_of
from juglant.core.separate.carve_judge import Judge
from juglant.core.separate.clearance import find_contest
from juglant.core.separate.filters import move_sections
from juglant.core.separate.joint_carve import JointPlan, JointProblem, solve_joint
from juglant.demo.track import untouched_track

Zones = tuple[tuple[float, str], ...]
SHARED_BASS: Zones = ((100.1, "shared"), (224, "bass"))
KICK_BASS_SHARED: Zones = ((70, "kick"), (141, "bass"), (224, "shared"))
GOALS_DB = {"kick": 10.0, "shared": 6.0, "bass": -10.0}


def by_zones(track: Track, zones: Zones, **carve: object) -> Track:
    own = tuple(Zone.model_validate({"to_hz": hz, "owner": owner}) for hz, owner in zones)
    changes = {"carve": track.carve.model_copy(update=carve)} if carve else {}
    return sheet_with(track, owner="zones", zones=own).model_copy(update=changes)


def source(name: str) -> Track:
    return untouched_track() if name == "demo" else UNLIKE[name]


@cache
def made(name: str, zones: Zones, order: str = "carve first", depth_db: float = 6.0) -> Analysis:
    return analyse(make_room(by_zones(source(name), zones, order=order, depth_limit_db=depth_db)))


REACHED = [
    ("demo", SHARED_BASS, "carve first", 8.0),
    ("low kick, bass above, 126", KICK_BASS_SHARED, "duck first", 6.0),
    ("bass owns, driven, 126", KICK_BASS_SHARED, "carve first", 6.0),
    ("low kick, bass above, 126", KICK_BASS_SHARED, "carve first", 6.0),
]


@pytest.mark.parametrize(("name", "zones", "order", "depth_db"), REACHED)
def test_every_zone_reaches_its_goal_and_scipy_finds_the_same(name: str, zones: Zones, order: str, depth_db: float) -> None:
    found = made(name, zones, order, depth_db)
    stems = {
        "kick": found.stems.kick, "kick-before": found.stems.kick_before, "bass": found.stems.bass,
        "bass-before": found.stems.bass_before,
    }  # fmt: skip
    low, judged = 20.0, 0
    for zone, (to_hz, owner) in zip(found.clearance.zones, zones, strict=True):
        if zone.reason is None:
            judged += 1
            reached = clearance_db(stems, "shared", RATE, found.clearance.strokes_s, (low, to_hz))
            assert zone.after_db == pytest.approx(reached, abs=0.15)
            assert zone.goal.short_db(reached) <= 0.3, (low, to_hz, owner)
            assert zone.goal.db == GOALS_DB[owner]
        low = to_hz
    assert judged >= 2


@pytest.mark.parametrize(
    ("name", "zones", "order", "depth_db"), [*REACHED, ("saw, held, 96", KICK_BASS_SHARED, "carve first", 6.0)]
)
def test_both_parts_keep_their_limits(name: str, zones: Zones, order: str, depth_db: float) -> None:
    """By scipy from the stems: only cuts, as deep as allowed, no steeper than 18 dB an octave."""
    found = made(name, zones, order, depth_db)
    track, stems = found.track, found.stems
    lowest = min(note_hz(note.note, 440) for note in track.notes())
    sides = (
        (stems.bass_before, stems.bass_unducked, track.carve.moves, lowest, depth_db),
        (stems.kick_before, stems.kick, track.carve.kick_moves, 25.0, 12.0),
    )
    for before, carved, moves, from_hz, deepest in sides:
        hz, gain_db = response_db(before, carved, track.carve.floor_hz)
        assert gain_db.max() <= 0.35
        assert gain_db[hz >= from_hz].min() >= -deepest - 0.15
        assert len(moves) <= 3
        for move in moves:
            if move.shape == "high-pass":
                sections = dsp.butter(move.slope_db // 6, move.frequency_hz, "highpass", fs=RATE, output="sos")
                gain_db = gain_db - 20 * np.log10(np.abs(dsp.sosfreqz(sections, hz, fs=RATE)[1]))
        places = np.geomspace(max(from_hz, hz.min()), 2000, 300)
        assert np.abs(np.diff(np.interp(places, hz, gain_db)) / np.diff(np.log2(places))).max() <= 18.6


IMPOSSIBLE: Zones = ((56, "kick"), (71, "bass"), (90, "kick"), (112, "bass"))


@pytest.mark.parametrize(
    ("name", "zones"),
    [
        ("demo", KICK_BASS_SHARED), ("octaves, 140", IMPOSSIBLE), ("off-beats, 140, shared", KICK_BASS_SHARED),
        ("sixteenths, 126", IMPOSSIBLE),
    ],
)  # fmt: skip
def test_zones_that_contradict_each_other_are_said_and_nothing_is_ruined_for_them(name: str, zones: Zones) -> None:
    track = by_zones(source(name), zones)
    before = analyse(track).clearance.zones
    carved, plan, _ = plan_carve(track)
    after = analyse(carved).clearance.zones
    for was, now in zip(before, after, strict=True):
        if was.short_db is not None and now.short_db is not None:
            # What was reached stays so, what was not comes no further from it, but for what one cut takes of the next zone.
            assert now.short_db <= was.short_db + 1.0, (was.from_hz, was.to_hz)
    assert plan is not None
    if plan.limited:
        assert plan.binding
        assert plan.where
    done = planned(track)
    short = [zone for zone in analyse(done.track).clearance.zones if (zone.short_db or 0) > 0.2]
    assert bool(short) == any("short of the goal by" in line for line in done.said)


def test_a_zone_that_is_short_is_a_finding_of_its_own() -> None:
    found = made("demo", IMPOSSIBLE)
    short = [zone for zone in found.clearance.zones if zone.short_db is not None and zone.short_db > 0.25]
    ids = {one.id for one in find_all(found)}
    assert short
    assert sum(one.startswith("clearance-short-zone-") for one in ids) == len(short)
    figures = report(found, []).clearance
    worst = max(short, key=lambda zone: zone.short_db or 0)
    assert figures.after_db == worst.after_db
    assert [zone.short_db for zone in figures.zones] == [zone.short_db for zone in found.clearance.zones]


def small(kick_hz: float, note: int) -> Track:
    return Track.model_validate(
        {
            "sheet": {"bpm": 125, "bars": 1}, "kick": tone(kick_hz), "kick_at_beats": (0.0, 2.0),
            "bass": {"harmonics_pct": 60, "blip_db": -60}, "mix": {"kick_gain_db": -8, "bass_gain_db": -8},
            "carve": {"floor_on": True},
            "bass_notes": [{"at_beats": 0.0, "length_beats": 3.5, "note": note}],
        }
    )  # fmt: skip


def test_bands_of_a_zone_and_why_there_are_none() -> None:
    rows = len(CENTRES_HZ)
    kick, bass = np.zeros((rows, 10)), np.zeros((rows, 10))
    kick[3, :] = bass[3, :] = 1.0  # 50 Hz
    kick[5, :] = 1.0  # 79 Hz
    bass[7, :] = 1.0  # 126 Hz
    zones = ((40, "kick"), (57, "kick"), (60, "kick"), (90, "bass"), (140, "shared"))
    sheet = Sheet.model_validate({"owner": "zones", "zones": [{"to_hz": hz, "owner": owner} for hz, owner in zones]})
    aims = aims_of(sheet, find_contest(kick, bass, "zones", zones=sheet.zones))
    assert [aim.contest.reason for aim in aims] == [
        "neither has anything here", None, NO_BAND, NO_BASS_HERE, NO_KICK_HERE
    ]  # fmt: skip
    assert [aim.contest.judged_bands for aim in aims] == [[], [3], [], [], []]


@pytest.mark.parametrize(
    "zones",
    [
        [],
        [{"to_hz": 100, "owner": "kick"}, {"to_hz": 100, "owner": "bass"}],
        [{"to_hz": 100, "owner": "kick"}, {"to_hz": 60, "owner": "bass"}],
        [{"to_hz": hz, "owner": "kick"} for hz in (30, 40, 50, 60, 70, 80)],
        [{"to_hz": 10, "owner": "kick"}],
        [{"to_hz": float("nan"), "owner": "kick"}],
        [{"to_hz": 100, "owner": "kick-is-bass"}],
    ],
)
def test_zones_that_cannot_be_are_refused(zones: list[dict[str, object]]) -> None:
    with pytest.raises(ValidationError):
        Sheet.model_validate({"owner": "zones", "zones": zones})


def joint_of(track: Track, monkeypatch: pytest.MonkeyPatch) -> tuple[JointProblem, JointPlan]:
    kept: list[tuple[JointProblem, JointPlan]] = []

    def solved(problem: JointProblem) -> JointPlan:
        kept.append((problem, solve_joint(problem)))
        return kept[-1][1]

    monkeypatch.setattr(zone_plan, "solve_joint", solved)
    plan_zones(track)
    return kept[-1]


@pytest.mark.parametrize(
    ("kick_hz", "note", "zones", "share_pct"),
    [(50, 38, ((60, "kick"), (100, "bass")), 30.0), (50, 38, ((60, "kick"), (120, "shared")), 40.0)],
)
def test_no_pair_of_bells_of_a_grid_costs_less(
    kick_hz: float, note: int, zones: Zones, share_pct: float, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Every bell on the bass with every bell on the kick that reach both zones within the limits: none costs 2 % less."""
    track = by_zones(small(kick_hz, note), zones, share_pct=share_pct)
    problem, plan = joint_of(track, monkeypatch)
    assert plan.lacks_db <= 0.11
    assert plan.bass_moves or plan.kick_moves
    bells = product(np.log2(np.geomspace(30, 220, 22)), np.linspace(-6, -0.75, 8), (-0.7, 0, 1))
    grid = np.array([(0.0, 0.0, 0.0), *bells])
    sides = []
    for part in (problem.bass, problem.kick):
        judge = Judge(part)
        tried = [judge.at(("bell",), np.ascontiguousarray(vector)) for vector in grid]
        fine = [20 * np.log10(np.abs(dsp.sosfreqz(_bell(*vector), part.fine_hz, fs=RATE)[1])) for vector in grid]
        kept = [
            k
            for k, one in enumerate(tried)
            if one.behind_lu.max() <= part.limits.note_lu
            and fine[k][part.fine_hz >= part.limits.from_hz].min() >= -part.limits.depth_db
            and np.abs(np.diff(fine[k]) / np.diff(np.log2(part.fine_hz))).max() <= 18
        ]
        sides.append([tried[k] for k in kept])
    lacks = np.full((len(sides[0]), len(sides[1])), -np.inf)
    for zone in problem.zones:
        bass, kick = (
            np.array([(one.response @ gram @ one.response.conj()).real for one in side])
            for side, gram in zip(sides, (zone.bass_gram, zone.kick_gram), strict=True)
        )
        clear = 10 * np.log10(kick[None, :] / bass[:, None])
        lacks = np.maximum(lacks, clear - zone.wanted_db if zone.at_most else zone.wanted_db - clear)
    cost = np.add.outer([one.cost for one in sides[0]], [one.cost for one in sides[1]])
    assert (lacks <= 0.1).sum() > 5
    assert plan.cost <= 1.02 * cost[lacks <= 0.1].min()


def _bell(octave: float, gain_db: float, log_q: float) -> np.ndarray:
    """The bell of the Audio EQ Cookbook (R. Bristow-Johnson), written down anew from memory of its formulas."""
    w, amp, q = 2 * np.pi * 2**octave / RATE, 10 ** (gain_db / 40), 2**log_q
    alpha = np.sin(w) / (2 * q)
    b = np.array([1 + alpha * amp, -2 * np.cos(w), 1 - alpha * amp])
    a = np.array([1 + alpha / amp, -2 * np.cos(w), 1 - alpha / amp])
    return np.concatenate((b, a))[None] / a[0]


def test_one_zone_is_what_one_owner_is() -> None:
    """All of it the kick's up to 100 Hz: the same bands, goal and share, planned by the other solver to the same cost."""
    track = UNLIKE["saw, held, 96"]
    alone, one, _ = plan_carve(track)
    zoned, other, _ = plan_carve(by_zones(track, ((100.1, "kick"),)))
    assert one is not None
    assert other is not None
    assert other.clearance_db == pytest.approx(one.clearance_db, abs=0.12)
    assert other.cost == pytest.approx(one.cost, rel=0.05)
    assert zoned.carve.kick_moves == ()
    assert analyse(zoned).clearance.before_db == pytest.approx(analyse(alone).clearance.before_db)


@pytest.mark.parametrize("share_pct", [0.0, 100.0])
def test_both_ends_of_the_share_by_zones(share_pct: float) -> None:
    """Duck alone below the bass's own zone: nothing of the bass is carved for what a duck does; carve alone: no duck."""
    zones = ((56, "kick"), (112, "shared"))
    asked = by_zones(UNLIKE["low kick, bass above, 126"], zones, share_pct=share_pct, depth_limit_db=12.0)
    found = analyse(make_room(asked))
    assert found.track.carve.on == (share_pct > 0)
    assert found.track.duck.on == (share_pct == 0)
    assert all((zone.short_db or 0) <= 0.2 for zone in found.clearance.zones)


def test_the_bass_is_not_ducked_in_its_own_zone() -> None:
    """An octave above where its own zone begins, what is heard of the bass under the kick is what there is un-ducked."""
    found = made("saw, held, 96", KICK_BASS_SHARED)
    stems = found.stems
    assert found.track.duck.on
    active = active_cells(stems.kick_before, found.clearance.strokes_s, RATE)
    heard, plain = (band_frames(one, RATE) for one in (stems.bass, stems.bass_unducked))
    taken = [
        10 * np.log10(plain[row][active[row]].sum() / heard[row][active[row]].sum())
        for row, centre in enumerate(CENTRES_HZ)
        if active[row].any() and (centre < 56 or centre > 150)
    ]
    assert taken[0] > 3
    assert abs(taken[-1]) < 0.6


def test_a_kick_that_gives_to_the_bass_is_heard_and_said_so() -> None:
    found = made("saw, held, 96", KICK_BASS_SHARED)
    hz, gain_db = response_db(found.stems.kick_before, found.stems.kick, 30)
    sections = move_sections(found.track.carve.kick_moves, sample_rate=RATE)
    wanted = 20 * np.log10(np.abs(dsp.sosfreqz(sections, hz, fs=RATE)[1]))
    inside = (hz > 40) & (hz < 400)
    assert np.abs(gain_db - wanted)[inside].max() < 0.2
    room = found.room
    assert room is not None
    assert room.kick_lost_lu is not None
    assert room.kick_punch_db is not None
    assert room.kick_punch_db < -1
    over = room.kick_lost_lu > found.track.limits.carve_loss_lu
    assert ("carve-takes-kick" in {one.id for one in find_all(found)}) == over

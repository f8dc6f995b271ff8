"""The duck: never above what is needed, back in time, and what it may do wrong."""

from __future__ import annotations

import numpy as np
import pytest
from support import sheet_with

from juglant.core.analysis.analyse import Analysis, analyse
from juglant.core.duck.curve import stroke_db
from juglant.core.duck.guards import gain_at, low_note_distortion_db, plain_of, start_click_db
from juglant.core.loop.gain import gain_rows
from juglant.core.loop.place import loop_frames
from juglant.core.loop.render import render_stems
from juglant.core.model.duck import Duck
from juglant.core.model.strokes import BassNote
from juglant.core.model.track import Track
from juglant.core.plans.plan import make_room, plan_duck

BEAT_S = 60 / 126


def test_one_stroke_by_hand() -> None:
    duck = Duck(on=True, depth_db=12, lookahead_ms=10, fall_ms=5, hold_ms=100, return_ms=200, shape=1)
    times = np.array([-0.011, -0.010, -0.0075, -0.005, 0.05, 0.1, 0.2, 0.3, 0.4])
    wanted = np.array([0, 0, -6, -12, -12, -12, -6, 0, 0])
    assert stroke_db(duck, times) == pytest.approx(wanted, abs=1e-9)


@pytest.mark.parametrize(("shape", "middle_db"), [(1.0, -6.0), (2.0, -9.0), (0.5, -12 * (1 - 0.5**0.5))])
def test_the_shape_bends_the_return(shape: float, middle_db: float) -> None:
    duck = Duck(on=True, depth_db=12, lookahead_ms=4, fall_ms=4, hold_ms=0, return_ms=200, shape=shape)
    assert stroke_db(duck, np.array([0.1]))[0] == pytest.approx(middle_db)


def test_a_kick_before_the_return_ends_restarts_the_fall_from_there(untouched: Track) -> None:
    duck = Duck(on=True, depth_db=12, lookahead_ms=20, fall_ms=20, hold_ms=50, return_ms=1000, shape=1)
    track = untouched.having(duck=duck)
    rows = gain_rows(track, loop_frames(track))
    # 20 ms before the second kick the first stroke has returned for beat - 70 ms of its 1000.
    present = -12 * (1 - (BEAT_S - 0.07) / 1.0)
    assert gain_at(rows, BEAT_S - 0.020) == pytest.approx(present, abs=0.02)
    # Straight in dB from there to the depth: halfway down at halfway through.
    assert gain_at(rows, BEAT_S - 0.010) == pytest.approx((present - 12) / 2, abs=0.02)
    assert gain_at(rows, BEAT_S) == pytest.approx(-12, abs=0.01)


def test_the_solved_duck_is_down_wherever_the_kick_needs_room(solved: Track, found: Analysis) -> None:
    depth = solved.duck.depth_db
    for stroke in found.strokes:
        covered = np.arange(stroke.start_s + 0.0002, min(stroke.end_s, solved.duck.hold_ms / 1000), 0.002)
        assert all(gain_at(found.rows, stroke.hit_s + at) <= -depth + 0.02 for at in covered)


def test_the_solved_duck_is_back_at_the_recovery_point(found: Analysis) -> None:
    for stroke in found.strokes:
        assert gain_at(found.rows, stroke.hit_s + stroke.recovery_s) > -0.05
    assert found.guards.late_notes == ()


@pytest.mark.parametrize("owner", ["kick", "shared", "kick-is-bass"])
def test_the_goal_is_reached_within_a_tenth_or_the_limit_is_named(owner: str, untouched: Track) -> None:
    track, plan = plan_duck(sheet_with(untouched, owner=owner))
    found = analyse(track)
    assert found.clearance.after_db == pytest.approx(plan.clearance_db, abs=0.01)
    near = abs(found.clearance.goal.db - (plan.clearance_db or 0)) <= 0.11
    # What the recovery point leaves uncovered no deeper duck makes up for.
    assert plan.limited or near or (plan.uncovered_ms > 0 and "not covered" in plan.reason)
    assert track.duck.depth_db <= 24


def test_where_the_bass_owns_the_sub_it_is_not_ducked(untouched: Track) -> None:
    track, plan = plan_duck(sheet_with(untouched, owner="bass"))
    assert not track.duck.on
    assert "owns the sub" in plan.reason
    stems = render_stems(track)
    # The floor filter that both low parts pass is no duck.
    bare = render_stems(track.model_copy(update={"carve": track.carve.model_copy(update={"floor_on": False})}))
    assert np.array_equal(bare.bass, stems.bass_before)


@pytest.mark.parametrize("owner", ["kick", "shared", "kick-is-bass", "bass"])
def test_room_is_made_for_every_owner(owner: str, untouched: Track) -> None:
    before = analyse(sheet_with(untouched, owner=owner)).clearance
    after = analyse(make_room(sheet_with(untouched, owner=owner))).clearance
    assert before.short_db is not None
    assert after.short_db is not None
    assert after.short_db < before.short_db


def test_a_recovery_point_of_ones_own_wins(untouched: Track) -> None:
    early = untouched.having(duck=untouched.duck.model_copy(update={"recovery_beats": 0.25}))
    track, plan = plan_duck(early)
    assert plan.recovery_beats == pytest.approx(0.25)
    assert track.duck.hold_ms + track.duck.return_ms <= 250 * BEAT_S + 0.1
    assert plan.uncovered_ms > 0


def test_without_notes_between_kicks_it_returns_by_85_per_cent(untouched: Track) -> None:
    held = tuple(BassNote(at_beats=float(beat), length_beats=1, note=34) for beat in range(16))
    _, plan = plan_duck(untouched.having(bass_notes=held))
    assert plan.recovery_beats == pytest.approx(0.85)


@pytest.mark.parametrize(("fall_ms", "clicks"), [(1, True), (30, False)])
def test_start_click_guard(fall_ms: float, clicks: bool, untouched: Track) -> None:
    duck = Duck(on=True, depth_db=24, lookahead_ms=0, fall_ms=fall_ms, hold_ms=100, return_ms=200)
    carve = untouched.carve.model_copy(update={"floor_on": False})
    found = analyse(untouched.having(duck=duck, carve=carve))
    assert found.guards.start_click_db is not None
    assert (found.guards.start_click_db > -55) == clicks


def test_no_click_without_a_move() -> None:
    tone = np.sin(2 * np.pi * 50 * np.arange(48000) / 48000)
    assert (start_click_db(plain_of(tone, sample_rate=48000), np.ones(48000), sample_rate=48000) or 0) < -150
    assert start_click_db(plain_of(np.zeros(480), sample_rate=48000), np.ones(480), sample_rate=48000) is None


def test_a_faster_return_bends_a_low_note_more() -> None:
    figures = [
        low_note_distortion_db(Duck(on=True, depth_db=18, hold_ms=50, return_ms=back), 43.65) for back in (20, 60, 200, 600)
    ]
    assert figures == sorted(figures, reverse=True)
    assert figures[0] > -45 > figures[-1]


def test_a_note_the_duck_swallows_is_late(untouched: Track) -> None:
    duck = Duck(on=True, depth_db=12, hold_ms=300, return_ms=150)
    found = analyse(untouched.having(duck=duck))
    assert found.guards.late_notes
    assert all(note.down_db > 1 for note in found.guards.late_notes)
    # 238 ms after the kick, within the hold: fully down.
    assert max(note.down_db for note in found.guards.late_notes) == pytest.approx(12, abs=0.1)

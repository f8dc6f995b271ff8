"""A kick that gives way in time: ducked under the notes of the bass for what its pass leaves, never at its own start."""

from __future__ import annotations

from functools import cache

import numpy as np
import pytest
from reference_clearance import clearance_db
from unlike_tracks import UNLIKE

from juglant.core.analysis.analyse import Analysis, analyse
from juglant.core.analysis.part_duck import measure_part
from juglant.core.duck.part_curves import with_curve
from juglant.core.loop.render import render_stem
from juglant.core.model.duck import MOST_CURVES, Duck, Key
from juglant.core.model.hit import Hit, Layer
from juglant.core.model.part import Part
from juglant.core.model.stem import KICK
from juglant.core.model.strokes import Stroke
from juglant.core.model.track import Track
from juglant.core.model.version_one import Ducking, Target
from juglant.core.plans.bare import kick_duck, unplanned, with_kick_duck
from juglant.core.plans.ducks import refitted
from juglant.core.plans.plan import make_room, plan_duck, room_made
from juglant.core.plans.share_curve import share_curve
from juglant.core.synth.chord import Chord
from juglant.demo.track import solved_track

RATE = 48000
ORDERS = ("carve first", "duck first")


def asking(order: str = "carve first", share_pct: float = 50.0, track: Track | None = None) -> Track:
    """The demo, or a track, with its sub given to the bass and nothing planned."""
    bare = unplanned(solved_track() if track is None else track)
    carve = bare.carve.model_copy(update={"order": order, "kick_share_pct": share_pct})
    return bare.model_copy(update={"carve": carve, "sheet": bare.sheet.model_copy(update={"owner": "bass"})})


@cache
def made(order: str, share_pct: float) -> Analysis:
    return analyse(make_room(asking(order, share_pct)))


def seconds(track: Track, beats: list[float]) -> np.ndarray:
    return np.array(beats) * 60 / track.sheet.bpm


def since(frames: int, at_s: np.ndarray) -> np.ndarray:
    """Seconds since the last of some places, at every frame of a loop that comes round."""
    time, loop_s = np.arange(frames) / RATE, frames / RATE
    return np.min((time[:, None] - at_s) % loop_s, axis=1)


def gain_of(found: Analysis) -> np.ndarray:
    """What the duck does to the kick, by its stems alone, linear; nan where nothing sounds."""
    plain, heard = render_stem(found.track, KICK.of("unducked")), render_stem(found.track, KICK)
    return np.where(np.abs(plain) > 1e-5, heard / np.where(plain == 0, 1, plain), np.nan)


@pytest.mark.parametrize("order", ORDERS)
@pytest.mark.parametrize("share_pct", [0.0, 50.0])
def test_the_kick_goes_down_under_notes_alone_and_never_at_its_own_start(order: str, share_pct: float) -> None:
    found = made(order, share_pct)
    curve = kick_duck(found.track)
    assert curve is not None
    assert curve.on
    assert (curve.hold_ms, curve.spare_ms) == (120.0, 15.0)
    gain = gain_of(found)
    notes = since(gain.size, seconds(found.track, [note.at_beats for note in found.track.notes()]))
    kicks = since(gain.size, seconds(found.track, found.track.kicks()))
    heard = ~np.isnan(gain)
    # The first 15 ms of a kick are the kick's, sample for sample.
    assert np.abs(gain[heard & (kicks < 0.015)] - 1).max() < 1e-6
    held = heard & (notes > 0.001) & (notes < 0.119) & (kicks > 0.020)
    # Up again just ahead of a kick.
    soon = np.roll(kicks, -round(0.009 * RATE)) < 0.009
    down_db = 20 * np.log10(gain[held & ~soon])
    assert down_db == pytest.approx(np.full(down_db.size, -curve.depth_db), abs=0.02)
    # Back before long: nothing is down outside hold, return and fall.
    ahead = np.roll(notes, -round(RATE * (curve.lookahead_ms + 1) / 1000)) < (curve.lookahead_ms + 2) / 1000
    free = heard & (notes > (curve.hold_ms + curve.return_ms + 1) / 1000) & ~ahead
    assert gain[free] == pytest.approx(np.ones(int(free.sum())), abs=1e-6)


@pytest.mark.parametrize("order", ORDERS)
@pytest.mark.parametrize("share_pct", [0.0, 25.0, 50.0, 75.0, 100.0])
def test_what_is_said_of_it_is_what_the_stems_hold(order: str, share_pct: float) -> None:
    found = made(order, share_pct)
    stems, clear = found.stems, found.clearance
    loops = {"kick-before": stems.kick_before, "bass-before": stems.bass_before, "kick": stems.kick, "bass": stems.bass}
    outside = clearance_db(loops, "bass", RATE, seconds(found.track, found.track.kicks()).tolist())
    assert clear.after_db == pytest.approx(outside, abs=0.5)
    assert found.track.duck.on is False
    if order == "duck first" or share_pct == 100:
        assert clear.short_db == pytest.approx(0.0, abs=0.15)
    # A pass alone at the whole share: no duck is made for it.
    own = kick_duck(found.track)
    assert (own is not None and own.on) == (share_pct < 100)


@pytest.mark.parametrize("order", ORDERS)
def test_what_a_share_will_do_is_known_before_it_is_rendered(order: str) -> None:
    curve = share_curve(asking(order))
    assert curve is not None
    for point in curve.points:
        if point.share_pct in (0, 50, 100):
            clear = made(order, float(point.share_pct)).clearance
            assert point.carved_db == pytest.approx(clear.carved_db, abs=0.3)
            assert point.short_db == pytest.approx(clear.short_db, abs=0.3)
            assert point.spread_lu is None


def test_less_of_the_carve_is_a_gentler_pass_and_a_deeper_duck() -> None:
    found = [made("carve first", pct).track for pct in (0.0, 25.0, 50.0, 75.0)]
    depths = [kick_duck(one).depth_db for one in found]
    corners = [one.carve.moves[0].frequency_hz for one in found if one.carve.moves]
    assert depths == sorted(depths, reverse=True)
    assert corners == sorted(corners)
    assert len(corners) == 3


def test_a_kick_whose_duck_is_computed_follows_the_bass_and_ends_with_its_ownership() -> None:
    track = made("carve first", 50.0).track
    louder = refitted(track.with_part("bass", gain_db=track.bass_part.gain_db + 2))
    assert kick_duck(louder).depth_db == pytest.approx(kick_duck(track).depth_db - 2, abs=0.3)
    shared = refitted(track.model_copy(update={"sheet": track.sheet.model_copy(update={"owner": "shared"})}))
    assert kick_duck(shared).on is False
    assert measure_part(shared, "kick").reason == "the kick itself: there is nothing to clear"
    again = make_room(shared)
    assert kick_duck(again).on is False
    assert again.duck.on


@pytest.mark.parametrize(
    ("change", "why"),
    [
        ({"bass_notes": ()}, "the bass has no notes to give way to"),
        ({"kick_at_beats": ()}, "there is no kick in the loop"),
        ({"carve": asking(share_pct=100.0).carve}, "its carve takes the whole share"),
    ],
    ids=["no notes", "no kick", "whole share"],
)
def test_where_nothing_can_give_way_it_says_so(change: dict, why: str) -> None:
    done, plan = plan_duck(made("carve first", 50.0).track.having(**change))
    assert kick_duck(done).on is False
    assert plan.reason == why


def test_notes_between_the_kicks_are_no_reason_for_a_duck() -> None:
    away = asking(share_pct=0.0, track=UNLIKE["off-beats, 140, shared"])
    done = make_room(away)
    before, after = (analyse(one).clearance.after_db for one in (away, done))
    assert kick_duck(done).on is False
    assert after == pytest.approx(before, abs=0.01)
    assert plan_duck(away)[1].reason == "no note sounds where the kick is in its way"


def test_the_notes_of_the_bass_key_another_part_as_any_hit_does() -> None:
    """A part keyed by the notes makes room for the bass: named so, as long as the bass sounds."""
    chord = Part(
        id="chord",
        name="Chord",
        role="chord",
        hit=Hit(layers=(Layer(id="c", name="C", source=Chord(landing_hz=220, hold_ms=1200, chord="minor")),)),
        strokes=(Stroke(at_beats=0.0, velocity=127),),
    )
    track = solved_track().having(kit=(chord,))
    keyed = with_curve(track, "chord", Duck(on=True, depth_db=4.0, key=Key(kind="notes")))
    found = measure_part(keyed, "chord")
    assert found.owner == "Bass"
    starts = [one.hit_s for one in found.strokes]
    assert starts == pytest.approx(sorted({note.at_beats * 60 / track.sheet.bpm for note in track.notes()}), abs=1e-6)


def test_the_kick_keeps_its_other_curves() -> None:
    other = Duck(on=True, depth_db=3.0, key=Key(kind="trigger"))
    track = with_curve(asking(), "kick", other)
    done = make_room(track)
    curves = done.part("kick").ducked.curves
    assert [one.key.kind for one in curves] == ["notes", "trigger"]
    assert curves[1] == other
    assert with_kick_duck(done, None).kick_part.ducked == track.kick_part.ducked


@pytest.mark.parametrize("order", ORDERS)
def test_a_kick_without_room_for_another_curve_keeps_what_it_has_and_says_so(order: str) -> None:
    every = tuple(Duck(on=True, depth_db=1.0 + i, key=Key(kind="grid")) for i in range(MOST_CURVES))
    track = asking(order)
    full = track.having(ducking=Ducking(targets=(Target(part="kick", curves=every),)))
    made_so = room_made(full)
    assert made_so.track.part("kick").ducked.curves == every
    assert f"the kick has {MOST_CURVES} curves of its own" in made_so.said[-1]

"""Curves drawn, driven, followed and fitted again; ways back, orders of work, rooms; guards against spectra made here."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from pydantic import ValidationError
from scipy import signal as dsp
from support import same_sound

from juglant.core.analysis.analyse import analyse
from juglant.core.analysis.part_duck import measure_part
from juglant.core.analysis.spaces import space_costs, tail_ms
from juglant.core.chain.reverb import Reverb
from juglant.core.duck.curve import curve_rows, lowest_db, rows_to_gain
from juglant.core.duck.guards import gain_at, low_note_distortion_db, plain_of, start_click_db
from juglant.core.duck.part_curves import curves_of, unlinked
from juglant.core.findings.registry import applied, find_all
from juglant.core.loop.gain import part_rows
from juglant.core.loop.place import loop_frames
from juglant.core.loop.render import render_stem
from juglant.core.model.duck import CurvePoint, Duck, Key, KeyedCompressor
from juglant.core.model.stem import StemRef
from juglant.core.model.track import Track
from juglant.core.model.version_one import Ducking, Target
from juglant.core.plans.computed_for import by_hand_since, changed_since, fit_of, refit_parts
from juglant.core.plans.ducks import plan_part, refitted
from juglant.core.plans.orders import orders
from juglant.core.plans.returns import return_ways
from juglant.core.synth.sweep import Sweep
from juglant.core.synth.tail import Tail
from juglant.demo.kit import with_targets
from juglant.services.duck_print import settings_of
from juglant.services.ducks import compressors_of

RATE = 48000
BEAT_S = 60 / 126


@pytest.fixture(scope="module")
def example(solved: Track) -> Track:
    return with_targets(solved)


def points(*places: tuple[float, float]) -> tuple[CurvePoint, ...]:
    return tuple(CurvePoint(at_ms=at, gain_db=gain) for at, gain in places)


def bass_duck(track: Track, **settings: object) -> Track:
    return track.having(duck=track.duck.model_copy(update={"on": True, **settings}))


# Drawn by hand.


def test_a_drawn_curve_goes_through_its_points_and_restarts_from_where_it_is(untouched: Track) -> None:
    # The last point lies 100 ms after the next kick's fall begins.
    drawn = points((-40, 0), (0, -12), (200, -4), (1000 * BEAT_S + 60, 0))
    track = bass_duck(untouched, drawn=drawn)
    rows = part_rows(track, "bass", loop_frames(track))
    assert gain_at(rows, 0.0) == pytest.approx(-12, abs=0.01)
    assert gain_at(rows, 0.1) == pytest.approx(-8, abs=0.01)
    # 40 ms ahead of the second kick: on the way from -4 at 200 ms; then what is left goes while it falls.
    here = -4 * (1 - (1000 * BEAT_S - 40 - 200) / (1000 * BEAT_S + 60 - 200))
    assert gain_at(rows, BEAT_S - 0.04) == pytest.approx(here, abs=0.02)
    assert gain_at(rows, BEAT_S - 0.02) == pytest.approx(-6 + here / 2, abs=0.02)


@pytest.mark.parametrize(
    ("places", "said"),
    [
        (((0, -6),), "two points or more"),
        (((0, 0), (50, -6), (50, -3), (90, 0)), "forward in time"),
        (((0, -1), (90, 0)), "begin and end at 0 dB"),
    ],
)
def test_what_is_no_curve_is_refused_in_plain_words(places: tuple[tuple[float, float], ...], said: str) -> None:
    with pytest.raises(ValidationError, match=said):
        Duck(drawn=points(*places))


@st.composite
def curves(draw: st.DrawFn) -> Duck:
    """A curve by its rulers, or drawn by points."""
    if draw(st.booleans()):
        ranges = {"depth_db": (0.5, 24), "lookahead_ms": (0, 120), "fall_ms": (1, 60), "hold_ms": (0, 1500),
                  "return_ms": (20, 1500), "shape": (0.3, 3)}  # fmt: skip
        return Duck(on=True, **{name: draw(st.floats(*ends)) for name, ends in ranges.items()})
    places = sorted(draw(st.sets(st.integers(-120, 2500), min_size=3, max_size=12)))
    inner = [(float(at), draw(st.floats(-24, -0.5))) for at in places[1:-1]]
    return Duck(on=True, drawn=points((places[0], 0), *inner, (places[-1], 0)))


def test_a_fall_longer_than_what_is_between_its_keys_is_where_the_pass_before_left_it() -> None:
    # By hand: keys 0.75 and 2.25 s apart, a straight fall to -4 dB in 2.211 s, back in 0.127 s more.
    falls = Duck(on=True, drawn=points((0, 0), (2211, -4), (2338, 0)))
    rows = curve_rows(falls, [1.5, 2.25], 3.0)
    at_first = -4 * (1 - (2250 - 2211) / 127)
    part = 750 / 2211
    at_second = at_first + -4 * part * (1 - at_first / -4)
    at_end = at_second + -4 * part * (1 - at_second / -4)
    assert gain_at(rows, 1.5) == pytest.approx(at_first, abs=0.01)
    assert gain_at(rows, 2.25) == pytest.approx(at_second, abs=0.01)
    assert gain_at(rows, 3.0) == pytest.approx(at_end, abs=0.01)
    assert gain_at(rows, 0.0) == pytest.approx(at_end, abs=0.01)
    # Never let go at all: it settles where it went down to, and stays there.
    held = curve_rows(falls, [0.25], 0.5)
    assert gain_at(held, 0.0) == pytest.approx(-4, abs=0.01)


@settings(max_examples=60, deadline=None)
@given(curve=curves(), loop_s=st.floats(0.4, 8), shares=st.lists(st.floats(0, 0.999), min_size=1, max_size=24))
def test_any_curve_of_any_keys_is_a_whole_file_of_gain(curve: Duck, loop_s: float, shares: list[float]) -> None:
    rows = curve_rows(curve, sorted(share * loop_s for share in shares), loop_s)
    steps, moves = np.diff(rows.at_s), np.diff(rows.gain_db)
    assert rows.at_s[0] == 0
    assert loop_s <= rows.at_s[-1] + 1e-9 <= loop_s + 2e-4
    assert np.all(steps > 0)
    # Straight lines of a drawn curve and falls are stepped as finely as the file promises.
    assert np.all(steps[np.abs(moves) > 2e-4] <= 5e-4 + 1e-4)
    assert rows.gain_db.max() <= 0
    assert rows.gain_db.min() >= lowest_db(curve) - 0.01
    # Each pass begins as the one before it ended, but for what moves within the last part of a millisecond; points
    # may be drawn a millisecond apart.
    steepest = max((abs(b.gain_db - a.gain_db) / (b.at_ms - a.at_ms) for a, b in pairwise(curve.drawn)), default=0.0)
    assert abs(rows.gain_db[-1] - rows.gain_db[0]) <= 0.41 + max(0.2 * abs(lowest_db(curve)), 0.3 * steepest)
    total = round(loop_s * RATE)
    gain = 20 * np.log10(rows_to_gain(rows, total, sample_rate=RATE))
    assert same_sound(gain, np.interp(np.arange(total) / RATE, rows.at_s, rows.gain_db), within=1e-6)


# The compressor in its place.


def test_computed_make_up_gives_back_what_is_taken_of_a_steady_sound(untouched: Track) -> None:
    settings = KeyedCompressor(threshold_db=-30, ratio=6, release_ms=120, make_up="computed")
    track = bass_duck(untouched, drive="compressor", compressor=settings)
    total = loop_frames(track)
    gain = rows_to_gain(part_rows(track, "bass", total), total, sample_rate=RATE)
    assert 10 * np.log10(np.mean(gain**2)) == pytest.approx(0, abs=0.02)
    assert gain.max() > 1.1


def test_the_compressor_is_heard_keyed_by_what_is_said_and_moves_only_with_it(example: Track) -> None:
    compressor = KeyedCompressor(threshold_db=-40, ratio=10, attack_ms=1, release_ms=60)
    for key, places in ((Key(), example.kicks()), (Key(kind="grid", grid_beats=2, offset_beats=1), (1, 3, 5, 7))):
        track = bass_duck(example, drive="compressor", compressor=compressor, key=key)
        rows = part_rows(track, "bass", loop_frames(track))
        # A little after each key it is far down; before the next it is on its way back.
        assert all(gain_at(rows, at * BEAT_S + 0.02) < -6 for at in places)
        assert gain_at(rows, (places[1] * BEAT_S) - 0.005) > gain_at(rows, places[0] * BEAT_S + 0.02) + 3
        heard, plain = render_stem(track, StemRef("bass")), render_stem(track, StemRef("bass", "unducked"))
        gain = rows_to_gain(rows, heard.size, sample_rate=RATE)
        assert np.allclose(heard, plain * gain, atol=1e-12)


def test_make_up_that_lifts_what_lies_between_is_found_and_mended(example: Track) -> None:
    settings = KeyedCompressor(threshold_db=-40, ratio=8, release_ms=40, make_up="manual", make_up_db=4)
    track = bass_duck(example, drive="compressor", compressor=settings)
    found = {one.id: one for one in find_all(analyse(track))}
    one = found["make-up-lift"]
    assert one.value is not None
    assert 1 < one.value <= 4.01
    mended = applied(one.fixes[0], track)
    assert mended.duck.compressor.make_up == "off"
    assert "make-up-lift" not in {one.id for one in find_all(analyse(mended))}


def test_common_practice_holds_on_the_demo(example: Track) -> None:
    # Common practice, from memory: attack above 1 ms so that it does not click, ratios from 2:1, and for a bass on the
    # off-beats a release that is done after half a beat.
    rows = {row.name: row for row in compressors_of(example, "bass")}
    assert min(row.rms_db for row in rows.values()) > rows["at 2:1"].rms_db - 0.5
    assert rows["at 2:1"].settings.attack_ms >= 1
    recovery = min(one.recovery_s for one in measure_part(example, "bass").strokes)
    assert recovery / BEAT_S == pytest.approx(0.5, abs=0.001)


SILENT = {
    "no key": lambda t: bass_duck(t, key=Key(kind="hits")),
    "no notes": lambda t: t.having(bass_notes=()),
    "a key in its rests": lambda t: bass_duck(
        t.having(bass_notes=(t.bass_notes[0],)),
        key=Key(kind="grid", grid_beats=4, offset_beats=2),
        lookahead_ms=4, hold_ms=50, return_ms=50,
    ),
}  # fmt: skip


@pytest.mark.parametrize("why", list(SILENT))
def test_a_duck_that_takes_nothing_is_told_and_turned_off(why: str, solved: Track) -> None:
    track = SILENT[why](solved)
    one = next(one for one in find_all(analyse(track)) if one.id == "duck-unheard")
    assert not applied(one.fixes[0], track).duck.on
    assert "duck-unheard" not in {one.id for one in find_all(analyse(solved))}


# Following another part.


def test_a_part_that_follows_moves_by_its_share_and_a_circle_ends(example: Track) -> None:
    targets = (
        Target(part="pad", follows="bass", scale_pct=50),
        Target(part="stab", follows="pad", scale_pct=200),
    )
    track = example.having(ducking=Ducking(targets=targets))
    bass, pad, stab = (part_rows(track, part, loop_frames(track)) for part in ("bass", "pad", "stab"))
    at = np.linspace(0, 7, 3000)
    wanted = np.interp(at, bass.at_s, bass.gain_db)
    assert np.interp(at, pad.at_s, pad.gain_db) == pytest.approx(wanted / 2, abs=1e-3)
    assert np.interp(at, stab.at_s, stab.gain_db) == pytest.approx(wanted, abs=1e-3)
    circle = Ducking(targets=(Target(part="pad", follows="stab"), Target(part="stab", follows="pad")))
    track = example.having(ducking=circle)
    assert curves_of(track, "pad") == ()
    assert np.array_equal(render_stem(track, StemRef("pad")), render_stem(track, StemRef("pad", "before")))


# Fitted again.

CHANGES = {
    "kick": lambda t: t.with_part("kick", gain_db=t.kick_part.gain_db - 2),
    "tempo": lambda t: t.model_copy(update={"sheet": t.sheet.model_copy(update={"bpm": 132.0})}),
    "carve": lambda t: t.model_copy(update={"carve": t.carve.model_copy(update={"on": False})}),
    "part": lambda t: t.with_part("bass", gain_db=t.bass_part.gain_db + 2),
}


@pytest.mark.parametrize("what", list(CHANGES))
def test_a_computed_curve_follows_what_it_was_computed_for_and_says_so(what: str, solved: Track) -> None:
    assert refit_parts(solved) == []
    changed = CHANGES[what](solved)
    assert changed_since(changed, "bass") == (what,)
    again = refitted(changed)
    assert again.duck.fitted is not None
    assert again.duck.fitted.because == (what,)
    assert again.duck.depth_db == plan_part(changed, "bass")[1].duck.depth_db
    assert refit_parts(again) == []


def test_another_pattern_of_the_silent_trigger_is_another_fit(solved: Track) -> None:
    keyed, _ = plan_part(bass_duck(solved, key=Key(kind="trigger")), "bass")
    assert refit_parts(keyed) == []
    trigger = keyed.trigger.model_copy(update={"pattern": "eighths"})
    changed = keyed.model_copy(update={"trigger": trigger})
    assert changed_since(changed, "bass") == ("keys",)
    # Twice as many keys leave half the time.
    assert measure_part(refitted(changed), "bass").guards.late_notes == ()


def test_what_was_changed_by_hand_since_is_left_alone_and_told(solved: Track) -> None:
    hand = bass_duck(solved, depth_db=5.0)
    assert by_hand_since(hand, "bass")
    changed = CHANGES["kick"](hand)
    assert refitted(changed) == changed
    one = next(one for one in find_all(analyse(changed)) if one.id == "duck-behind")
    assert "the kick" in one.reason
    assert "by hand" in one.reason
    assert changed_since(applied(one.fixes[0], changed), "bass") == ()


# Ways back, orders of work, rooms.


@pytest.mark.parametrize("part", ["bass", "pad", "stab"])
def test_every_way_back_keeps_the_guards_and_they_differ(part: str, example: Track) -> None:
    ways = {one.cost.id: one for one in return_ways(example, part)}
    assert {"tight", "even", "late"} <= set(ways)
    assert all(one.cost.over == () for one in ways.values())
    half = [ways[name].cost.half_back_beats for name in ("tight", "even", "late")]
    assert half == sorted(half)
    assert half[0] < half[-1] - 0.01
    # Each is what it says: measured anew on the track that would be taken.
    for one in ways.values():
        rows = part_rows(one.track, part, loop_frames(one.track))
        assert gain_at(rows, one.cost.off_beat_beats * BEAT_S) == pytest.approx(one.cost.off_beat_db, abs=0.05)


def test_swing_moves_the_off_beat_a_return_is_judged_by(example: Track) -> None:
    swung = example.model_copy(update={"sheet": example.sheet.model_copy(update={"swing_pct": 62.0})})
    straight, moved = (return_ways(track, "pad")[0].cost.off_beat_beats for track in (example, swung))
    assert straight == 0.5
    assert moved == pytest.approx(swung.sheet.swung(0.5))


def test_a_duck_after_the_attack_leaves_it_and_says_how_kick_and_part_sum(example: Track) -> None:
    ways = {one.cost.id: one for one in return_ways(example, "bass")}
    spared, even = ways["spared"].cost, ways["even"].cost
    assert spared.attack_db is not None
    assert even.attack_db is not None
    assert spared.attack_db > even.attack_db + 1
    # Recomputed here: rms of the sum against the sum of rms, 60 ms from every kick that a note starts with.
    track = ways["spared"].track
    kick, bass = render_stem(track, StemRef("kick")), render_stem(track, StemRef("bass"))
    starts = [at for at in track.kicks() if any(abs(note.at_beats - at) < 1e-6 for note in track.notes())]
    places = np.concatenate([round(at * BEAT_S * RATE) + np.arange(round(0.06 * RATE)) for at in starts]) % kick.size
    rms = [float(np.sqrt(np.mean(x[places] ** 2))) for x in (kick + bass, kick, bass)]
    assert spared.sum_db == pytest.approx(20 * np.log10(rms[0] / (rms[1] + rms[2])), abs=0.1)
    # The stab never starts with a kick: there is no attack to spare.
    assert "spared" not in {one.cost.id for one in return_ways(example, "stab")}


def test_each_order_of_work_reaches_the_goal_and_needs_what_it_says(solved: Track) -> None:
    found = {one.cost.id: one for one in orders(solved)}
    assert set(found) == {"carve-first", "duck-first", "duck-lightly"}
    for one in found.values():
        # No deeper than is heard as groove, the carve's own limits may leave some.
        assert one.cost.short_db < 0.15 or one.cost.id == "duck-lightly"
        assert analyse(one.track).clearance.after_db == pytest.approx(one.cost.reached_db, abs=0.01)
    first, second, light = (found[name] for name in ("carve-first", "duck-first", "duck-lightly"))
    assert light.cost.duck_db <= 6 < second.cost.duck_db
    # One share, two orders: the same goal from the other end, each as deep as the other by what one finds of the other.
    assert first.cost.duck_db == pytest.approx(second.cost.duck_db, abs=1)
    assert [one.track.carve.order for one in (first, second)] == ["carve first", "duck first"]
    assert -6.1 <= min(first.cost.deepest_cut_db, second.cost.deepest_cut_db) < -3


def test_a_tail_is_as_long_as_the_sound_falls() -> None:
    # 60 dB in 600 ms.
    time = np.arange(RATE) / RATE
    tone = np.sin(2 * np.pi * 300 * time) * 10 ** (-3 * time / 0.6)
    assert tail_ms(tone, sample_rate=RATE) == pytest.approx(600, abs=30)
    assert tail_ms(np.zeros(RATE), sample_rate=RATE) == 0


def test_a_room_behind_the_duck_rings_longer_than_one_before_it(example: Track) -> None:
    stab = next(one for one in example.kit if one.id == "stab")
    room = stab.hit.model_copy(update={"bus": (Reverb(ring_ms=700, level_db=0),), "bind": True})
    curve = Duck(on=True, depth_db=24, lookahead_ms=20, hold_ms=230, return_ms=100)
    track = example.with_hit("stab", room)
    track = track.having(ducking=Ducking(targets=(Target(part="stab", curves=(curve,)),)))
    with_it, on = space_costs(track, "stab", measure_part(track, "stab").strokes)
    assert (with_it.space, on.space) == ("with the part", "rings on")
    assert with_it.under_key_db is not None
    assert on.under_key_db is not None
    assert on.under_key_db > with_it.under_key_db + 6
    assert on.tail_ms >= with_it.tail_ms
    assert space_costs(track, "bass", []) == []


# Guards against spectra computed here.


@pytest.mark.parametrize("fall_ms", [1.0, 4.0])
def test_the_start_click_is_what_a_spectrum_says(fall_ms: float) -> None:
    rate, count = RATE, 4 * RATE
    time = np.arange(count) / rate
    bass = np.sin(2 * np.pi * 50 * time)
    gain = 10 ** (np.interp(time, [1, 1 + fall_ms / 1000, 2, 2.5], [0, -18, -18, 0]) / 20)
    # The same band split by an FFT: what lies above 1 kHz of the low-passed bass with the curve, less without.
    sos = dsp.butter(4, 200, "lowpass", fs=rate, output="sos")
    low = np.fft.irfft(np.fft.rfft(bass) * dsp.sosfreqz(sos, np.fft.rfftfreq(count, 1 / rate), fs=rate)[1])
    hz = np.fft.rfftfreq(count, 1 / rate)
    high = [np.sum(np.abs(np.fft.rfft(x)[hz > 1000]) ** 2) for x in (low * gain, low)]
    whole = np.sum(np.abs(np.fft.rfft(low)[1:-1]) ** 2)
    wanted = 10 * np.log10((high[0] - high[1]) / whole)
    # The guard's high-pass is a filter of order 8, not a wall.
    assert start_click_db(plain_of(bass, sample_rate=rate), gain, sample_rate=rate) == pytest.approx(wanted, abs=1.5)


def test_a_release_faster_than_a_cycle_adds_harmonics() -> None:
    # A 40 Hz sine ducked every second, its cycle is 25 ms: what lies between 80 Hz and 1 kHz, by FFT.
    rate, note = 8000, 40.0
    time = np.arange(2 * rate) / rate
    tone, since = np.sin(2 * np.pi * note * time), time % 1.0
    hz = np.fft.rfftfreq(time.size, 1 / rate)
    shares, judged = [], []
    for back_s in (0.02, 0.2):
        back = np.interp(since, [0, 0.2, 0.2 + back_s], [-18, -18, 0])
        # The fall is not what is judged: it takes half a second, without a corner.
        fall = -9 * (1 - np.cos(2 * np.pi * np.clip(since - 0.5, 0, 0.5)))
        gain = 10 ** ((back + fall) / 20)
        power = np.abs(np.fft.rfft(tone * gain)) ** 2
        shares.append(10 * np.log10(power[(hz > 2 * note) & (hz < 1000)].sum() / power.sum()))
        duck = Duck(on=True, depth_db=18, lookahead_ms=4, fall_ms=4, hold_ms=200, return_ms=1000 * back_s)
        judged.append(low_note_distortion_db(duck, note))
    assert judged[0] > judged[1] + 10
    assert judged[0] > -45
    assert shares[0] > shares[1] + 10


def test_the_sheet_for_print_says_what_is_set(example: Track) -> None:
    text = settings_of(example)
    assert max(len(line) for line in text.splitlines()) <= 112
    for part in ("BASS", "PAD", "STAB"):
        assert part in text
    assert f"{example.duck.depth_db:.1f} dB" in text
    assert f"{example.duck.return_ms:.1f} ms" in text
    assert "63 %" in text
    assert "90 %" in text
    assert settings_of(Track()).splitlines()[-1] == "Nothing is ducked."


def test_another_kind_of_sound_is_another_fit_though_all_of_it_is_by_default(solved: Track) -> None:
    layer = solved.kick.layers[0]
    kinds = [layer.model_copy(update={"source": source}) for source in (Sweep(), Tail())]
    plain, other = (
        solved.having(kick=solved.kick.model_copy(update={"layers": (one, *solved.kick.layers[1:])})) for one in kinds
    )
    assert fit_of(plain, "bass").kick != fit_of(other, "bass").kick
    assert fit_of(plain, "bass") == fit_of(plain.model_copy(deep=True), "bass")


@pytest.mark.parametrize("together", ["deepest", "sum"])
def test_a_part_that_follows_no_more_keeps_the_gain_it_had(together: str, example: Track) -> None:
    grid = Duck(on=True, depth_db=4, key=Key(kind="grid", grid_beats=0.5), hold_ms=20, return_ms=60, lookahead_ms=4)
    bass = Target(part="bass", curves=(grid,), together=together, limit_db=6)
    track = example.having(ducking=Ducking(targets=(bass, Target(part="pad", follows="bass"))))
    own = unlinked(track, "pad")
    before, after = (part_rows(one, "pad", loop_frames(one)) for one in (track, own))
    assert own.part("pad").ducked.follows is None
    assert np.array_equal(before.gain_db, after.gain_db)
    assert before.gain_db.min() < -3

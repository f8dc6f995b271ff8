"""Many targets, many keys: each part's gain, its files, the silent trigger, and what odd patterns do."""

from __future__ import annotations

import io
import json

import mido
import numpy as np
import pytest
import soundfile
from hypothesis import given, settings
from hypothesis import strategies as st
from support import same_sound

from juglant.core.analysis.analyse import analyse
from juglant.core.analysis.other_parts import other_parts
from juglant.core.analysis.part_duck import measure_part
from juglant.core.chain.equalizer import Equalizer
from juglant.core.chain.reverb import Reverb
from juglant.core.duck.guards import gain_at
from juglant.core.duck.keys import key_beats
from juglant.core.hit.starts import measured_starts
from juglant.core.loop.ducked import rung
from juglant.core.loop.gain import part_rows
from juglant.core.loop.place import loop_frames
from juglant.core.loop.render import render_stem
from juglant.core.model.duck import CurvePoint, Duck, Key, KeyedCompressor, Trigger
from juglant.core.model.hit import Hit, Layer
from juglant.core.model.part import Part
from juglant.core.model.sheet import Sheet
from juglant.core.model.stem import StemRef
from juglant.core.model.strokes import Stroke
from juglant.core.model.track import Track
from juglant.core.model.version_one import Ducking, Target
from juglant.core.music.notes import note_hz
from juglant.core.plans.ducks import plan_part, plan_targets
from juglant.core.plans.plan import make_room, planned
from juglant.core.synth.chord import CHORDS, Chord
from juglant.core.synth.tail import Tail
from juglant.demo.kit import with_targets
from juglant.formats.duck_files import CONTROLLER, controller_resolution_db
from juglant.services.deliver import delivered

RATE = 48000


@pytest.fixture(scope="module")
def example(solved: Track) -> Track:
    return with_targets(solved)


def ducking(track: Track, *targets: Target, trigger: Trigger | None = None) -> Track:
    return track.having(ducking=Ducking(trigger=trigger or Trigger(), targets=targets))


def from_csv(text: bytes, frames: int, rate: int = RATE) -> np.ndarray:
    rows = np.array([[float(x) for x in line.split(",")] for line in text.decode().splitlines()[1:]])
    assert text.decode().splitlines()[0] == "at_s,gain_db"
    assert rows[0, 0] == 0
    assert rows[-1, 0] >= frames / rate - 1e-4
    moving = np.abs(np.diff(rows[:, 1])) > 1e-9
    assert np.all(np.diff(rows[:, 0])[moving] <= 5e-4 + 1e-9)
    return np.asarray(10 ** (np.interp(np.arange(frames) / rate, rows[:, 0], rows[:, 1]) / 20))


def points(*places: tuple[float, float]) -> tuple[CurvePoint, ...]:
    return tuple(CurvePoint(at_ms=at, gain_db=gain) for at, gain in places)


CASES: dict[str, Target] = {
    "one curve": Target(part="pad", curves=(Duck(on=True, depth_db=9),)),
    "deepest of two": Target(
        part="pad",
        curves=(Duck(on=True, depth_db=6, return_ms=300), Duck(on=True, depth_db=9, key=Key(kind="grid", grid_beats=0.75))),
    ),
    "sum of two": Target(
        part="pad", together="sum", limit_db=12,
        curves=(
            Duck(on=True, depth_db=8, return_ms=300),
            Duck(on=True, depth_db=8, key=Key(kind="hits", hit_ids=("stab",))),
        ),
    ),
    "only below": Target(part="pad", split=True, split_hz=500, curves=(Duck(on=True, depth_db=12),)),
    "a compressor with make-up": Target(
        part="pad",
        curves=(
            Duck(on=True, drive="compressor", compressor=KeyedCompressor(threshold_db=-30, make_up="manual", make_up_db=3)),
        ),
    ),
    "drawn points": Target(
        part="pad",
        curves=(
            Duck(on=True, drawn=points((-30, 0), (0, -9), (150, -3), (700, 0))),
        ),
    ),
    "twice what the bass does": Target(part="pad", follows="bass", scale_pct=200),
    "the kick itself": Target(part="kick", curves=(Duck(on=True, depth_db=6, key=Key(kind="hits", hit_ids=("stab",))),)),
}  # fmt: skip


@pytest.mark.parametrize("case", list(CASES))
def test_the_file_applied_to_the_unducked_stem_is_the_ducked_one(case: str, example: Track) -> None:
    track = ducking(example, CASES[case])
    files = dict(delivered(track))
    name = "kick" if CASES[case].part == "kick" else "kit-pad"
    read = {way: soundfile.read(io.BytesIO(files[f"stems/{name}{way}.wav"]))[0] for way in ("", "-unducked", "-before")}
    gain = from_csv(files[f"duck-{name}.csv"], read[""].shape[0])
    if CASES[case].split:
        band = soundfile.read(io.BytesIO(files[f"stems/{name}_band-unducked.wav"]))[0]
        made = read["-unducked"] - band + band * gain
    else:
        made = read["-unducked"] * gain
    error = np.sqrt(np.mean((made - read[""]) ** 2) / np.mean(read[""] ** 2))
    assert 20 * np.log10(error + 1e-12) < -60
    assert np.sum(read[""] ** 2) < 0.98 * np.sum(read["-unducked"] ** 2)


@pytest.mark.parametrize(("case", "lowest"), [("deepest of two", -9.0), ("sum of two", -12.0)])
def test_curves_go_together_as_said(case: str, lowest: float, example: Track) -> None:
    target = CASES[case]
    alone = [ducking(example, target.model_copy(update={"curves": (one,)})) for one in target.curves]
    total = loop_frames(example)
    both = part_rows(ducking(example, target), "pad", total)
    times = np.linspace(0, total / RATE, 4000, endpoint=False)
    every = [part_rows(track, "pad", total) for track in (*alone, ducking(example, target))]
    one, other, found = (np.interp(times, rows.at_s, rows.gain_db) for rows in every)
    wanted = np.minimum(one, other) if target.together == "deepest" else np.maximum(one + other, -target.limit_db)
    assert found == pytest.approx(wanted, abs=0.35)
    assert np.median(np.abs(found - wanted)) < 1e-3
    assert both.gain_db.min() == pytest.approx(lowest, abs=0.01)


def test_only_below_the_split_the_mids_stay(example: Track) -> None:
    track = ducking(example, CASES["only below"])
    heard, plain = (render_stem(track, StemRef("pad", state)) for state in ("heard", "unducked"))
    spectra = [np.abs(np.fft.rfft(x)) ** 2 for x in (heard, plain)]
    hz = np.fft.rfftfreq(heard.size, 1 / RATE)
    ratio = [10 * np.log10(spectra[0][band].sum() / spectra[1][band].sum()) for band in ((hz < 300), (hz > 1200))]
    assert ratio[0] < -2
    assert abs(ratio[1]) < 0.3


def without_kicks(track: Track, first_bar: int, bars: int) -> Track:
    kept = tuple(at for at in track.kick_at_beats if not 4 * first_bar <= at < 4 * (first_bar + bars))
    return track.having(kick_at_beats=kept)


def test_the_silent_trigger_runs_on_where_the_kick_rests_and_the_level_does_not_jump(solved: Track) -> None:
    deep = solved.having(duck=solved.duck.model_copy(update={"depth_db": 12.0}))
    keyed = without_kicks(deep, 2, 2)
    silent = keyed.having(duck=keyed.duck.model_copy(update={"key": Key(kind="trigger")}))
    assert key_beats(keyed, Key(kind="trigger")) == key_beats(deep, Key())
    jumps = [measure_part(track, "bass").guards.level_jump_lu for track in (keyed, silent)]
    assert jumps[0] is not None
    assert jumps[1] is not None
    assert jumps[0] > 1 > jumps[1]
    losses = measure_part(keyed, "bass").guards.bar_losses_lu
    assert losses[2] == pytest.approx(0, abs=0.05)
    assert losses[0] is not None
    assert losses[0] < -1


@pytest.mark.parametrize(
    ("pattern", "count"), [("eighths", 32), ("sixteenths", 64), ("off-beats", 16), ("as the kick", 16), ("free", 3)]
)
def test_trigger_patterns(pattern: str, count: int, solved: Track) -> None:
    track = ducking(solved, trigger=Trigger(pattern=pattern, at_beats=(0.0, 1.5, 7.25, 99.0)))
    found = key_beats(track, Key(kind="trigger"))
    assert len(found) == count
    assert found == sorted(found)
    if pattern == "off-beats":
        assert found[0] == 0.5
    swung = track.model_copy(update={"sheet": track.sheet.model_copy(update={"swing_pct": 60.0})})
    moved = key_beats(swung, Key(kind="trigger"))
    # Swing moves what lies on second sixteenths, and nothing else.
    assert (moved != found) == (pattern in ("sixteenths", "free"))


def test_before_its_reverb_the_part_rings_on_and_after_it_does_not(example: Track) -> None:
    one = next(hit for hit in example.kit if hit.id == "stab")
    hit = one.hit.model_copy(update={"bus": (Reverb(ring_ms=1500, level_db=0),), "bind": True})
    track = example.with_hit("stab", hit)
    left = []
    for space in ("with the part", "rings on"):
        target = Target(part="stab", space=space, curves=(Duck(on=True, depth_db=24, hold_ms=200, return_ms=60),))
        made = ducking(track, target)
        heard, plain = render_stem(made, StemRef("stab")), render_stem(made, StemRef("stab", "unducked"))
        rows = part_rows(made, "stab", loop_frames(made))
        down = np.interp(np.arange(heard.shape[-1]) / RATE, rows.at_s, rows.gain_db) < -20
        left.append(10 * np.log10(np.sum(heard[..., down] ** 2) / np.sum(plain[..., down] ** 2)))
    assert left[0] < -20
    assert left[1] > left[0] + 10


def test_the_controller_read_back_is_the_curve_within_its_resolution(example: Track) -> None:
    files = dict(delivered(example))
    rows = part_rows(example, "bass", loop_frames(example))
    file = mido.MidiFile(file=io.BytesIO(files["duck-bass.mid"]))
    seconds, values = [], []
    now = 0.0
    for message in file:
        now += message.time
        if message.type == "control_change":
            assert message.control == CONTROLLER
            seconds.append(now)
            values.append(message.value)
    at = np.arange(0.001, float(rows.at_s[-1]), 0.0007)
    held = np.array(values)[np.searchsorted(seconds, at, side="right") - 1]
    off = np.abs(20 * np.log10(held / 127) - np.interp(at, rows.at_s, rows.gain_db))
    # Half a step of the value, and what the gain moves in a tick.
    slope = np.max(np.abs(np.diff(rows.gain_db) / np.diff(rows.at_s))) * 60 / 126 / 960
    assert np.max(off) <= controller_resolution_db(rows) + slope + 0.02
    assert any("20 log10(v/127)" in message.text for message in file.tracks[0] if message.type == "text")
    gain, rate = soundfile.read(io.BytesIO(files["duck-bass.wav"]))
    wanted = 10 ** (np.interp(np.arange(gain.size) / rate, rows.at_s, rows.gain_db) / 20)
    assert same_sound(gain, wanted, within=1e-6)
    document = json.loads(files["duck-bass.json"])
    assert document["rows"] == [[a, g] for a, g in zip(rows.at_s.tolist(), rows.gain_db.tolist(), strict=True)]


def test_the_trigger_is_delivered_where_it_is_used(solved: Track) -> None:
    assert "trigger.mid" not in dict(delivered(solved))
    track = solved.having(duck=solved.duck.model_copy(update={"key": Key(kind="trigger")}))
    files = dict(delivered(track))
    starts, now = [], 0.0
    for message in mido.MidiFile(file=io.BytesIO(files["trigger.mid"])):
        now += message.time
        if message.type == "note_on" and message.velocity:
            starts.append(now * 126 / 60)
    assert starts == pytest.approx(track.kicks(), abs=1e-3)
    clicks, rate = soundfile.read(io.BytesIO(files["trigger.wav"]))
    found = np.flatnonzero(np.diff((clicks > 0.1).astype(int), prepend=0) > 0) / rate * 126 / 60
    assert found == pytest.approx(track.kicks(), abs=1e-4)


def kick_of(length_ms: float, hz: float) -> Hit:
    source = Tail(landing_hz=hz, attack_ms=2, hold_ms=0.3 * length_ms, decay_ms=0.7 * length_ms, release_ms=30)
    return Hit(layers=(Layer(id="a", name="A", source=source),))


@settings(max_examples=12, deadline=None)
@given(
    length_ms=st.floats(40, 260), hz=st.floats(42, 80), bpm=st.floats(90, 150),
    places=st.sampled_from([(0.0, 1.0, 2.0, 3.0), (0.0, 2.0), (0.0, 1.5, 2.75)]),
)  # fmt: skip
def test_a_solved_curve_covers_what_is_needed_and_is_back_in_time(
    length_ms: float, hz: float, bpm: float, places: tuple[float, ...]
) -> None:
    track = Track.model_validate(
        {
            "sheet": {"bpm": bpm, "bars": 1}, "kick": kick_of(length_ms, hz), "kick_at_beats": places,
            "bass": {"harmonics_pct": 30, "blip_db": -60}, "mix": {"kick_gain_db": -8, "bass_gain_db": -8},
            "bass_notes": [{"at_beats": at, "length_beats": 0.95, "note": 34} for at in (0, 1, 2, 3)],
        }
    )  # fmt: skip
    made, plan = plan_part(track, "bass")
    if not plan.duck.on:
        return
    found = analyse(made)
    # All keys share one curve: it is back for the one that leaves least time, and before any next fall.
    ahead_s = made.duck.lookahead_ms / 1000 + 2e-4
    back_s = min(min(one.recovery_s, one.next_hit_s - one.hit_s - ahead_s) for one in found.strokes)
    # That is a fifth of a millisecond early: as much of the end of a return may be left, the steeper the more.
    left_db = 0.1 + 0.2 * made.duck.depth_db * max(1.0, made.duck.shape) / made.duck.return_ms
    for one in found.strokes:
        # The hold gives way to a return that is soft enough.
        soft_s = max(0.06, 3 / note_hz(34, 440))
        assert made.duck.hold_ms / 1000 >= min(one.end_s, back_s - soft_s) - 2e-4
        covered = np.arange(one.start_s + 2e-4, min(one.end_s, made.duck.hold_ms / 1000), 0.003)
        assert all(gain_at(found.rows, one.hit_s + at) <= -made.duck.depth_db + 0.05 for at in covered)
        if back_s > 0.021:
            assert gain_at(found.rows, one.hit_s + back_s) > -left_db


@pytest.mark.parametrize("bpm", [40.0, 260.0])
def test_extreme_tempos_are_planned(bpm: float, example: Track) -> None:
    track = example.model_copy(update={"sheet": example.sheet.model_copy(update={"bpm": bpm})})
    made = planned(track)
    assert made.said
    for part in ("bass", "pad"):
        rows = part_rows(made.track, part, loop_frames(made.track))
        assert np.all(np.isfinite(rows.gain_db))
        assert rows.gain_db.max() <= 0


def test_a_return_longer_than_the_loop_ends_up_where_it_began(solved: Track) -> None:
    sheet = solved.sheet.model_copy(update={"bpm": 260.0, "bars": 1})
    curve = Duck(on=True, depth_db=12, hold_ms=1500, return_ms=1500, key=Key(kind="grid", grid_beats=4))
    track = solved.having(sheet=sheet, duck=curve)
    rows = part_rows(track, "bass", loop_frames(track))
    # The loop is 923 ms: the next key comes while it is held; it is down all the time.
    assert rows.gain_db == pytest.approx(-12, abs=0.01)
    assert dict(delivered(track))


ODD: dict[str, dict[str, object]] = {
    "a kick longer than the bar": {"kick": kick_of(3000, 55), "kick_at_beats": (0.0,)},
    "sixteenth-note kicks": {"kick_at_beats": tuple(i / 4 for i in range(64))},
    "a silent kick": {"kick": Hit()},
    "no kicks": {"kick_at_beats": ()},
    "a silent pad": {"kit": (Part(id="pad", name="Pad", role="chord", strokes=(Stroke(at_beats=0),)),)},
}


@pytest.mark.parametrize("odd", list(ODD))
def test_odd_patterns_are_planned_and_measured(odd: str, example: Track) -> None:
    track = example.having(**ODD[odd])
    made, plans = plan_targets(make_room(track))
    for part in ("bass", "pad"):
        measured = measure_part(made, part)
        assert np.all(np.isfinite(measured.rows.gain_db))
    assert all(plan.reason for plan in plans.values())
    assert dict(delivered(made))


@pytest.mark.parametrize(
    "key",
    [
        Key(kind="hits", hit_ids=("gone",)), Key(kind="hits"), Key(kind="hits", hit_ids=("pad",)), Key(kind="trigger"),
        Key(kind="grid", grid_beats=0.25),
    ],
    ids=["a hit that is gone", "no hit", "itself", "300 triggers a bar", "a fast grid"],
)  # fmt: skip
def test_odd_keys_are_measured(key: Key, example: Track) -> None:
    many = Trigger(pattern="free", at_beats=tuple(i / 75 for i in range(1024)))
    curve = Duck(on=True, depth_db=12, return_ms=1500, hold_ms=1500, key=key)
    track = ducking(example, Target(part="pad", curves=(curve,)), trigger=many)
    measured = measure_part(track, "pad")
    assert measured.keyed_by_itself == (key.hit_ids == ("pad",))
    heard = render_stem(track, StemRef("pad"))
    assert np.all(np.isfinite(heard))
    if not key_beats(track, key):
        assert np.array_equal(heard, render_stem(track, StemRef("pad", "before")))
    else:
        assert measured.rows.gain_db.min() == pytest.approx(-12, abs=0.01)


def test_keys_in_a_circle_are_patterns_and_end(example: Track) -> None:
    pad, stab = (
        Target(part=part, curves=(Duck(on=True, depth_db=6, key=Key(kind="hits", hit_ids=(other,))),))
        for part, other in (("pad", "stab"), ("stab", "pad"))
    )
    track = ducking(example, pad, stab)
    for part in ("pad", "stab"):
        assert measure_part(track, part).rows.gain_db.min() == pytest.approx(-6, abs=0.01)


def test_a_low_pad_is_ducked_as_deep_as_the_kick_needs(solved: Track) -> None:
    low = Hit(layers=(Layer(id="c", name="C", source=Chord(landing_hz=60, hold_ms=1200, chord="fifth")),))
    pad = Part(
        id="pad", name="Pad", role="chord", hit=low, gain_db=0,
        strokes=tuple(Stroke(at_beats=at, velocity=127) for at in (0.0, 4.0, 8.0, 12.0)),
    )  # fmt: skip
    track = ducking(solved.having(kit=(pad,)), Target(part="pad", curves=(Duck(on=True),)))
    made, plan = plan_part(track, "pad")
    found = measure_part(made, "pad")
    assert plan.needed_db > 0.1
    assert found.after_db == pytest.approx(10, abs=0.15)
    assert found.before_db is not None
    assert found.before_db < 10


@pytest.mark.parametrize("split_hz", [80.0, 120.0, 200.0])
def test_what_is_promised_below_a_split_is_what_is_measured(split_hz: float, solved: Track) -> None:
    asked = solved.model_copy(update={"sheet": solved.sheet.model_copy(update={"owner": "kick-is-bass"})})
    made, plan = plan_part(ducking(asked, Target(part="bass", split=True, split_hz=split_hz)), "bass")
    assert plan.clearance_db == pytest.approx(measure_part(made, "bass").after_db, abs=0.01)
    assert plan.clearance_db == pytest.approx(analyse(made).clearance.after_db, abs=0.01)


def test_with_a_split_both_sides_of_a_wide_bass_are_rebuilt_from_its_files(solved: Track) -> None:
    wide = solved.having(bass=solved.bass.model_copy(update={"width_pct": 60.0, "mid_db": -12.0}))
    files = dict(delivered(ducking(wide, Target(part="bass", split=True, split_hz=400))))
    names = ("", "-unducked", "_band-unducked")
    heard, plain, band = (soundfile.read(io.BytesIO(files[f"stems/bass{way}.wav"]))[0] for way in names)
    assert heard.shape == plain.shape == band.shape
    assert heard.shape[1] == 2
    gain = from_csv(files["duck-bass.csv"], heard.shape[0])[:, None]
    error = np.sqrt(np.mean((plain - band + band * gain - heard) ** 2) / np.mean(heard**2))
    assert 20 * np.log10(error + 1e-12) < -60


def test_what_rings_on_is_fed_by_the_dry_stem_that_is_delivered(example: Track) -> None:
    one = next(hit for hit in example.kit if hit.id == "stab")
    bus = (Equalizer(shape="bell", gain_db=3), Reverb(ring_ms=900, level_db=-3))
    track = example.with_hit("stab", one.hit.model_copy(update={"bus": bus, "bind": True}))
    rings = Target(part="stab", space="rings on", curves=(Duck(on=True, depth_db=12),))
    files = dict(delivered(ducking(track, rings)))
    dry, heard = (soundfile.read(io.BytesIO(files[f"stems/kit-stab{way}.wav"]))[0] for way in ("_dry-unducked", ""))
    fed = dry * from_csv(files["duck-kit-stab.csv"], dry.shape[0])
    made = rung(bus[1:], fed, sample_rate=RATE, bpm=track.sheet.bpm)
    assert same_sound(made, heard.T if heard.ndim == 2 else heard, within=1e-5)
    assert not [name for name in dict(delivered(example)) if "dry-unducked" in name]


def test_what_a_ducked_part_costs_is_what_is_heard_of_it(solved: Track) -> None:
    low = Hit(layers=(Layer(id="c", name="C", source=Chord(landing_hz=60, hold_ms=1200, chord="fifth")),))
    strokes = tuple(Stroke(at_beats=at, velocity=127) for at in (0.0, 4.0, 8.0, 12.0))
    pad = Part(id="pad", name="Pad", role="chord", hit=low, gain_db=0, strokes=strokes)
    plain = solved.having(kit=(pad,))
    ducked, _ = plan_part(ducking(plain, Target(part="pad", curves=(Duck(on=True),))), "pad")
    costs = [other_parts(analyse(track))[0].cost_db for track in (plain, ducked)]
    assert costs[1] < costs[0] - 1


@pytest.mark.parametrize(("scale", "third"), [("natural minor", 3), ("major", 4), ("mixolydian", 4), ("dorian", 3)])
def test_chords_start_on_the_tonic_with_the_third_of_the_scale(scale: str, third: int) -> None:
    for start in measured_starts(Sheet(tonic="D", scale=scale), "chord", Hit()):
        (layer,) = start.hit.layers
        assert isinstance(layer.source, Chord)
        assert 12 * np.log2(layer.source.landing_hz / 440) % 12 == pytest.approx(5, abs=1e-3)
        assert layer.source.chord == "fifth" or CHORDS[layer.source.chord][1] == third

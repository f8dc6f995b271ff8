"""Rooms and echoes that parts share: what comes back, from whom, ducked, without lows; what is refused."""

from __future__ import annotations

import json
from typing import Any

import numpy as np
import pytest
from pydantic import ValidationError
from support import same_sound

from juglant.core.analysis.analyse import analyse
from juglant.core.analysis.shared_spaces import space_figures
from juglant.core.chain.limit import Limit
from juglant.core.errors import InvalidTrack, NoSuchPart
from juglant.core.listen.bypass import Bypass, compared
from juglant.core.loop.groups import own_ids
from juglant.core.loop.render import heard_stem, render_stem, render_stems, stem_refs
from juglant.core.loop.shared_spaces import returned
from juglant.core.model.group import Group
from juglant.core.model.references import consistent
from juglant.core.model.shared_space import Send, SharedSpace
from juglant.core.model.stem import BASS, StemRef
from juglant.core.model.track import Track, track_from_json, track_to_json
from juglant.core.types import Samples
from juglant.demo.kit import with_kit
from juglant.services.deliver import delivered

RATE = 48000
ROOM = SharedSpace(id="room", name="Room", sends=(Send(part="clap", level_db=-6), Send(part="bass", level_db=-12)))
ECHO = SharedSpace(id="echo", name="Echo", kind="echo", sides="ping-pong", sends=(Send(part="clap", level_db=-6),))


@pytest.fixture(scope="module")
def whole(solved: Track) -> Track:
    return with_kit(solved)


def sent(track: Track, *spaces: SharedSpace) -> Track:
    return track.model_copy(update={"spaces": spaces})


def two(audio: Samples) -> Samples:
    return audio if audio.ndim == 2 else np.stack((audio, audio))


def click_track(whole: Track) -> tuple[Track, Samples]:
    """The sheet of the demo and one click on its first sample."""
    click = np.zeros(round(whole.sheet.length_beats * 60 / whole.sheet.bpm * RATE))
    click[0] = 1.0
    return whole, click


@pytest.mark.parametrize("space", [ROOM, ECHO], ids=lambda one: one.name)
def test_a_space_is_heard_is_a_stem_and_all_stems_sum(space: SharedSpace, whole: Track) -> None:
    made = sent(whole, space)
    back = render_stem(made, StemRef(space.id))
    assert np.max(np.abs(back)) > 1e-3
    loop = two(render_stems(made).loop)
    assert same_sound(loop, two(render_stems(whole).loop) + two(back), within=1e-9)
    total = np.sum([two(heard_stem(made, ref)) for ref in stem_refs(made) if ref.state == "heard"], axis=0)
    assert same_sound(total, loop, within=1e-9)
    for part in own_ids(whole):
        assert same_sound(heard_stem(made, StemRef(part)), heard_stem(whole, StemRef(part)))


def test_what_comes_back_of_two_parts_is_what_comes_back_of_each(whole: Track) -> None:
    alone = [sent(whole, ROOM.model_copy(update={"sends": (send,)})) for send in ROOM.sends]
    apart = np.sum([two(render_stem(one, StemRef("room"))) for one in alone], axis=0)
    assert same_sound(two(render_stem(sent(whole, ROOM), StemRef("room"))), apart, within=1e-9)


@pytest.mark.parametrize("ring_ms", [300.0, 1200.0, 10000.0])
def test_a_room_falls_by_60_db_in_its_time(ring_ms: float, whole: Track) -> None:
    """Schroeder 1965: the decay is read from the backward integral, here between -5 and -25 dB (T20, ISO 3382)."""
    track, click = click_track(whole)
    sheet = track.sheet.model_copy(update={"bars": 16})
    click = np.zeros(round(64 * 60 / sheet.bpm * RATE))
    click[0] = 1.0
    space = SharedSpace(id="r", name="R", ring_ms=ring_ms, low_cut_hz=100, sides="middle", before_ms=0)
    back = returned(space, click, [], sheet)
    left = np.cumsum(back[::-1] ** 2)[::-1]
    level = 10 * np.log10(left / left[0])
    first, last = (int(np.argmax(level < db)) for db in (-5, -25))
    assert 3 * (last - first) / RATE * 1000 == pytest.approx(ring_ms, rel=0.06)


def test_a_long_room_goes_round_with_the_loop(whole: Track) -> None:
    """A tail longer than the loop is heard in every pass after: two passes long, the loop is the same twice."""
    space = ROOM.model_copy(update={"ring_ms": 10000.0})
    sheet = whole.sheet.model_copy(update={"bars": 2})
    longer = whole.sheet.model_copy(update={"bars": 4})
    sound = np.random.default_rng(4).standard_normal(round(8 * 60 / sheet.bpm * RATE / 2) * 2) * 0.1
    once, twice = returned(space, sound, [], sheet), returned(space, np.tile(sound, 2), [], longer)
    assert same_sound(np.tile(once, 2), twice, within=1e-9)


def test_echoes_stand_where_the_note_value_says_and_in_turn_on_either_side(whole: Track) -> None:
    track, click = click_track(whole)
    space = ECHO.model_copy(update={"every": "1/4", "feedback_pct": 50.0, "low_cut_hz": 20.0, "high_cut_hz": 18000.0})
    left, right = returned(space, click, [], track.sheet)
    beat = 60 / track.sheet.bpm * RATE
    heights = list[float]()
    for turn in range(5):
        at = round((turn + 1) * beat)
        here = [float(np.max(np.abs(side[at : at + 40]))) for side in (left, right)]
        assert here[turn % 2] > 20 * here[1 - turn % 2]
        heights.append(here[turn % 2])
    assert np.divide(heights[1:], heights[:-1]) == pytest.approx([0.5] * 4, abs=0.02)


def test_nothing_of_it_lies_under_its_low_cut(whole: Track) -> None:
    back = two(render_stem(sent(whole, ROOM.model_copy(update={"low_cut_hz": 300.0})), StemRef("room")))
    power, hz = np.abs(np.fft.rfft(back.mean(axis=0))) ** 2, np.fft.rfftfreq(back.shape[1], 1 / RATE)
    plain = np.abs(np.fft.rfft(render_stem(whole, BASS))) ** 2
    low = (hz > 30) & (hz < 100)
    assert 10 * np.log10(power[low].sum() / plain[low].sum()) < -12 - 30


def test_it_goes_down_under_each_kick(whole: Track) -> None:
    noise = np.random.default_rng(1).standard_normal(round(whole.sheet.length_beats * 60 / whole.sheet.bpm * RATE)) * 0.1
    flat = ROOM.model_copy(update={"sides": "middle"})
    deep = flat.model_copy(update={"duck_db": 12.0, "duck_hold_ms": 100.0, "duck_return_ms": 150.0})
    plain, ducked = (returned(one, noise, whole.kicks(), whole.sheet) for one in (flat, deep))
    for at in whole.kicks():
        start = round(at * 60 / whole.sheet.bpm * RATE)
        under, later = (slice(start + 480, start + 4300), slice(start + 15000, start + 18000))
        assert 20 * np.log10(np.std(ducked[under]) / np.std(plain[under])) == pytest.approx(-12, abs=0.1)
        assert 20 * np.log10(np.std(ducked[later]) / np.std(plain[later])) == pytest.approx(0, abs=0.1)


def test_it_swings_in_time_with_the_beat(whole: Track) -> None:
    noise = np.random.default_rng(2).standard_normal(round(whole.sheet.length_beats * 60 / whole.sheet.bpm * RATE)) * 0.1
    space = ROOM.model_copy(update={"move_pct": 100.0, "move_beats": "4", "sides": "middle"})
    left, right = returned(space, noise, [], whole.sheet)
    beat = round(60 / whole.sheet.bpm * RATE)
    # A quarter of the way round it is on the right, at three quarters on the left.
    ratios = [
        20 * np.log10(np.std(right[at : at + 2000]) / np.std(left[at : at + 2000])) for at in (beat - 1000, 3 * beat - 1000)
    ]
    assert ratios[0] > 20
    assert ratios[1] < -20


def test_what_it_costs_is_what_is_measured_outside(whole: Track) -> None:
    loud = ROOM.model_copy(update={"low_cut_hz": 30.0, "sends": (Send(part="bass", level_db=0),), "sides": "wide"})
    made = sent(whole, loud)
    found = space_figures(made, "room")
    loop, back = two(render_stems(made).loop), two(render_stem(made, StemRef("room")))
    hz = np.fft.rfftfreq(loop.shape[1], 1 / RATE)
    low = (hz >= 28) & (hz < 180)
    energy = [float(np.sum(np.abs(np.fft.rfft(one.mean(axis=0)))[low] ** 2)) for one in (loop, loop - back)]
    assert found.low_db == pytest.approx(10 * np.log10(energy[0] / energy[1]), abs=0.2)
    mono = 10 * np.log10(np.sum(back.mean(axis=0) ** 2) / (np.sum(back**2) / 2))
    assert found.mono_db == pytest.approx(mono, abs=0.01)
    assert found.clearance_db == pytest.approx(analyse(whole).clearance.after_db, abs=0.01)
    # A room under the kick costs clearance; ducked it costs less.
    assert found.clearance_with_db is not None
    assert found.clearance_db is not None
    assert found.clearance_with_db < found.clearance_db - 0.5
    ducked = space_figures(sent(whole, loud.model_copy(update={"duck_db": 24.0, "duck_hold_ms": 200.0})), "room")
    assert ducked.clearance_with_db > found.clearance_with_db + 0.3  # type: ignore[operator]


@pytest.mark.parametrize("change", [{"on": False}, {"sends": ()}, {"sends": (Send(part="clap", level_db=-60),)}])
def test_a_space_nobody_is_sent_to_is_no_stem(change: dict[str, Any], whole: Track) -> None:
    made = sent(whole, ROOM.model_copy(update=change))
    assert all(ref.part != "room" for ref in stem_refs(made))
    assert same_sound(render_stems(made).loop, render_stems(whole).loop)


def test_a_bus_of_everything_holds_the_spaces_too(whole: Track) -> None:
    bus = Group(id="all", name="All", whole=True, bus=(Limit(gain_db=6),))
    made = sent(whole, ROOM).model_copy(update={"groups": (bus,)})
    plain = two(render_stems(sent(whole, ROOM)).loop)
    assert not same_sound(two(render_stems(made).loop), plain, within=1e-3)
    assert np.max(np.abs(render_stems(made).loop)) <= 10 ** (-1 / 20) + 1e-6


def test_by_passing_a_part_takes_what_it_sends(whole: Track) -> None:
    made = sent(whole, ROOM)
    gone = compared(made, Bypass(part="clap")).track
    bass_alone = sent(whole, ROOM.model_copy(update={"sends": ROOM.sends[1:]}))
    assert same_sound(render_stem(gone, StemRef("room")), render_stem(bass_alone, StemRef("room")))


@pytest.mark.parametrize(
    ("spaces", "said"),
    [
        ([{"id": "a", "name": "A", "sends": [{"part": "a", "level_db": 0}]}], "fed by itself"),
        ([{"id": "a", "name": "A"}, {"id": "b", "name": "B", "sends": [{"part": "a", "level_db": 0}]}], "not by the space"),
        ([{"id": "clap", "name": "A"}], "twice"),
        ([{"id": "a", "name": "A", "ring_ms": 20000}], "10000"),
        ([{"id": "a", "name": "A", "sends": [{"part": "clap"}, {"part": "clap"}]}], "twice"),
        ([{"id": f"r{i}", "name": "A"} for i in range(4)], "at most 3"),
    ],
)
def test_spaces_that_cannot_be_are_refused_in_plain_words(spaces: list[Any], said: str, whole: Track) -> None:
    with pytest.raises((InvalidTrack, ValidationError), match=said):
        track_from_json(json.dumps(whole.model_dump(mode="json") | {"spaces": spaces}))


def test_a_part_that_is_removed_is_sent_nowhere(whole: Track) -> None:
    made = sent(whole, ROOM)
    assert track_from_json(track_to_json(made)) == made
    gone = made.having(kit=tuple(one for one in made.kit if one.id != "clap"))
    assert [send.part for send in consistent(gone, made).spaces[0].sends] == ["bass"]
    with pytest.raises(InvalidTrack, match="'gong'"):
        consistent(sent(whole, ROOM.model_copy(update={"sends": (Send(part="gong"),)})), whole)
    with pytest.raises(NoSuchPart, match="'gong'"):
        space_figures(made, "gong")


def test_it_is_delivered(whole: Track) -> None:
    names = {name for name, _ in delivered(sent(whole, ROOM, ECHO))}
    assert {"stems/space-room.wav", "stems/space-echo.wav"} <= names

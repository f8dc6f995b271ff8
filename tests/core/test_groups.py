"""Buses of groups: what their sum goes through, whose share of it is whose, and what is refused."""

from __future__ import annotations

import io
import json
import re
from typing import Any

import numpy as np
import pyloudnorm
import pytest
import soundfile
from pydantic import ValidationError
from reference_clearance import clearance_db
from support import same_sound

from juglant.core.analysis.analyse import analyse
from juglant.core.analysis.groups import group_figures
from juglant.core.chain.clip import Clip
from juglant.core.chain.compressor import Compressor
from juglant.core.chain.equalizer import Equalizer
from juglant.core.chain.limit import Limit
from juglant.core.errors import InvalidTrack, NoSuchPart
from juglant.core.findings.registry import applied, find_all
from juglant.core.listen.bypass import Bypass, compared
from juglant.core.loop.groups import own_ids, through_bus
from juglant.core.loop.render import group_members, heard_stem, render_stem, render_stems, stem_made_of, stem_refs
from juglant.core.model.group import Group
from juglant.core.model.references import consistent
from juglant.core.model.shared_space import Send, SharedSpace
from juglant.core.model.stem import BASS, KICK, StemRef
from juglant.core.model.track import Track, track_from_json, track_to_json
from juglant.core.types import Samples
from juglant.demo.kit import with_kit
from juglant.services.deliver import delivered

RATE = 48000
PRESS = Compressor(threshold_db=-24, ratio=4, attack_ms=5, release_ms=120)
TILT = Equalizer(shape="low shelf", frequency_hz=80, gain_db=3)
BUSES = {
    "the low end pressed": Group(id="low", name="Low", members=("kick", "bass"), bus=(PRESS,)),
    "drums clipped": Group(id="drums", name="Drums", members=("clap", "hat", "kick"), bus=(TILT, Clip(gain_db=12))),
    "everything limited": Group(id="all", name="All", whole=True, bus=(Limit(gain_db=6),)),
}


@pytest.fixture(scope="module")
def whole(solved: Track) -> Track:
    return with_kit(solved)


def on(track: Track, *groups: Group) -> Track:
    return track.model_copy(update={"groups": groups})


def two(audio: Samples) -> Samples:
    return audio if audio.ndim == 2 else np.stack((audio, audio))


@pytest.mark.parametrize("name", BUSES)
def test_a_bus_is_heard_and_every_stem_sums_to_the_loop(name: str, whole: Track) -> None:
    made = on(whole, BUSES[name])
    before, after = render_stems(whole).loop, render_stems(made).loop
    assert np.max(np.abs(two(after) - two(before))) > 0.01
    total = np.sum([two(heard_stem(made, ref)) for ref in stem_refs(made) if ref.state == "heard"], axis=0)
    assert same_sound(total, two(after), within=1e-9)
    # No member's own stem moves.
    for part in own_ids(whole):
        assert same_sound(heard_stem(made, StemRef(part)), heard_stem(whole, StemRef(part)))


@pytest.mark.parametrize("name", BUSES)
def test_shares_of_a_bus_sum_to_what_comes_out(name: str, whole: Track) -> None:
    group = BUSES[name]
    made = on(whole, group)
    members = group_members(made, group)
    bus = through_bus(group, members, sample_rate=RATE, bpm=made.sheet.bpm)
    total = np.sum([two(stem) for stem in members.values()], axis=0)
    expected = total + two(render_stem(made, StemRef(group.id)))
    out = bus.after if bus.after.shape[0] == 2 else np.repeat(bus.after, 2, axis=0)
    assert 10 * np.log10(np.sum((out - expected) ** 2) / np.sum(expected**2)) < -100


def test_no_share_is_larger_than_the_gain_that_is_set_makes_of_its_part(whole: Track) -> None:
    """Where parts cancel, the sum says nothing of either: none of them is blown up there."""
    group = Group(id="g", name="G", members=("kick", "bass", "clap"), bus=(Clip(gain_db=12),))
    members = group_members(on(whole, group), group)
    bus = through_bus(group, members, sample_rate=RATE, bpm=whole.sheet.bpm)
    for part, stem in members.items():
        assert np.max(np.abs(bus.shares[part])) <= 10 ** (12 / 20) * np.max(np.abs(stem)) + 0.05, part
        # Turned up and clipped, it is no louder than turned up.
        assert np.sum(bus.shares[part] ** 2) <= 10 ** (12 / 10) * np.sum(two(stem)[: bus.after.shape[0]] ** 2) * 1.01
    assert same_sound(np.sum(list(bus.shares.values()), axis=0), bus.after, within=1e-9)


def test_buses_stand_one_behind_the_other(whole: Track) -> None:
    low, everything = BUSES["the low end pressed"], BUSES["everything limited"]
    # The order in which they are written does not matter: everything is always last.
    one, other = (render_stems(on(whole, *groups)).loop for groups in ((low, everything), (everything, low)))
    assert same_sound(one, other, within=1e-12)
    peak = np.max(np.abs(one))
    assert 20 * np.log10(peak) < -1


@pytest.mark.parametrize(
    "group",
    [
        Group(id="low", name="Low", members=("kick", "bass")),
        Group(id="low", name="Low", members=("kick",), bus=(PRESS,), on=False),
        Group(id="low", name="Low", members=("kick",), bus=(PRESS.model_copy(update={"on": False}),)),
        Group(id="low", name="Low", bus=(PRESS,)),
    ],
    ids=["empty", "off", "its processors off", "nobody on it"],
)
def test_a_bus_that_does_nothing_changes_nothing_and_is_no_stem(group: Group, whole: Track) -> None:
    made = on(whole, group)
    assert same_sound(render_stems(made).loop, render_stems(whole).loop)
    assert all(ref.part != "low" for ref in stem_refs(made))


def test_a_track_without_groups_is_read_as_before(whole: Track) -> None:
    document = track_to_json(whole)
    older = document.replace('\n "groups": [],', "").replace('\n "bass_chain": [],', "")
    assert "groups" not in older
    assert "bass_chain" not in older
    assert track_from_json(older) == whole


def test_the_compressor_takes_off_what_its_formula_says(whole: Track) -> None:
    """On a steady tone: threshold + (level - threshold) / ratio (Giannoulis, Massberg, Reiss 2012, from memory)."""
    time = np.arange(4 * RATE) / RATE
    tone = 0.5 * np.sign(np.sin(2 * np.pi * 50 * time))
    stage = Compressor(threshold_db=-20, ratio=4, knee_db=0, attack_ms=1, release_ms=50, makeup_db=2)
    group = Group(id="g", name="G", members=("kick", "bass"), bus=(stage,))
    bus = through_bus(group, {"kick": tone, "bass": 0.2 * tone}, sample_rate=RATE, bpm=120)
    level = 20 * np.log10(0.6)
    expected = -20 + (level + 20) / 4 + 2
    assert 20 * np.log10(np.median(np.abs(bus.after))) == pytest.approx(expected, abs=0.05)
    assert 20 * np.log10(np.median(bus.gain)) == pytest.approx(expected - 2 - level, abs=0.05)
    # Each keeps its share.
    assert np.median(np.abs(bus.shares["bass"])) / np.median(np.abs(bus.after)) == pytest.approx(1 / 6, abs=1e-6)


def test_what_a_bus_does_to_each_is_what_is_measured_outside(whole: Track) -> None:
    group = BUSES["the low end pressed"]
    made = on(whole, group)
    found = group_figures(made, "low")
    members = group_members(made, group)
    bus = through_bus(group, members, sample_rate=RATE, bpm=made.sheet.bpm)
    meter = pyloudnorm.Meter(RATE)
    for one in found.members:
        before, after = (
            meter.integrated_loudness(np.tile(np.atleast_2d(sound), 4).T)
            for sound in (members[one.part], bus.shares[one.part])
        )
        assert one.moved_lu == pytest.approx(after - before, abs=0.3)
    bass = next(one for one in found.members if one.part == "bass")
    report = analyse(made)
    assert bass.clearance_before_db == pytest.approx(analyse(whole).clearance.after_db, abs=0.01)
    # What is planned is planned in front of the bus: Separate's figure stays as it is.
    assert report.clearance.after_db == pytest.approx(analyse(whole).clearance.after_db, abs=1e-9)
    # Behind the bus, by scipy from the shares.
    stems = {part: np.asarray(bus.shares[part].mean(axis=0)) for part in ("kick", "bass")}
    stems |= {"kick-before": render_stem(made, KICK.of("before")), "bass-before": render_stem(made, BASS.of("before"))}
    outside = clearance_db(stems, made.sheet.owner, RATE, [at * 60 / made.sheet.bpm for at in made.kicks()])
    assert bass.clearance_after_db == pytest.approx(outside, abs=0.3)
    # Whoever is louder at its peaks causes more; alone on it, nothing would be left of what the other causes.
    assert found.reduction_db > 3
    assert all(one.caused_db > 0.5 for one in found.members)


def test_by_passing_a_bus_or_a_part_on_it_is_the_loop_without(whole: Track) -> None:
    group, everything = BUSES["the low end pressed"], BUSES["everything limited"]
    made = on(whole, group)
    found = compared(made, Bypass(part="low"))
    assert found.matched
    refs = [ref for ref in stem_refs(found.track) if ref.state == "heard" and ref.part != "low"]
    left = np.sum([two(heard_stem(found.track, ref)) for ref in refs], axis=0)
    assert same_sound(left, two(render_stems(whole).loop), within=1e-9)
    # Without the kick the bus hears the bass alone.
    gone = compared(on(whole, group, everything), Bypass(part="kick")).track
    heard = [two(heard_stem(gone, ref)) for ref in stem_refs(gone) if ref.state == "heard" and ref.part != "kick"]
    alone = on(whole, group.model_copy(update={"members": ("bass",)}))
    bass_bus = two(render_stem(alone, StemRef("low")))
    plain = [two(heard_stem(whole, StemRef(part))) for part in own_ids(whole) if part != "kick"]
    limited = Group(id="all", name="All", members=("bass",), bus=everything.bus)
    total = np.sum(plain, axis=0) + bass_bus
    expected = through_bus(limited, {"bass": total}, sample_rate=RATE, bpm=whole.sheet.bpm).after
    assert same_sound(np.sum(heard, axis=0), expected, within=1e-6)


def test_a_layer_of_a_part_on_a_bus_is_by_passed_with_what_the_bus_makes_of_it(whole: Track) -> None:
    """Its bus hears the part at its own level: the whole loop is matched, and not the part's stem alone."""
    made = on(whole, BUSES["the low end pressed"])
    layer = made.kick.layers[-1].id
    found = compared(made, Bypass(part="kick", layer=layer))
    assert found.of_loop
    assert not compared(whole, Bypass(part="kick", layer=layer)).of_loop
    meter = pyloudnorm.Meter(RATE)
    loud = [
        meter.integrated_loudness(np.tile(two(render_stems(one).loop), 4).T) + turned
        for one, turned in ((made, found.with_db), (found.track, found.without_db))
    ]
    assert loud[0] == pytest.approx(loud[1], abs=0.25)


def test_a_part_that_is_not_on_a_bus_does_not_make_it_anew(whole: Track) -> None:
    made = on(whole, BUSES["the low end pressed"])
    kit = tuple(one.model_copy(update={"gain_db": -20}) if one.id == "clap" else one for one in made.kit)
    assert stem_made_of(made, StemRef("low")) == stem_made_of(made.having(kit=kit), StemRef("low"))
    louder = made.with_part("bass", gain_db=-3)
    assert stem_made_of(made, StemRef("low")) != stem_made_of(louder, StemRef("low"))


def test_an_edit_of_one_part_makes_that_part_and_the_sums_it_is_in_anew(whole: Track) -> None:
    """Counted by what each stem is made of: equal texts are equal audio, and are rendered once."""
    space = SharedSpace(id="room", name="Room", sends=(Send(part="hat", level_db=-6),))
    drums = Group(id="drums", name="Drums", members=("clap", "tom"), bus=(PRESS,))
    made = on(whole, BUSES["the low end pressed"], drums).model_copy(update={"spaces": (space,)})
    sums = {"kick": {"low"}, "bass": {"low"}, "clap": {"drums"}, "tom": {"drums"}, "hat": {"room"}, "wood": set()}
    before = {ref: stem_made_of(made, ref) for ref in stem_refs(made)}
    for part, its in sums.items():
        if part == "bass":
            changed = made.with_part("bass", gain_db=-12)
        else:
            hit = made.hit_of(part).hit
            layers = (hit.layers[0].model_copy(update={"gain_db": -9.5}), *hit.layers[1:])
            changed = made.with_hit(part, hit.model_copy(update={"layers": layers}))
        anew = {ref.part for ref, text in before.items() if stem_made_of(changed, ref) != text}
        assert anew == {part, *its}, part


@pytest.mark.parametrize(
    ("groups", "said"),
    [
        ([{"id": "a", "name": "A", "members": ["kick"]}, {"id": "b", "name": "B", "members": ["a"]}], "parts, not groups"),
        ([{"id": "a", "name": "A", "members": ["a"]}], "parts, not groups"),
        ([{"id": "clap", "name": "A"}], "from parts"),
        ([{"id": "a", "name": "A"}, {"id": "a", "name": "B"}], "'a' twice"),
        ([{"id": "a", "name": "A", "members": ["kick"]}, {"id": "b", "name": "B", "members": ["kick"]}], "one bus"),
        ([{"id": "a", "name": "A", "whole": True}, {"id": "b", "name": "B", "whole": True}], "only one bus"),
        ([{"id": "a", "name": "A", "whole": True, "members": ["kick"]}], "names no members"),
        ([{"id": "a", "name": "A", "members": ["kick", "kick"]}], "twice"),
        ([{"id": "a", "name": "A", "bus": [{"kind": "reverb"}]}], "bus"),
        ([{"id": "kick", "name": "A"}], "kick"),
        ([{"id": str(i), "name": "A"} for i in range(5)], "at most 4"),
    ],
)  # fmt: skip
def test_groups_that_cannot_be_are_refused_in_plain_words(groups: list[Any], said: str, whole: Track) -> None:
    document = whole.model_dump(mode="json") | {"groups": groups}
    with pytest.raises((InvalidTrack, ValidationError), match=said):
        track_from_json(json.dumps(document))


def test_a_part_that_is_removed_leaves_its_bus_and_one_never_there_is_refused(whole: Track) -> None:
    made = on(whole, Group(id="drums", name="Drums", members=("clap", "hat"), bus=(PRESS,)))
    gone = made.having(kit=tuple(one for one in made.kit if one.id != "clap"))
    assert consistent(gone, made).groups[0].members == ("hat",)
    with pytest.raises(InvalidTrack, match="'gong'"):
        consistent(on(whole, Group(id="drums", name="Drums", members=("gong",))), whole)
    with pytest.raises(NoSuchPart, match="'gong'"):
        group_figures(made, "gong")


def test_a_processor_that_does_nothing_on_a_bus_is_named(whole: Track) -> None:
    idle = BUSES["the low end pressed"].model_copy(update={"bus": (Compressor(threshold_db=0), PRESS)})
    made = on(whole, idle)
    (said,) = [one for one in find_all(analyse(made)) if "idle" in one.id and "low" in one.id]
    assert "changes nothing" in said.title
    assert applied(said.fixes[0], made).groups[0].bus == (PRESS,)


def test_what_is_delivered_sums_to_the_loop(whole: Track) -> None:
    made = on(whole, BUSES["the low end pressed"], BUSES["everything limited"])
    read = {
        name: soundfile.read(io.BytesIO(data), always_2d=True)[0].T
        for name, data in delivered(made)
        if name == "loop.wav" or name.startswith("stems/")
    }
    both = {name: np.repeat(audio, 2 // audio.shape[0], axis=0) for name, audio in read.items()}
    heard = [name for name in both if name.startswith("stems/") and not re.search("before|unducked", name)]
    assert {"stems/bus-low.wav", "stems/bus-all.wav", "stems/kick.wav"} <= set(heard)
    assert same_sound(np.sum([both[name] for name in heard], axis=0), both["loop.wav"], within=1e-5)

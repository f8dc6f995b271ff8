"""By-pass: what is left out is left out, and both sides are equally loud: the louder is turned down."""

from __future__ import annotations

from typing import Any

import numpy as np
import pyloudnorm
import pytest
from pydantic import TypeAdapter

from juglant.core.chain.registry import Processor
from juglant.core.errors import NoSuchPart
from juglant.core.listen.bypass import Bypass, compared
from juglant.core.loop.render import heard_stem, render_stems
from juglant.core.model.hit import Hit
from juglant.core.model.stem import StemRef
from juglant.core.model.track import Track
from juglant.core.types import Samples
from juglant.demo.kit import with_kit

# Four turns gate other blocks of 0.4 s than one: so much may lie between two readings of short strokes.
EQUAL_LU = 0.25
PROCESSOR: TypeAdapter[Any] = TypeAdapter(Processor)
# Louder, quieter, and of another shape.
STAGES: dict[str, dict[str, Any]] = {
    "louder": {"kind": "drive", "drive_db": 24.0},
    "quieter": {"kind": "compressor", "threshold_db": -40.0, "ratio": 10.0},
    "longer": {"kind": "reverb", "level_db": 0.0},
}


@pytest.fixture(scope="module")
def whole(solved: Track) -> Track:
    """The demo with its kit."""
    return with_kit(solved)


def loudness(loop: Samples, rate: int) -> float:
    """Integrated loudness of four turns of a loop (BS.1770-5, by pyloudnorm)."""
    return float(pyloudnorm.Meter(rate).integrated_loudness(np.tile(np.atleast_2d(loop), 4).T))


def with_stage(track: Track, part: str, stage: dict[str, Any], *, bus: bool) -> Track:
    hit = track.hit_of(part).hit
    made = PROCESSOR.validate_python(stage)
    if bus:
        return track.with_hit(part, hit.model_copy(update={"bind": True, "bus": (made,)}))
    first = hit.layers[0].model_copy(update={"chain": (made,)})
    return track.with_hit(part, hit.model_copy(update={"layers": (first, *hit.layers[1:])}))


def without_stage(hit: Hit, *, bus: bool) -> Hit:
    if bus:
        return hit.model_copy(update={"bus": ()})
    return hit.model_copy(update={"layers": (hit.layers[0].model_copy(update={"chain": ()}), *hit.layers[1:])})


@pytest.mark.parametrize("bus", [False, True], ids=["of a layer", "of the bus"])
@pytest.mark.parametrize("part", ["kick", "clap"])
@pytest.mark.parametrize("stage", STAGES)
def test_a_stage_is_left_out_and_both_sides_are_equally_loud(whole: Track, part: str, stage: str, bus: bool) -> None:
    track = with_stage(whole, part, STAGES[stage], bus=bus)
    layer = None if bus else track.hit_of(part).hit.layers[0].id
    found = compared(track, Bypass(part=part, layer=layer, stage=0))
    ref, rate = StemRef(part), track.sheet.sample_rate
    bare = heard_stem(track.with_hit(part, without_stage(track.hit_of(part).hit, bus=bus)), ref)
    there = heard_stem(found.track, ref)
    # A switched off reverb leaves its room for the tail: silence.
    assert np.max(np.abs(np.atleast_2d(there) - np.atleast_2d(bare))) < 1e-12
    assert found.matched
    assert not found.idle
    assert max(found.with_db, found.without_db) == 0
    here = heard_stem(track, ref)
    assert here.shape == there.shape
    assert loudness(here, rate) + found.with_db == pytest.approx(loudness(there, rate) + found.without_db, abs=EQUAL_LU)
    if bus and stage != "longer":
        assert (found.with_db < found.without_db) == (stage == "louder")


@pytest.mark.parametrize(("part", "layer"), [("kick", 0), ("clap", 0), ("bass", "mid"), ("bass", "start")])
def test_a_layer_is_left_out_at_matched_loudness(whole: Track, part: str, layer: int | str) -> None:
    track = whole.having(bass=whole.bass.model_copy(update={"mid_db": 6.0, "blip_db": 0.0}))
    name = layer if isinstance(layer, str) else track.hit_of(part).hit.layers[layer].id
    found = compared(track, Bypass(part=part, layer=name))
    ref, rate = StemRef(part), track.sheet.sample_rate
    here, there = heard_stem(track, ref), heard_stem(found.track, ref)
    assert not found.idle
    assert float(np.max(np.abs(here - there))) > 1e-3
    assert loudness(here, rate) + found.with_db == pytest.approx(loudness(there, rate) + found.without_db, abs=EQUAL_LU)
    others = [one.id for one in track.kit if one.id != part]
    assert all(np.array_equal(heard_stem(track, StemRef(one)), heard_stem(found.track, StemRef(one))) for one in others)


@pytest.mark.parametrize("part", ["kick", "bass", "clap"])
def test_of_a_whole_part_it_is_the_loops_that_are_matched(whole: Track, part: str) -> None:
    found = compared(whole, Bypass(part=part))
    rate, loop = whole.sheet.sample_rate, render_stems(whole).loop
    rest = loop - heard_stem(whole, StemRef(part))
    assert found.track == whole
    assert loudness(loop, rate) + found.with_db == pytest.approx(loudness(rest, rate) + found.without_db, abs=EQUAL_LU)


def test_what_is_off_already_is_told_and_what_is_silent_is_not_matched(whole: Track) -> None:
    off = with_stage(whole, "clap", STAGES["louder"] | {"on": False}, bus=True)
    assert compared(off, Bypass(part="clap", stage=0)).idle
    hit = whole.hit_of("clap").hit
    alone = whole.with_hit("clap", hit.model_copy(update={"layers": hit.layers[:1]}))
    found = compared(alone, Bypass(part="clap", layer=hit.layers[0].id))
    assert (found.matched, found.with_db, found.without_db) == (False, 0.0, 0.0)


@pytest.mark.parametrize(
    ("what", "said"),
    [
        ({"part": "gong"}, "no hit 'gong'"),
        ({"part": "clap", "layer": "gong"}, "no layer 'gong'"),
        ({"part": "clap", "layer": "first", "stage": 3}, "there is no number 4"),
        ({"part": "clap", "stage": 0}, "not bound"),
        ({"part": "bass", "layer": "gong"}, "the bass has the layers"),
        ({"part": "bass", "layer": "sub", "stage": 0}, "none of them with a chain"),
        ({"part": "bass", "stage": 0}, "the bass has 0 processors"),
    ],
)
def test_what_is_not_there_cannot_be_left_out(whole: Track, what: dict[str, Any], said: str) -> None:
    first = whole.hit_of("clap").hit.layers[0].id
    named = what | ({"layer": first} if what.get("layer") == "first" else {})
    with pytest.raises(NoSuchPart, match=said):
        compared(whole, Bypass(**named))


def test_a_kick_that_comes_as_a_loop_has_nothing_to_by_pass(untouched: Track) -> None:
    loop = untouched.kick_loop.model_copy(update={"on": True, "take": "f" * 24})
    track = untouched.having(kick_loop=loop)
    with pytest.raises(NoSuchPart, match="comes from a loop"):
        compared(track, Bypass(part="kick", layer=track.kick.layers[0].id))

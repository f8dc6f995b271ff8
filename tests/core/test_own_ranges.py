"""Own ranges: rolls, their levelling, strength maps and morphs stay inside, at every amount, for every kind of control."""

from __future__ import annotations

import json

import pytest
from pydantic import ValidationError

from juglant.core.chain.equalizer import Equalizer
from juglant.core.chain.saturate import Saturate
from juglant.core.hit.levelled import rolled_levelled
from juglant.core.hit.roll import Roll, morphed, rolled, rulers_of
from juglant.core.hit.strokes import stroke_hit
from juglant.core.model.hit import Hit, Layer
from juglant.core.model.own_range import OwnRange
from juglant.core.model.references import consistent
from juglant.core.model.track import Track
from juglant.core.model.velocity import Velocity, VelocityMap
from juglant.core.synth.skins import Skins
from juglant.core.synth.sweep import Sweep

RATE = 48000
CHAIN = (Equalizer(frequency_hz=300, gain_db=2), Saturate(drive_db=6))
BODY = Layer(id="body", name="Body", source=Sweep(landing_hz=58, decay_ms=200), gain_db=-3, chain=CHAIN)
SKINS = Layer(id="skins", name="Skins", source=Skins(landing_hz=110, ring_ms=600, stiffness=0.6), gain_db=-6)
HIT = Hit(layers=(BODY, SKINS))
# One of each kind: of an engine, a layer, a processor; in the middle of the ruler, past its end, no wider than a point.
OWN = (
    OwnRange(layer_id="body", parameter="decay_ms", low=180, high=230),
    OwnRange(layer_id="body", parameter="gain_db", low=-4, high=-2.5),
    OwnRange(layer_id="body", stage=0, parameter="gain_db", low=1, high=3),
    OwnRange(layer_id="body", stage=1, parameter="drive_db", low=6, high=6),
    OwnRange(layer_id="skins", parameter="ring_ms", low=500, high=5000),
    OwnRange(layer_id="skins", parameter="stiffness", low=0.6, high=0.6005),
)


def value_of(hit: Hit, one: OwnRange) -> float:
    layer = next(each for each in hit.layers if each.id == one.layer_id)
    if one.stage is not None:
        return float(getattr(layer.chain[one.stage], one.parameter))
    return float(getattr(layer if one.parameter == "gain_db" else layer.source, one.parameter))


@pytest.mark.parametrize("amount_pct", [5, 40, 100])
def test_rolls_stay_inside_own_ranges_and_nothing_else_is_held(amount_pct: float) -> None:
    hit, roll = HIT.model_copy(update={"ranges": OWN}), Roll(seed=7, amount_pct=amount_pct, only_front=False)
    made = [rolled(hit, roll, index) for index in range(16)]
    levelled = [rolled_levelled(hit, roll, index, sample_rate=RATE, bpm=126).hit for index in range(4)]
    for one in OWN:
        values = [value_of(each, one) for each in made]
        assert all(one.low <= value <= one.high for value in (*values, *(value_of(each, one) for each in levelled))), one
        # A range is used, not only kept: it moves where there is room.
        assert (len(set(values)) > 4) == (one.high > one.low), one
    # What has no own range moves as it does without any, by the same chance.
    free, ranged = {(one.layer_id, one.parameter) for one in OWN}, [rolled(HIT, roll, index) for index in range(16)]
    for before, after in zip(ranged, made, strict=True):
        for was, now in zip(before.layers, after.layers, strict=True):
            for name in rulers_of(type(was.source)):
                if (was.id, name) not in free:
                    assert getattr(was.source, name) == getattr(now.source, name), name


def test_a_wider_range_than_the_musical_one_is_reached_and_one_beside_the_value_holds_it() -> None:
    wide = OwnRange(layer_id="skins", parameter="ring_ms", low=40, high=3000)
    beside = OwnRange(layer_id="body", parameter="decay_ms", low=300, high=320)
    hit = HIT.model_copy(update={"ranges": (wide, beside)})
    rolls = [rolled(hit, Roll(seed=3, amount_pct=100, only_front=False), index) for index in range(64)]
    rings = [value_of(one, wide) for one in rolls]
    assert min(rings) < 120
    assert max(rings) > 2200
    assert all(300 <= value_of(one, beside) <= 320 for one in rolls)


def test_strength_and_morphs_stay_inside() -> None:
    maps = (VelocityMap(layer_id="skins", parameter="stiffness", soft=0.05),)
    own = (OwnRange(layer_id="skins", parameter="stiffness", low=0.4, high=0.9),)
    hit = HIT.model_copy(update={"velocity": Velocity(maps=maps), "ranges": own})
    free = hit.model_copy(update={"ranges": ()})
    stiff = [value_of(stroke_hit(hit, velocity=velocity, robin=0), own[0]) for velocity in range(1, 128)]
    assert min(stiff) == 0.4
    assert stiff[-1] == 0.6
    assert stiff == sorted(stiff)
    assert value_of(stroke_hit(free, velocity=1, robin=0), own[0]) < 0.1
    other = hit.model_copy(
        update={"ranges": (), "layers": (BODY, SKINS.model_copy(update={"source": Skins(stiffness=0.0, ring_ms=600)}))}
    )
    for share in (0.25, 0.5, 0.9):
        made = morphed(hit, other, share)
        assert value_of(made, own[0]) >= 0.4
        assert made.ranges == own


def test_own_ranges_go_with_what_they_are_of_and_stay_through_a_file() -> None:
    track = Track(kick=HIT.model_copy(update={"ranges": OWN}))
    assert consistent(track).kick.ranges == OWN
    assert Track.model_validate(json.loads(track.model_dump_json())).kick.ranges == OWN
    shorter = BODY.model_copy(update={"chain": CHAIN[:1]})
    gone = consistent(track.having(kick=track.kick.model_copy(update={"layers": (shorter,)})), track)
    assert gone.kick.ranges == OWN[:3]
    # Another engine in its place has other rulers.
    other = BODY.model_copy(update={"source": Skins()})
    changed = consistent(track.having(kick=track.kick.model_copy(update={"layers": (other, SKINS)})), track)
    assert [one.parameter for one in changed.kick.ranges] == ["gain_db", "gain_db", "drive_db", "ring_ms", "stiffness"]


@pytest.mark.parametrize(
    ("ranges", "says"),
    [
        ([{"layer_id": "body", "parameter": "decay_ms", "low": 300, "high": 200}], "is above its highest"),
        ([{"layer_id": "body", "parameter": "decay_ms", "low": float("nan"), "high": 200}], "finite|greater"),
        ([{"layer_id": "body", "parameter": "decay ms", "low": 100, "high": 200}], "pattern"),
        ([{"layer_id": "body", "parameter": "decay_ms", "low": 100, "high": 200}] * 2, "one own range at most"),
    ],
)
def test_what_is_no_range_is_said(ranges: list[dict], says: str) -> None:
    with pytest.raises(ValidationError, match=says):
        Hit.model_validate({"layers": [BODY.model_dump()], "ranges": ranges})

"""Layers and variations of a hit: what is found about its layers, each answered by its fix; rolls, locks, morphs."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import pytest

from juglant.core.analysis.analyse import Analysis, analyse
from juglant.core.chain.compressor import Compressor
from juglant.core.chain.limit import Limit
from juglant.core.chain.width import Width
from juglant.core.findings import layer_findings, sides_findings
from juglant.core.findings.finding import Finding
from juglant.core.findings.registry import applied
from juglant.core.hit.render import render_hit
from juglant.core.hit.roll import Roll, key_of, morphed, rolled, rulers_of
from juglant.core.hit.start_hats import CLAPS, HATS
from juglant.core.hit.start_kicks import KICKS
from juglant.core.hit.start_others import PERCUSSION
from juglant.core.hit.start_skins import SNARES
from juglant.core.measure.landing import measure_landing
from juglant.core.measure.stereo import worst_fold_band
from juglant.core.model.hit import Hit, Layer
from juglant.core.model.part import Part
from juglant.core.model.sheet import Sheet
from juglant.core.model.track import Track
from juglant.core.parameter.fields import limits_of, musical_of
from juglant.core.pictures.sheet import apart_db, measured_small, small_of
from juglant.core.synth.beater import Beater
from juglant.core.synth.clap import Clap
from juglant.core.synth.sweep import Sweep
from juglant.core.synth.tail import Tail

FINDERS = (*layer_findings.FINDERS, *sides_findings.FINDERS)
RATE = 48000
BODY = Layer(id="body", name="Body", source=Sweep(landing_hz=55))
CLICK = Layer(id="click", name="Click", source=Beater(), gain_db=-9)
TAIL = Layer(id="tail", name="Tail", source=Tail(landing_hz=55), gain_db=-6, offset_ms=8)


def of_kick(*layers: Layer, **hit: object) -> Track:
    return Track(sheet=Sheet(bars=1), kick=Hit(layers=layers, **hit), kick_at_beats=(0, 1, 2, 3))  # type: ignore[arg-type]


def of_clap(*layers: Layer) -> Track:
    clap = Part(id="clap", name="Clap", role="clap", hit=Hit(layers=layers))
    return Track(sheet=Sheet(bars=1), kit=(clap,))


FAR = Layer(id="far", name="Far", source=Beater(low_pass_hz=3000), gain_db=-58)
TWIN = BODY.model_copy(update={"id": "twin", "name": "Twin", "gain_db": -2.0})
COPIED = Layer(id="clap", name="Clap", source=Clap(), chain=(Width(apart_ms=0.5),))
IDLE = CLICK.model_copy(update={"chain": (Compressor(threshold_db=0),)})

Finder = Callable[[Analysis], list[Finding]]
# What is wrong, by which finding it is said, about which hit.
CASES: list[tuple[Track, Finder, str, str]] = [
    (of_kick(BODY, CLICK, FAR), layer_findings.layer_adds_nothing, "adds-nothing-far", "kick"),
    (of_kick(BODY, CLICK, TWIN), layer_findings.same_job, "same-job-body-twin", "kick"),
    (of_kick(BODY, TAIL), layer_findings.missing_click, "missing-click", "kick"),
    (of_clap(COPIED), sides_findings.lost_in_mono, "lost-in-mono-in-clap", "clap"),
    (
        of_kick(BODY, CLICK, TWIN.model_copy(update={"inverted": True})),
        layer_findings.layers_cancel,
        "layers-cancel",
        "kick",
    ),
]


@pytest.mark.parametrize(("track", "finder", "name", "hit_id"), CASES, ids=[case[2] for case in CASES])
def test_what_is_wrong_with_layers_is_said_and_its_fix_answers(
    track: Track, finder: Finder, name: str, hit_id: str
) -> None:
    (found,) = (one for one in finder(analyse(track)) if one.id == name)
    assert found.hit_id == hit_id
    assert found.fixes
    for fix in found.fixes:
        assert name not in {one.id for one in finder(analyse(applied(fix, track)))}


def test_layers_that_each_have_a_job_are_left_alone() -> None:
    track = of_kick(BODY, CLICK, TAIL)
    said = [one.id for finder in FINDERS for one in finder(analyse(track))]
    assert [one for one in said if not one.startswith("layers-cancel")] == []


def test_a_processor_that_changes_nothing_is_said() -> None:
    said = [one for finder in FINDERS for one in finder(analyse(of_kick(BODY, IDLE)))]
    assert any("Compressor" in one.title or "idle" in one.id for one in said)


def test_two_different_takes_lose_less_in_mono_than_the_copy_by_what_the_finding_says() -> None:
    (found,) = sides_findings.lost_in_mono(analyse(of_clap(COPIED)))
    fixed = found.fixes[0].track
    assert fixed is not None
    losses = []
    for track in (of_clap(COPIED), fixed):
        worst = worst_fold_band(render_hit(track.kit[0].hit, sample_rate=RATE).audio, sample_rate=RATE)
        assert worst is not None
        losses.append(worst[1])
    assert losses[0] == pytest.approx(found.value, abs=0.05)
    assert losses[1] > losses[0] + 3
    assert f"{-losses[1]:.1f} dB" in found.reason


HITS = [start.hit for start in (*KICKS[:3], SNARES[0], CLAPS[1], HATS[0], PERCUSSION[3])]


@pytest.mark.parametrize("hit", HITS, ids=lambda hit: hit.layers[0].id)
@pytest.mark.parametrize("amount_pct", [5.0, 40.0, 100.0])
def test_rolls_are_the_same_again_differ_and_stay_musical(hit: Hit, amount_pct: float) -> None:
    roll = Roll(seed=11, amount_pct=amount_pct, only_front=False)
    made = [rolled(hit, roll, index) for index in range(16)]
    assert made == [rolled(hit, roll, index) for index in range(16)]
    assert len({one.model_dump_json() for one in made}) == 16
    assert rolled(hit, Roll(seed=12, amount_pct=amount_pct, only_front=False), 0) != made[0]
    for one in made:
        Hit.model_validate(one.model_dump())
        for before, after in zip(hit.layers, one.layers, strict=True):
            for name in rulers_of(type(before.source)):
                was, now = getattr(before.source, name), getattr(after.source, name)
                low, high = musical_of(type(before.source), name)
                assert min(low, was) - 1e-6 <= now <= max(high, was) + 1e-6, name
                if name == "landing_hz":
                    assert now == was


def test_further_is_further() -> None:
    def away(amount_pct: float) -> float:
        roll, hit = Roll(seed=3, amount_pct=amount_pct, only_front=False), HITS[0]
        own = small_of(hit, RATE, 120).features.length_ms or 0
        lengths = [small_of(rolled(hit, roll, index), RATE, 120).features.length_ms or 0 for index in range(16)]
        return float(np.mean(np.abs(np.log2(np.array(lengths) / own))))

    assert away(5) < 0.5 * away(30) < away(100)


def test_distances_are_none_of_itself_grow_with_the_roll_and_have_their_two_reasons() -> None:
    hit = HITS[0]
    own = small_of(hit, RATE, 120)
    assert apart_db(own, own) == 0

    def away(amount_pct: float) -> float:
        rolls = [rolled(hit, Roll(seed=3, amount_pct=amount_pct, only_front=False), index) for index in range(16)]
        return float(np.median([apart_db(small_of(one, RATE, 120), own) or 0 for one in rolls]))

    assert 0 < away(5) < 0.5 * away(30) < away(100)
    # Tone apart from length: noise against a sine of one length; a sine against one twice as long.
    time = np.arange(RATE) / RATE
    sine, noise = np.sin(2 * np.pi * 100 * time), np.random.default_rng(1).standard_normal(RATE)
    short, other, long = (
        measured_small(sound * np.exp(-time / falls), sample_rate=RATE)
        for sound, falls in ((sine, 0.05), (noise, 0.05), (sine, 0.1))
    )
    assert (apart_db(short, other) or 0) > 10
    assert apart_db(short, long) == pytest.approx(6, abs=1.5)
    assert apart_db(short, measured_small(np.zeros(RATE), sample_rate=RATE)) is None


def test_a_lock_holds_and_changes_nothing_else_and_only_front_moves_only_front() -> None:
    hit = KICKS[0].hit
    layer = hit.layers[0]
    name = next(one for one in rulers_of(type(layer.source)) if one != "landing_hz")
    key, roll = key_of(layer, name), Roll(seed=5, amount_pct=60, only_front=False)
    free, locked = rolled(hit, roll, 3), rolled(hit.model_copy(update={"locked": (key,)}), roll, 3)
    assert getattr(locked.layers[0].source, name) == getattr(layer.source, name) != getattr(free.layers[0].source, name)
    same = {"source": locked.layers[0].source.model_copy(update={name: getattr(free.layers[0].source, name)})}
    assert (locked.layers[0].model_copy(update=same), *locked.layers[1:]) == free.layers
    front = rolled(hit.model_copy(update={"front": (key,)}), Roll(seed=5, amount_pct=60, only_front=True), 3)
    changed = [
        (one.id, field)
        for one, other in zip(hit.layers, front.layers, strict=True)
        for field in type(one.source).model_fields
        if getattr(one.source, field) != getattr(other.source, field)
    ]
    assert changed == [(layer.id, name)]
    assert [one.gain_db for one in front.layers] == [one.gain_db for one in hit.layers]


def test_a_morph_goes_from_one_to_the_other_along_the_rulers() -> None:
    one = Hit(layers=(BODY, CLICK))
    higher = BODY.model_copy(update={"source": Sweep(landing_hz=110), "gain_db": -6.0})
    other = Hit(layers=(higher, TAIL), bind=True, bus=(Limit(),))
    assert morphed(one, other, 0) == one
    assert morphed(one, other, 1) == other
    half = morphed(one, other, 0.5)
    by_id = {layer.id: layer for layer in half.layers}
    # Halfway on a logarithmic ruler is the geometric mean.
    assert by_id["body"].source.landing_hz == pytest.approx(np.sqrt(55 * 110), rel=1e-4)  # type: ignore[union-attr]
    assert by_id["body"].gain_db == pytest.approx(-3)
    assert by_id["click"].gain_db < CLICK.gain_db
    assert by_id["tail"].gain_db < TAIL.gain_db
    low, high = Hit(layers=(BODY,)), Hit(layers=(higher,))
    landings = [
        measure_landing(render_hit(morphed(low, high, share), sample_rate=RATE).mono, sample_rate=RATE).landing_hz or 0
        for share in (0.1, 0.3, 0.7, 0.9)
    ]
    assert landings == sorted(landings)
    with pytest.raises(ValueError, match="0 to 1"):
        morphed(one, other, 1.5)


def test_features_of_a_sheet_are_those_of_the_sound() -> None:
    long, short = (Hit(layers=(BODY.model_copy(update={"source": Sweep(landing_hz=55, decay_ms=ms)}),)) for ms in (900, 90))
    features = [small_of(hit, RATE, 120).features for hit in (long, short, Hit(layers=(CLICK,)), Hit())]
    assert (features[0].length_ms or 0) > (features[1].length_ms or 0) + 200
    assert features[0].landing_hz == pytest.approx(55, rel=0.02)
    assert (features[2].brightness_hz or 0) > 4 * (features[0].brightness_hz or 0)
    assert (features[0].sub_db or 0) > (features[2].sub_db or 0) + 5
    assert features[3].length_ms is features[3].loudness_db is None


def test_every_front_control_and_ruler_has_a_musical_range_inside_its_ends() -> None:
    for hit in HITS:
        for layer in hit.layers:
            model = type(layer.source)
            for name in rulers_of(model):
                limits, (low, high) = limits_of(model, name), musical_of(model, name)
                assert limits is not None
                assert limits.low <= low < high <= limits.high, (model.__name__, name)

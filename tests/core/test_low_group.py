"""Several low parts at once: kick, bass, rumble and a long sub; who has the room, the cuts, and what they cost."""

from __future__ import annotations

import json
from typing import Any

import numpy as np
import pytest
from pydantic import ValidationError
from scipy import signal as dsp
from support import same_sound

from juglant.core.analysis.low_group import MOST_LOST_LU, low_group_figures, separated
from juglant.core.commands.room import GiveZone, SeparateLowGroup
from juglant.core.errors import InvalidTrack
from juglant.core.hit.render import folded
from juglant.core.loop.render import render_stem
from juglant.core.measure.level import loop_loudness
from juglant.core.model.hit import Hit, Layer
from juglant.core.model.low_group import GROUP_ZONES, LowGroup
from juglant.core.model.part import Part
from juglant.core.model.references import consistent
from juglant.core.model.stem import StemRef
from juglant.core.model.strokes import Stroke
from juglant.core.model.track import Track, track_from_json, track_to_json
from juglant.core.synth.rumble import Rumble
from juglant.core.synth.sweep import Sweep
from juglant.core.synth.tail import Tail
from juglant.core.types import Samples
from juglant.demo.kit import with_kit

RATE = 48000
PARTS = ("kick", "bass", "rumble", "low-tom", "long-sub")
ZONE_HZ = {"sub": (28, 56), "weight": (56, 112), "warmth": (112, 180), "boom": (180, 280)}


def hit(id_: str, name: str, source: Any, at: tuple[float, ...], gain_db: float, role: str = "tom") -> Part:
    strokes = tuple(Stroke(at_beats=beat) for beat in at)
    return Part(
        id=id_, name=name, role=role, hit=Hit(layers=(Layer(id="a", name="A", source=source),)), strokes=strokes,
        gain_db=gain_db,
    )  # type: ignore[arg-type]  # fmt: skip


@pytest.fixture(scope="module")
def low(solved: Track) -> Track:
    track = with_kit(solved)
    kit = (
        *track.kit,
        hit("rumble", "Rumble", Rumble(), tuple(float(beat) for beat in range(16)), -7, "rumble"),
        # With a body in the bass's own bands, on its notes.
        hit("low-tom", "Low tom", Sweep(landing_hz=150, start_semitones=5, decay_ms=350), (0.0, 2.5, 6.0, 10.5), -4),
        hit("long-sub", "Long sub", Tail(landing_hz=46.2, hold_ms=700, decay_ms=400), (2.0, 10.0), -8),
    )
    return track.having(kit=kit, low_group=LowGroup(parts=PARTS))


def frames(stem: Samples, low_hz: float, high_hz: float) -> Samples:
    """Energy of a band in 20 ms frames, by scipy, both ways round the loop."""
    sections = dsp.butter(4, [low_hz, high_hz], "bandpass", fs=RATE, output="sos")
    tripled = dsp.sosfiltfilt(sections, np.tile(folded(stem), 3))[stem.shape[-1] : 2 * stem.shape[-1]]
    whole = tripled[: tripled.size // 960 * 960]
    return np.asarray((whole.reshape(-1, 960) ** 2).sum(axis=1))


def test_every_two_are_compared_in_every_zone_they_share(low: Track) -> None:
    found = low_group_figures(low)
    assert {(one.one, one.other) for one in found.pairs} == {(a, b) for i, a in enumerate(PARTS) for b in PARTS[i + 1 :]}
    # The rumble, which no part but the kick could be asked of before.
    assert ("kick", "rumble") in {(row.owner, row.yielder) for row in found.rows}
    assert ("bass", "rumble") in {(row.owner, row.yielder) for row in found.rows}
    assert all(row.zone in GROUP_ZONES for row in found.rows)
    total = np.sum([folded(render_stem(low, StemRef(part))) for part in PARTS], axis=0)
    assert found.peak_dbtp == pytest.approx(20 * np.log10(np.max(np.abs(total))), abs=0.4)


@pytest.mark.parametrize(
    ("owner", "yielder", "zone"),
    [("bass", "rumble", "sub"), ("kick", "long-sub", "sub"), ("bass", "low-tom", "warmth")],
)
def test_clearance_is_what_scipy_finds_in_the_stems(owner: str, yielder: str, zone: str, low: Track) -> None:
    """Not the product's third octaves but one band of the zone: within 3 dB."""
    row = next(one for one in low_group_figures(low).rows if (one.owner, one.yielder, one.zone) == (owner, yielder, zone))
    before = frames(render_stem(low, StemRef(owner, "before")), *ZONE_HZ[zone])
    mine, theirs = (frames(render_stem(low, StemRef(part)), *ZONE_HZ[zone]) for part in (owner, yielder))
    active = before > before.max() / 10**1.2
    outside = 10 * np.log10(mine[active].sum() / theirs[active].sum())
    assert row.clearance_db == pytest.approx(outside, abs=3)


def test_cuts_make_room_pair_by_pair_and_say_what_they_cost(low: Track) -> None:
    before = {(row.owner, row.yielder, row.zone): row for row in low_group_figures(low).rows}
    short = {key for key, row in before.items() if row.short_db > 0.3}
    assert any("rumble" in key or "low-tom" in key for key in short), "this trial has nothing to cut"
    done = SeparateLowGroup().done(low)
    after = {(row.owner, row.yielder, row.zone): row for row in low_group_figures(done.track).rows}
    won = [key for key in short if after[key].short_db < before[key].short_db - 0.3]
    assert won
    # What is short still is named with how much, and nothing else is short.
    for key, row in after.items():
        if row.short_db > 0.3 and {row.owner, row.yielder} != {"kick", "bass"}:
            assert any(f"{row.owner_name} is still {row.short_db:.1f} dB short" in one for one in done.said), key
    # Nobody loses more than is said, and no part is taken away to make room.
    for part in PARTS:
        here, there = (
            loop_loudness(folded(render_stem(one, StemRef(part))), sample_rate=RATE) for one in (low, done.track)
        )
        assert here - there < MOST_LOST_LU + 0.1
        if here - there > 0.05:
            name = next(one.name for one in low.hits() if one.id == part) if part != "bass" else "Bass"
            assert any(f"{name} loses {here - there:.1f} LU" in one for one in done.said)
    # Kick and bass, and everything out of the group, are as they were.
    for part in ("kick", "bass", "clap", "hat"):
        assert same_sound(render_stem(done.track, StemRef(part)), render_stem(low, StemRef(part)))


def test_a_part_that_a_cut_would_take_away_is_not_cut_but_named(low: Track) -> None:
    two = low.model_copy(update={"low_group": LowGroup(parts=("kick", "long-sub"))})
    found = separated(two)
    assert found.track == two
    assert any("Kick is still" in one and "duck it" in one for one in found.said)


def test_where_all_is_clear_nothing_is_cut_and_that_is_said(low: Track) -> None:
    far = low.model_copy(update={"low_group": LowGroup(parts=("kick", "hat"))})
    found = separated(far)
    assert found.track == far
    assert "nothing was cut" in found.said[0]


def test_a_zone_may_belong_to_another_than_the_order_says(low: Track) -> None:
    two = low.model_copy(update={"low_group": LowGroup(parts=("kick", "long-sub"))})
    given = GiveZone(owner="long-sub", yielder="kick", zone="sub").done(two).track
    rows = {(row.owner, row.yielder, row.zone): row for row in low_group_figures(given).rows}
    assert ("long-sub", "kick", "sub") in rows
    assert ("kick", "long-sub", "sub") not in rows
    assert ("kick", "long-sub", "weight") in rows


@pytest.mark.parametrize("zone", GROUP_ZONES)
def test_a_circle_within_a_zone_is_refused(zone: Any, low: Track) -> None:
    three = low.model_copy(update={"low_group": LowGroup(parts=("kick", "bass", "rumble"))})
    with pytest.raises(InvalidTrack, match="circle"):
        GiveZone(owner="rumble", yielder="kick", zone=zone).done(three)
    # One after the other there is none: the rumble over the bass, then over the kick.
    first = GiveZone(owner="rumble", yielder="bass", zone=zone).done(three).track
    both = GiveZone(owner="rumble", yielder="kick", zone=zone).done(first).track
    assert both.low_group.owner_of("kick", "rumble", zone) == "rumble"
    # Other zones are as they were, and back again nothing is left of it.
    other = next(one for one in GROUP_ZONES if one != zone)
    assert both.low_group.owner_of("kick", "rumble", other) == "kick"
    back = GiveZone(owner="kick", yielder="rumble", zone=zone).done(both).track
    assert GiveZone(owner="bass", yielder="rumble", zone=zone).done(back).track == three


@pytest.mark.parametrize(
    ("group", "said"),
    [
        ({"parts": ["kick", "kick"]}, "twice"),
        ({"parts": ["kick"], "yields": [{"owner": "kick", "yielder": "bass", "zone": "sub"}]}, "not in the low group"),
        ({"parts": ["kick"], "yields": [{"owner": "kick", "yielder": "kick", "zone": "sub"}]}, "itself"),
        ({"parts": ["kick", "bass"], "yields": [{"owner": "kick", "yielder": "bass", "zone": "air"}]}, "zone"),
        (
            {
                "parts": ["kick", "bass"],
                "yields": [
                    {"owner": "kick", "yielder": "bass", "zone": "sub"},
                    {"owner": "bass", "yielder": "kick", "zone": "sub"},
                ],
            },
            "said twice",
        ),
        ({"parts": [f"p{i}" for i in range(9)]}, "at most 8"),
    ],
)
def test_groups_that_cannot_be_are_refused(group: dict[str, Any], said: str, low: Track) -> None:
    with pytest.raises((InvalidTrack, ValidationError), match=said):
        track_from_json(json.dumps(low.model_dump(mode="json") | {"low_group": group}))


def test_a_part_that_is_removed_leaves_the_group(low: Track) -> None:
    given = GiveZone(owner="low-tom", yielder="rumble", zone="boom").done(low).track
    assert track_from_json(track_to_json(given)) == given
    gone = given.having(kit=tuple(one for one in given.kit if one.id != "low-tom"))
    kept = consistent(gone, given).low_group
    assert kept.parts == ("kick", "bass", "rumble", "long-sub")
    assert kept.yields == ()
    with pytest.raises(InvalidTrack, match="fewer than two"):
        low_group_figures(low.model_copy(update={"low_group": LowGroup(parts=("kick",))}))
    with pytest.raises(InvalidTrack, match="'gong'"):
        consistent(low.model_copy(update={"low_group": LowGroup(parts=("kick", "gong"))}), low)

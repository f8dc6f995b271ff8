"""Room for a featured part: others give way while it sounds, by their role and a cap, and everything else stays."""

from __future__ import annotations

import numpy as np
import pytest
from scipy import signal as dsp
from support import same_sound

from juglant.core.commands.room import Feature
from juglant.core.errors import InvalidTrack, NoSuchPart
from juglant.core.hit.render import folded
from juglant.core.loop.render import heard_stem, render_stem
from juglant.core.model.hit import Hit, Layer
from juglant.core.model.part import Part
from juglant.core.model.stem import StemRef
from juglant.core.model.strokes import Stroke
from juglant.core.model.track import Track
from juglant.core.plans.featured import with_room_for
from juglant.core.synth.chord import Chord
from juglant.demo.kit import with_kit, with_targets

RATE = 48000


@pytest.fixture(scope="module")
def demo(solved: Track) -> Track:
    """The demo with a fill that stands in the pad's and the stab's way, twice in the loop."""
    track = with_targets(with_kit(solved))
    fill = Part(
        id="fill", name="Fill", role="percussion", gain_db=-20,
        hit=Hit(layers=(Layer(id="a", name="A", source=Chord(hold_ms=200, decay_ms=150)),)),
        strokes=(Stroke(at_beats=0.5), Stroke(at_beats=8.5)),
    )  # fmt: skip
    return track.having(kit=(*track.kit, fill))


def level_db(track: Track, part: str, at_beats: float, ms: tuple[float, float]) -> float:
    stem = folded(heard_stem(track, StemRef(part)))
    start = at_beats * 60 / track.sheet.bpm
    piece = stem[round((start + ms[0] / 1000) * RATE) : round((start + ms[1] / 1000) * RATE)]
    return 10 * float(np.log10(np.sum(piece**2) + 1e-30))


def test_who_is_in_its_way_goes_down_while_it_sounds_and_only_then(demo: Track) -> None:
    found = with_room_for(demo, "fill", 6.0)
    ducked = [one for one in found.given if one.how == "duck"]
    assert ducked, "this trial's fill is in nobody's way"
    assert found.share < 0.5
    for one in ducked:
        assert 0.5 <= one.depth_db <= 6
        # As rendered: it wins, and no more than a duck so deep can give.
        assert one.before_db + 0.3 < one.after_db <= one.before_db + one.depth_db + 0.3
        under = [level_db(track, one.part, 0.5, (20, 120)) for track in (demo, found.track)]
        assert under[1] - under[0] == pytest.approx(-one.depth_db, abs=1.0) or under[0] < -60
        # Two bars later nothing of it is left.
        before, after = (folded(render_stem(track, StemRef(one.part))) for track in (demo, found.track))
        late = slice(round(4 * 60 / demo.sheet.bpm * RATE), round(8 * 60 / demo.sheet.bpm * RATE))
        assert same_sound(after[late], before[late], within=1e-6 + 1e-3 * float(np.max(np.abs(before))))
    # The fill itself, the kick, and whoever gives nothing: to the sample.
    for part in ["fill", "kick", *(one.part for one in found.given if one.how == "none")]:
        assert same_sound(render_stem(found.track, StemRef(part)), render_stem(demo, StemRef(part)))


def test_clearance_won_is_what_scipy_finds(demo: Track) -> None:
    """Over the part's own strongest band, while it sounds: the others come down by about what is said."""
    found = with_room_for(demo, "fill", 6.0)
    fill = folded(render_stem(demo, StemRef("fill")))
    hz = np.fft.rfftfreq(fill.size, 1 / RATE)
    top = float(hz[int(np.argmax(np.abs(np.fft.rfft(fill))))])
    sections = dsp.butter(2, [top / 1.6, top * 1.6], "bandpass", fs=RATE, output="sos")
    active = np.abs(dsp.sosfiltfilt(sections, fill)) > 0.1 * np.max(np.abs(fill))
    for one in [each for each in found.given if each.how == "duck"]:
        before, after = (
            float(np.sum(dsp.sosfiltfilt(sections, folded(render_stem(track, StemRef(one.part))))[active] ** 2))
            for track in (demo, found.track)
        )
        if before > 1e-9:
            won = 10 * np.log10(before / after)
            assert won == pytest.approx(one.after_db - one.before_db, abs=1.5)


@pytest.mark.parametrize("cap_db", [1.0, 3.0])
def test_nobody_gives_more_than_the_cap(cap_db: float, demo: Track) -> None:
    found = with_room_for(demo, "fill", cap_db)
    assert max(one.depth_db for one in found.given) <= cap_db


def test_hats_hardly_give_and_the_kick_nothing(demo: Track) -> None:
    """A hat, and the same sound as percussion that is no hat: in the way as far, it gives four times as much."""
    hat, opened = (next(one for one in demo.kit if one.id == name) for name in ("hat", "open-hat"))
    kit = (
        opened.model_copy(update={"gain_db": -30.0}),
        hat.model_copy(update={"gain_db": -12.0}),
        hat.model_copy(update={"gain_db": -12.0, "id": "shaker", "role": "percussion"}),
    )
    given = {one.part: one for one in with_room_for(demo.having(kit=kit), "open-hat", 24.0).given}
    assert given["hat"].before_db < 0
    assert given["hat"].depth_db == pytest.approx(0.25 * (6 - given["hat"].before_db), abs=0.1)
    assert given["shaker"].depth_db == pytest.approx(6 - given["shaker"].before_db, abs=0.1)
    assert "kick" not in given or given["kick"].how == "none"


def test_a_part_that_sounds_all_the_time_is_cut_for_within_the_cap(demo: Track) -> None:
    found = with_room_for(demo, "pad", 6.0)
    assert found.share > 0.8
    cut = [one for one in found.given if one.how == "cut"]
    assert cut
    assert all(0 < one.depth_db <= 6 for one in cut)
    assert all(one.after_db > one.before_db for one in cut)
    # No curve is keyed by it.
    assert all("pad" not in curve.key.hit_ids for one in found.track.parts for curve in one.ducked.curves)


def test_made_again_it_is_made_anew_and_not_twice(demo: Track) -> None:
    once = with_room_for(demo, "fill", 6.0).track
    twice = with_room_for(once, "fill", 6.0).track
    assert twice == once
    less = with_room_for(once, "fill", 2.0).track
    keyed = [
        curve.depth_db
        for one in less.parts
        for curve in one.ducked.curves
        if curve.key.kind == "hits" and curve.key.hit_ids == ("fill",)
    ]
    assert keyed
    assert max(keyed) <= 2


def test_what_is_done_and_what_cannot_be_is_said(demo: Track) -> None:
    done = Feature(part="fill").done(demo)
    assert done.label == "Room for Fill"
    assert any("is ducked by" in one and "Fill over it" in one for one in done.said)
    # Nobody else is there but the kick and the bass, which it does not meet.
    alone = demo.having(kit=tuple(one for one in demo.kit if one.id == "hat"))
    assert "nothing was done" in Feature(part="hat").done(alone).said[0]
    with pytest.raises(InvalidTrack, match="another part"):
        Feature(part="kick").done(demo)
    with pytest.raises(NoSuchPart):
        Feature(part="gong").done(demo)
    still = tuple(one.model_copy(update={"strokes": ()}) if one.id == "fill" else one for one in demo.kit)
    with pytest.raises(InvalidTrack, match="not struck"):
        Feature(part="fill").done(demo.having(kit=still))

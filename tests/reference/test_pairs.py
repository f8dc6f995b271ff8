"""Any two parts: clearance recomputed by scipy from the stems, and cuts that reach what they say when they are rendered."""

from __future__ import annotations

import numpy as np
import pytest
import scipy.signal

from juglant.core.analysis.pairs import DEEPEST_DB, ZONES, cut_of, pair_figures, with_cut
from juglant.core.commands.room import CutForPair
from juglant.core.duck.part_curves import starts_beats
from juglant.core.errors import InvalidTrack, NoSuchPart
from juglant.core.hit.render import folded
from juglant.core.loop.render import render_stem
from juglant.core.measure.bands import CENTRES_HZ, ZONE_EDGES_HZ
from juglant.core.model.hit import Hit, Layer
from juglant.core.model.part import Part
from juglant.core.model.stem import StemRef
from juglant.core.model.strokes import Stroke
from juglant.core.model.track import Track
from juglant.core.synth.snare import Snare
from juglant.core.synth.sweep import Sweep
from juglant.core.types import Samples
from juglant.demo.kit import with_kit, with_targets
from juglant.demo.track import solved_track, untouched_track

FRAME, RATE = 960, 48000
HALF = 2 ** (1 / 6)


PAIRS = [("kick", "snare", ("boom", "box")), ("pad", "stab", ("box", "middle"))]


@pytest.fixture(scope="module")
def demo() -> Track:
    return with_targets(with_kit(solved_track()))


@pytest.fixture(scope="module")
def begun() -> Track:
    return with_targets(with_kit(untouched_track()))


def with_snare(track: Track, gain_db: float = 0) -> Track:
    """A snare with a body in the boom on every kick."""
    body = Layer(id="body", name="Body", source=Sweep(landing_hz=215, start_semitones=3, decay_ms=160))
    wires = Layer(id="wires", name="Wires", source=Snare(), gain_db=-18)
    strokes = tuple(Stroke(at_beats=at, velocity=127) for at in track.kick_at_beats)
    snare = Part(id="snare", name="Snare", role="snare", hit=Hit(layers=(body, wires)), strokes=strokes, gain_db=gain_db)
    return track.having(kit=(*track.kit, snare))


def frames(track: Track, part: str, state: str, centre: float) -> Samples:
    """Energy of one third octave in 20 ms frames, by a filter of scipy's that runs both ways over the loop."""
    stem = folded(render_stem(track, StemRef(part, state)))  # type: ignore[arg-type]
    sections = scipy.signal.butter(3, [centre / HALF, centre * HALF], "bandpass", fs=RATE, output="sos")
    tripled = scipy.signal.sosfiltfilt(sections, np.tile(stem, 3))[stem.size : 2 * stem.size]
    whole = tripled[: tripled.size // FRAME * FRAME]
    return np.asarray((whole.reshape(-1, FRAME) ** 2).sum(axis=1))


def outside_db(track: Track, owner: str, yielder: str, zone: str) -> float:
    """The owner over the other where the owner is within 12 dB of its band's peak and 40 dB of the loudest band there.

    Of the 80 ms before one of its strokes nothing counts that is not there already: a filter that runs both ways makes it.
    """
    low, high = ZONE_EDGES_HZ[zone]
    rows = [centre for centre in CENTRES_HZ if low <= centre < high]
    sides = {
        (part, state): np.stack([frames(track, part, state, centre) for centre in rows])
        for part in (owner, yielder)
        for state in ("before", "heard")
    }
    one, other = sides[owner, "before"], sides[yielder, "before"]
    highest = max(one.max(), other.max())
    contested = (one.max(axis=1) >= highest / 100) & (other.max(axis=1) >= highest / 100)
    active = (one >= one.max(axis=1)[:, None] * 10**-1.2) & (one >= one.max() * 1e-4) & contested[:, None]
    for at in starts_beats(track, owner):
        first = int(np.ceil(at * 60 / track.sheet.bpm * RATE / FRAME - 1e-9))
        ahead = np.arange(first - 4, first) % active.shape[1]
        active[:, ahead] &= active[:, [ahead[0] - 1]]
    return float(10 * np.log10(sides[owner, "heard"][active].sum() / sides[yielder, "heard"][active].sum()))


@pytest.mark.parametrize(("owner", "yielder", "zones"), PAIRS)
def test_the_clearance_of_any_two_is_what_scipy_finds_in_their_stems(
    owner: str, yielder: str, zones: tuple[str, ...], demo: Track
) -> None:
    track = with_snare(demo)
    found = {one.zone: one for one in pair_figures(track, owner, yielder).zones}
    for zone in zones:
        assert found[zone].clearance_db == pytest.approx(outside_db(track, owner, yielder, zone), abs=1.0), zone


def test_a_loud_snare_on_the_kicks_beats_is_a_clash_in_the_boom_and_one_cut_makes_room(demo: Track) -> None:
    track = with_snare(demo)
    (boom,) = (one for one in pair_figures(track, "kick", "snare").zones if one.zone == "boom")
    assert boom.clearance_db is not None
    assert boom.clearance_db < -1
    assert boom.short_db > 7
    assert boom.together_pct > 90
    assert boom.cut is not None
    made = CutForPair(owner="kick", yielder="snare", zone="boom").done(track)
    (after,) = (one for one in pair_figures(made.track, "kick", "snare").zones if one.zone == "boom")
    assert after.clearance_db == pytest.approx(boom.cut.reached_db, abs=0.01)
    assert made.said == (f"Snare: {boom.cut.gain_db:.1f} dB at {boom.cut.frequency_hz:.0f} Hz",)
    # By the stems of before and after, outside: it wins what it says.
    won = outside_db(made.track, "kick", "snare", "boom") - outside_db(track, "kick", "snare", "boom")
    assert won == pytest.approx(boom.cut.reached_db - boom.clearance_db, abs=0.7)
    # Nobody else is touched.
    for part in ("kick", "bass", "clap", "pad"):
        assert np.array_equal(render_stem(made.track, StemRef(part)), render_stem(track, StemRef(part)))


@pytest.mark.parametrize("gain_db", [-14.0, -8.0, 0.0, 6.0])
def test_a_cut_is_the_least_that_reaches_the_goal_or_as_deep_as_it_may_be(gain_db: float, demo: Track) -> None:
    for one in pair_figures(with_snare(demo, gain_db), "kick", "snare").zones:
        if one.cut is None:
            assert one.short_db <= 0.1
        elif one.cut.short_db > 0.1:
            assert one.cut.gain_db == -DEEPEST_DB
        else:
            assert one.cut.reached_db == pytest.approx(one.goal_db, abs=0.15)
            assert one.cut.lost_lu is not None
            assert -0.1 < one.cut.lost_lu < -one.cut.gain_db


def test_a_bass_that_gives_way_gets_it_in_its_carve(begun: Track) -> None:
    found = pair_figures(begun, "kick", "bass")
    (zone, *_) = (one.zone for one in found.zones if one.cut is not None)
    made = with_cut(begun, "bass", cut_of(begun, "kick", "bass", zone))
    assert made.carve.on
    assert len(made.carve.moves) == 1
    before = {one.zone: one.clearance_db for one in found.zones}
    after = {one.zone: one.clearance_db for one in pair_figures(made, "kick", "bass").zones}
    assert after[zone] > before[zone] + 1


def test_what_cannot_be_compared_or_cut_is_said(begun: Track) -> None:
    with pytest.raises(InvalidTrack, match="choose two"):
        pair_figures(begun, "kick", "kick")
    for pair in (("kick", "nobody"), ("nobody", "kick")):
        with pytest.raises(NoSuchPart, match="nobody"):
            pair_figures(begun, *pair)
    with pytest.raises(InvalidTrack, match="nothing to cut"):
        cut_of(begun, "kick", "hat", "sub")
    # Parts that are silent, or never together, meet nowhere, and nothing is offered.
    silent = begun.having(bass_notes=())
    found = pair_figures(silent, "kick", "bass")
    assert [one.zone for one in found.zones] == list(ZONES)
    assert all(one.clearance_db is None and one.cut is None and one.worst_beats is None for one in found.zones)
    looped = begun.having(kick_loop=begun.kick_loop.model_copy(update={"on": True, "take": "f" * 24}))
    if looped.kick_loop.plays:
        assert "hear it through its layers" in pair_figures(looped, "bass", "kick").reason

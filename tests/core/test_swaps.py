"""Another kick, key or tempo, other ways to the goal, what other parts cost, sides: each measured on what is made."""

from __future__ import annotations

import numpy as np
import pytest
from reference_clearance import band_frames
from support import sheet_with, tone

from juglant.core.analysis.analyse import analyse
from juglant.core.analysis.other_parts import cleared, other_parts
from juglant.core.errors import InvalidTrack
from juglant.core.findings.registry import find_all
from juglant.core.loop.render import render_stem
from juglant.core.measure.sides import side_bands
from juglant.core.model.hit import Layer
from juglant.core.model.part import Part
from juglant.core.model.stem import StemRef
from juglant.core.model.strokes import Stroke
from juglant.core.model.track import Track
from juglant.core.plans.ways import ways, with_gaps
from juglant.core.reports.swap_check import REPLANNED, Swap, check_swap, replanned, swapped
from juglant.core.separate.clearance import GOALS
from juglant.core.signal.filters import butterworth, filter_loop
from juglant.core.synth.tail import Tail

RATE = 48000


LONG = tone(49.0).model_copy(
    update={"layers": (Layer(id="a", name="A", source=Tail(landing_hz=49, hold_ms=500, decay_ms=600)),)}
)


@pytest.mark.parametrize(
    ("swap", "broke"),
    [
        (Swap(kick=LONG), {"off-key", "beats", "over-gap"}),
        (Swap(bpm=150), {"late"}),
        (Swap(tonic="D"), set()),
        (Swap(), set()),
    ],
)
def test_a_swap_says_what_it_breaks_and_planning_anew_mends_what_it_can(solved: Track, swap: Swap, broke: set[str]) -> None:
    found = check_swap(solved, swap)
    assert broke <= set(found.broke)
    assert set(found.mended) <= set(found.broke)
    other = swapped(solved, swap)
    now, then = analyse(solved), analyse(other)
    rows = {row.id: row for row in found.rows}
    assert (rows["peak"].now, rows["peak"].swapped) == (now.levels.peak_db, then.levels.peak_db)
    assert rows["short"].planned == pytest.approx(analyse(replanned(other, REPLANNED)).clearance.short_db or 0.0, abs=1e-9)
    # Short of it only where the recovery point leaves part of the kick uncovered, which is said.
    told = {one.id for one in find_all(analyse(replanned(other, REPLANNED)))}
    assert rows["short"].planned < 0.11 or "duck-uncovered" in told
    # All, some or none of the plan: what is not asked for stays as it was.
    assert replanned(other, ()) == other
    tuned_only = replanned(other, ("tune",))
    assert (tuned_only.carve, tuned_only.duck) == (other.carve, other.duck)


def test_the_line_goes_with_the_key(solved: Track) -> None:
    moved = swapped(solved, Swap(tonic="D", scale="dorian"))
    assert [after.note - before.note for before, after in zip(solved.bass_notes, moved.bass_notes, strict=True)] == [4] * 24
    assert (moved.sheet.tonic, moved.sheet.scale, moved.kick) == ("D", "dorian", solved.kick)
    with pytest.raises(InvalidTrack, match="bpm must be 40 to 260, got 5"):
        swapped(solved, Swap(bpm=5))


@pytest.mark.parametrize("owner", list(GOALS))
def test_ways_are_measured_and_what_falls_short_says_so(untouched: Track, owner: str) -> None:
    track = sheet_with(untouched, owner=owner)
    before = analyse(track).clearance
    found = ways(track)
    assert found
    assert [one.cost.short_db > 0.1 for one in found] == sorted(one.cost.short_db > 0.1 for one in found)
    for one in found:
        after = analyse(one.track).clearance
        assert one.cost.reached_db == pytest.approx(after.after_db, abs=1e-9)
        assert one.cost.short_db < (before.short_db or 0.0)
    assert len({one.cost.id for one in found}) == len(found)


@pytest.mark.parametrize(("gap_ms", "wanted"), [(0.0, 24), (60.0, None), (240.0, None)])
def test_in_a_gap_after_each_kick_no_bass_sounds(untouched: Track, gap_ms: float, wanted: int | None) -> None:
    made = with_gaps(untouched, gap_ms)
    gap = gap_ms * untouched.sheet.bpm / 60000
    for note in made.bass_notes:
        inside = [
            hit
            for hit in (turn + at for at in made.kicks() for turn in (-16, 0, 16))
            if note.at_beats < hit + gap - 1e-3 and note.at_beats + note.length_beats > hit + 1e-3
        ]
        assert not inside or gap == 0
    total = [sum(note.length_beats for note in track.bass_notes) for track in (untouched, made)]
    assert total[1] <= total[0]
    if wanted is not None:
        assert made.bass_notes == untouched.bass_notes


def with_boom(track: Track, hz: float, gain_db: float = -8) -> Track:
    """The track with a low hit struck with every kick."""
    strokes = tuple(Stroke(at_beats=at, velocity=127) for at in track.kick_at_beats)
    boom = Part(id="boom", name="Boom", role="percussion", hit=tone(hz), strokes=strokes, gain_db=gain_db)
    return track.having(kit=(boom,))


@pytest.mark.parametrize("owner", ["kick", "bass"])
def test_what_a_part_costs_is_what_its_energy_adds_to_the_other_side(untouched: Track, owner: str) -> None:
    """The cost recomputed with scipy's filters from the rendered stems."""
    track = sheet_with(with_boom(untouched, 63), owner=owner)
    found = analyse(track)
    (part,) = other_parts(found)
    cells = found.contest.active & np.array(found.contest.judged)[:, None]
    frames = {part: band_frames(render_stem(track, StemRef(part)), RATE)[cells].sum() for part in ("kick", "bass", "boom")}
    against = frames["kick" if owner == "bass" else "bass"]
    assert part.cost_db == pytest.approx(10 * np.log10(1 + frames["boom"] / against), abs=0.05)
    assert part.cost_db > 0.3
    assert part.high_pass_hz is not None
    assert part.left_db <= 0.1
    after = other_parts(analyse(cleared(found, "boom")))
    assert after[0].cost_db < 0.3
    assert after[0].high_pass_hz is None
    # The least: an octave lower would leave more than it may.
    low = filter_loop(
        render_stem(track, StemRef("boom")),
        butterworth(4, part.high_pass_hz / 2, "highpass", sample_rate=RATE),
        sample_rate=RATE,
    )
    assert 10 * np.log10(1 + band_frames(low, RATE)[cells].sum() / against) > 0.1


@pytest.mark.parametrize("owner", ["kick", "shared"])
def test_cut_under_the_kick_gives_the_clearance_back_and_leaves_the_rest(untouched: Track, owner: str) -> None:
    strokes = tuple(Stroke(at_beats=at, velocity=127) for at in (0.0, 0.5, 1.0, 2.5))
    boom = Part(id="boom", name="Boom", role="percussion", hit=tone(63), strokes=strokes, gain_db=-8)
    track = sheet_with(untouched.having(kit=(boom,)), owner=owner)
    found = analyse(track)
    made = cleared(found, "boom", "under the kick")
    (part,) = other_parts(analyse(made))
    assert part.cost_db <= 0.11
    assert part.cut_under_kick_hz is not None
    before, after = (render_stem(one, StemRef("boom")) for one in (track, made))
    assert np.all(np.isfinite(after))
    # Half a beat after a kick the part is as it was; on the kick its lows are gone.
    frame = round(60 / track.sheet.bpm * RATE)
    cut = made.kit[0].kick_cut
    quiet = round((cut.hold_ms + 30) / 1000 * RATE)
    assert quiet < frame // 2 + round(0.1 * RATE)
    rest = slice(frame // 2 + quiet - frame // 2 + 1, frame - round((cut.ahead_ms + 30) / 1000 * RATE))
    assert after[rest] == pytest.approx(before[rest], abs=1e-12)
    start = slice(0, round(cut.hold_ms / 1000 * RATE))
    assert np.sum(after[start] ** 2) < 0.2 * np.sum(before[start] ** 2)
    with pytest.raises(InvalidTrack, match="takes nothing"):
        cleared(analyse(made), "boom")


def test_a_part_that_costs_nothing_is_left_alone(untouched: Track) -> None:
    found = analyse(with_boom(untouched, 250, gain_db=-30))
    (part,) = other_parts(found)
    assert part.cost_db < 0.3
    assert part.high_pass_hz is None
    with pytest.raises(InvalidTrack, match="takes nothing"):
        cleared(found, "boom")


def test_sides_by_band_against_hand_made_ones() -> None:
    """Textbook: equal middle and side are uncorrelated and lose 3 dB; a side alone is against itself and loses all."""
    time = np.arange(RATE) / RATE
    low, high = np.sin(2 * np.pi * 63 * time), np.sin(2 * np.pi * 1000 * time)
    bands = {
        round(one.centre_hz): one
        for one in side_bands(low + high, np.roll(high, RATE // 4000), sample_rate=RATE)
        if one.centre_hz < 80 or abs(one.centre_hz - 1000) < 10
    }
    assert bands[63].correlation == pytest.approx(1, abs=1e-3)
    assert bands[63].mono_loss_db == pytest.approx(0, abs=0.01)
    assert bands[1000].correlation == pytest.approx(0, abs=0.01)
    assert bands[1000].mono_loss_db == pytest.approx(-3.01, abs=0.02)
    (against,) = (one for one in side_bands(1e-3 * high, high, sample_rate=RATE) if abs(one.centre_hz - 1000) < 10)
    assert against.correlation == pytest.approx(-1, abs=0.01)
    assert against.mono_loss_db < -50

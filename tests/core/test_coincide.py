"""Hits of one role that fall together: found, weighed against hand-made sums, moved or muted."""

from __future__ import annotations

import numpy as np
import pytest

from juglant.core.analysis.analyse import analyse
from juglant.core.analysis.coincide import coincidences
from juglant.core.findings.coincidence_findings import band_name, hits_fall_together
from juglant.core.loop.render import render_stem
from juglant.core.measure.bands import CENTRES_HZ
from juglant.core.model.hit import Hit, Layer
from juglant.core.model.stem import StemRef
from juglant.core.model.strokes import Stroke
from juglant.core.model.track import Track
from juglant.core.synth.clap import Clap
from juglant.core.synth.tail import Tail

BPM = 125
BEAT_MS = 60_000 / BPM


def tone(hz: float) -> Hit:
    return Hit(layers=(Layer(id="a", name="A", source=Tail(landing_hz=hz, attack_ms=2, hold_ms=200, decay_ms=200)),))


CLAP = Hit(layers=(Layer(id="a", name="A", source=Clap(room_db=-60)),))


def pair(apart_ms: float, *, hit: Hit | None = None, role: str = "tom", at: float = 1.0, gain_db: float = -10) -> Track:
    """Two hits alike in two rows, the second later by so many ms at each of two places."""
    one = {"role": role, "hit": hit or tone(100), "gain_db": -10}
    strokes = [{"at_beats": place, "velocity": 127} for place in (at, at + 2)]
    late = [{**stroke, "shift_ms": apart_ms} for stroke in strokes]
    return Track.model_validate(
        {
            "sheet": {"bpm": BPM, "bars": 1},
            "kit": [
                {**one, "id": "one", "name": "One", "strokes": strokes},
                {**one, "id": "two", "name": "Two", "strokes": late, "gain_db": gain_db},
            ],
        }
    )


@pytest.mark.parametrize(
    ("apart_ms", "level_db", "loss_db"),
    [
        # Half a turn of 100 Hz: equal ones cancel, unequal ones by the difference of their levels; a quarter loses nothing.
        (5.0, 0.0, -20.0),
        (5.0, -6.0206, 10 * np.log10(0.5**2 / 1.25)),
        (2.5, 0.0, 0.0),
        (10 / 3, 0.0, 10 * np.log10(0.5)),
    ],
)
def test_the_loss_is_that_of_two_tones(apart_ms: float, level_db: float, loss_db: float) -> None:
    """By hand: |1 + g e^(-j w t)|^2 over 1 + g^2."""
    (found,) = coincidences(pair(apart_ms, gain_db=-10 + level_db))
    assert (found.one, found.other, found.count) == ("one", "two", 2)
    assert found.apart_ms == pytest.approx(apart_ms, abs=0.02)
    # The starts and ends of both, where one is alone, fill the deepest notch a little.
    assert found.loss_db == pytest.approx(loss_db, abs=1.0) if loss_db > -15 else found.loss_db < -8
    assert found.band_hz == pytest.approx(100, rel=0.3)


@pytest.mark.parametrize("apart_ms", [5.0, -5.0])
def test_moved_they_add_and_muted_one_is_left(apart_ms: float) -> None:
    track = pair(apart_ms)
    (said,) = hits_fall_together(analyse(track))
    assert said.value is not None
    assert said.value < -3
    move, mute = (fix.track for fix in said.fixes)
    assert move is not None
    assert mute is not None
    assert hits_fall_together(analyse(move)) == []
    before, after = (render_stem(t, StemRef("one")) + render_stem(t, StemRef("two")) for t in (track, move))
    assert np.sum(after**2) > 3 * np.sum(before**2)
    assert mute.hit_of("two").strokes == ()
    assert mute.hit_of("one") == track.hit_of("one")


def test_at_the_loops_seam_they_meet_as_well() -> None:
    track = pair(0.0)
    for hit_id, at in (("one", 0.0), ("two", 3.99)):
        track = track.with_strokes(hit_id, (Stroke(at_beats=at, velocity=127),))
    (found,) = coincidences(track)
    assert found.apart_ms == pytest.approx(-0.01 * BEAT_MS, abs=0.02)


@pytest.mark.parametrize(
    "track",
    [
        pair(25.0),  # further than 20 ms
        pair(0.0),  # one and the same moment: nothing is lost
        pair(0.0, hit=CLAP),
    ],
    ids=["apart", "together", "claps"],
)
def test_nothing_is_said_where_nothing_is_lost(track: Track) -> None:
    assert hits_fall_together(analyse(track)) == []


def test_other_roles_are_left_alone() -> None:
    track = pair(5.0)
    kit = (track.kit[0], track.kit[1].model_copy(update={"role": "percussion"}))
    assert coincidences(track.having(kit=kit)) == []


def test_bands_have_their_usual_names() -> None:
    names = [band_name(centre) for centre in CENTRES_HZ]
    assert names[:3] == ["25 Hz", "31.5 Hz", "40 Hz"]
    assert names[10:12] == ["250 Hz", "315 Hz"]
    assert names[16] == "1 kHz"

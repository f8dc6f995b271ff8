"""Near to a recording: drums that no engine made are rebuilt, and how far the result stays away is what is said."""

from __future__ import annotations

import numpy as np
import pytest
from near_meters import RATE, bands_apart_db, made_snare, made_tom, pitch_hz

from juglant.core.errors import InvalidTrack
from juglant.core.hit.near_to import NearTo, near_to
from juglant.core.hit.render import render_hit
from juglant.core.measure.level import db, true_peak
from juglant.core.model.ids import Role
from juglant.core.music.notes import cents_between
from juglant.core.progress import told

MADE: dict[str, tuple[Role, float, np.ndarray]] = {
    "tom": ("tom", 98.0, made_tom(98)),
    "snare": ("snare", 205.0, made_snare(205)),
}


def near(sound: np.ndarray, role: Role) -> NearTo:
    return near_to(np.ascontiguousarray(sound, dtype=float).tobytes(), role, RATE, 126.0)


@pytest.mark.parametrize("name", MADE)
def test_a_drum_that_no_engine_made_is_rebuilt(name: str) -> None:
    role, hz, goal = MADE[name]
    steps: list[tuple[int, int]] = []
    with told(lambda done, of: steps.append((done, of))):
        found = near(goal, role)
    whole = render_hit(found.hit, sample_rate=RATE, bpm=126.0)
    apart = bands_apart_db(whole.mono, goal, RATE)
    # Two decibels in every third octave within 30 dB of the strongest, as a meter of the trial's own has it.
    assert np.max(np.abs(apart)) < 2
    if role == "tom":
        assert abs(cents_between(hz, pitch_hz(whole.mono, RATE, hz))) < 10
        assert found.cents is not None
        assert abs(found.cents) < 10
        assert found.path_cents is not None
        assert found.path_cents < 40
    # What is said is so: nearer than its start was, in rms and at the worst band.
    assert found.bands_db == pytest.approx(np.sqrt(np.mean(apart**2)), abs=0.3)
    assert abs(found.worst_db) == pytest.approx(np.max(np.abs(apart)), abs=0.6)
    assert found.bands_db < found.was_db / 3
    assert db(true_peak(np.atleast_2d(whole.audio))) <= -1 + 1e-6
    # How far the work was is told while it was done.
    assert steps[-1][0] == steps[-1][1]
    assert [done for done, _ in steps] == sorted(done for done, _ in steps)


def test_the_same_recording_is_rebuilt_alike_whatever_its_level() -> None:
    role, _, goal = MADE["snare"]
    one, other = near(goal, role), near(0.05 * goal, role)
    assert one.start == other.start
    assert other.bands_db == pytest.approx(one.bands_db, abs=0.3)


@pytest.mark.parametrize(
    ("sound", "role", "says"),
    [
        (np.zeros(4800), "tom", "nothing to be heard"),
        (np.zeros(0), "tom", "nothing to be heard"),
        (np.ones(1), "tom", "nothing to be heard"),
        (made_tom(98), "rumble", "copy the part into another role"),
    ],
)
def test_what_cannot_be_rebuilt_is_said(sound: np.ndarray, role: Role, says: str) -> None:
    with pytest.raises(InvalidTrack, match=says):
        near(sound, role)


@pytest.mark.parametrize("frames", [2, 30, 480])
def test_what_is_hardly_a_sound_is_rebuilt_all_the_same(frames: int) -> None:
    found = near(np.random.default_rng(1).standard_normal(frames), "hat")
    assert np.isfinite([found.bands_db, found.worst_db, found.falls_db, found.length_ms, found.recorded_ms]).all()
    assert np.isfinite(render_hit(found.hit, sample_rate=RATE).audio).all()

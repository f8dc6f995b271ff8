"""The keyed compressor against the published law, and settings found again from their own gain."""

from __future__ import annotations

import numpy as np
import pytest

from juglant.core.duck.compressor import compressor_gain, match_compressor
from juglant.core.duck.curve import GainRows
from juglant.core.model.duck import KeyedCompressor
from juglant.core.model.track import Track
from juglant.services.ducks import compressors_of


def level_of_hits(count: int, ms: int = 400) -> np.ndarray:
    """A key that jumps up and falls by 60 dB a second, one value a millisecond, dBFS."""
    return np.tile(-6 - 60 * np.arange(ms) / 1000, count)


@pytest.mark.parametrize(("attack_ms", "release_ms"), [(5.0, 80.0), (20.0, 300.0)])
def test_a_step_is_there_to_63_per_cent_in_one_time_constant(attack_ms: float, release_ms: float) -> None:
    # Giannoulis, Massberg & Reiss 2012: static curve with slope 1/R, decoupled smoothing by one-pole time constants.
    one = KeyedCompressor(threshold_db=-30, ratio=4, attack_ms=attack_ms, release_ms=release_ms, knee_db=0)
    level = np.concatenate((np.full(3000, -60.0), np.full(3000, -10.0)))
    gain = compressor_gain(level, one)
    deepest = -(1 - 1 / 4) * 20
    assert gain[5900] == pytest.approx(deepest, abs=0.05)
    assert int(np.argmax(gain[3000:] < 0.632 * deepest)) == pytest.approx(attack_ms, abs=1.5)


@pytest.mark.parametrize("ratio", [2.0, 4.0])
def test_settings_are_found_again_from_their_own_gain(ratio: float) -> None:
    level = level_of_hits(8)
    wanted = compressor_gain(level, KeyedCompressor(threshold_db=-24, ratio=ratio, attack_ms=6, release_ms=120, knee_db=3))
    rows = GainRows((np.arange(level.size) + 0.5) / 1000, wanted)
    match = match_compressor(rows, level, ratio=ratio)
    assert match.rms_db < 0.15
    assert match.settings.ratio == ratio
    assert match.settings.release_ms == pytest.approx(120, rel=0.25)


CURVES = [
    ({"depth_db": 4.5, "hold_ms": 90, "return_ms": 150, "shape": 1.0}, True),
    ({"depth_db": 9.0, "hold_ms": 200, "return_ms": 400, "shape": 1.0}, True),
    # 18 dB within a millisecond is nothing that a compressor does.
    ({"depth_db": 18.0, "fall_ms": 1, "return_ms": 20}, False),
]


@pytest.mark.parametrize(("curve", "matches"), CURVES)
def test_settings_are_such_as_a_person_would_dial_and_what_stays_far_off_is_no_match(
    solved: Track, curve: dict, matches: bool
) -> None:
    """The method's ranges: threshold from -40 dBFS, 1.5 to 10, 1 to 50 ms, 20 to 500 ms; over 3 dB is no match."""
    track = solved.having(duck=solved.duck.model_copy(update=curve))
    rows = compressors_of(track, "bass")
    assert len(rows) == 4
    for row in rows:
        one = row.settings
        assert -40 <= one.threshold_db <= 0
        assert 1.5 <= one.ratio <= 10
        assert 1 <= one.attack_ms <= 50
        assert 20 <= one.release_ms <= 500
        assert row.is_close == (row.worst_db <= 3)
    assert any(row.is_close for row in rows) == matches


def test_a_key_sent_early_comes_nearer_and_off_is_what_it_says(solved: Track) -> None:
    deep = solved.having(duck=solved.duck.model_copy(update={"depth_db": 9.0}))
    found = {row.name: row for row in compressors_of(deep, "bass")}
    assert found["closest, key sent early"].rms_db < found["closest"].rms_db
    assert {row.settings.ratio for name, row in found.items() if name.startswith("at")} == {2.0, 4.0}
    for row in found.values():
        assert row.worst_db >= row.rms_db > 0
        assert row.attack_90_ms == pytest.approx(2.303 * row.settings.attack_ms, rel=1e-3)
    off = deep.having(duck=deep.duck.model_copy(update={"on": False}))
    assert compressors_of(off, "bass") == ()

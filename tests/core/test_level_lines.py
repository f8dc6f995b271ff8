"""A level drawn over the loop for any part: heard as drawn, in every stem of it, beside its duck; what is refused."""

from __future__ import annotations

import json
from typing import Any

import numpy as np
import pytest
from pydantic import ValidationError
from support import same_sound, version_one_of

from juglant.core.analysis.analyse import analyse
from juglant.core.errors import InvalidTrack
from juglant.core.findings.registry import applied, find_all
from juglant.core.loop.render import heard_stem, render_stem, render_stems, stem_made_of, stem_refs
from juglant.core.model.level_line import LevelPoint
from juglant.core.model.references import consistent
from juglant.core.model.stem import BASS, KICK, StemRef
from juglant.core.model.track import Track, track_from_json, track_to_json
from juglant.core.model.version_one import LineOfPart
from juglant.demo.kit import with_kit, with_targets

RATE = 48000


@pytest.fixture(scope="module")
def whole(solved: Track) -> Track:
    return with_targets(with_kit(solved))


def line(part: str, *points: tuple[float, float]) -> LineOfPart:
    return LineOfPart(part=part, points=tuple(LevelPoint(at_beats=at, gain_db=db) for at, db in points))


def lined(track: Track, *lines: LineOfPart) -> Track:
    return track.having(level_lines=lines)


@pytest.mark.parametrize("part", ["kick", "bass", "clap", "pad"])
def test_a_line_is_heard_as_it_is_drawn_in_every_state_of_its_part(part: str, whole: Track) -> None:
    """By hand: straight in dB between the points, level outside them."""
    made = lined(whole, line(part, (2, 0), (6, -12), (8, -12), (10, 3)))
    beats = np.arange(render_stem(whole, KICK).size) / RATE * whole.sheet.bpm / 60
    expected = 10 ** (np.interp(beats, [2, 6, 8, 10], [0, -12, -12, 3]) / 20)
    for ref in [one for one in stem_refs(made) if one.part == part]:
        before, after = heard_stem(whole, ref), heard_stem(made, ref)
        peak = np.max(np.abs(before))
        # Away from the loop's own end, where it goes back to its start within three milliseconds.
        inside = slice(480, beats.size - 480)
        assert same_sound(after[..., inside], (before * expected)[..., inside], within=2e-3 * peak), ref
    others = [ref for ref in stem_refs(whole) if ref.part != part]
    assert all(stem_made_of(made, ref) == stem_made_of(whole, ref) for ref in others)
    assert all(stem_made_of(made, ref) != stem_made_of(whole, ref) for ref in stem_refs(whole) if ref.part == part)


def test_sixty_decibels_down_is_silence_and_nothing_clicks(whole: Track) -> None:
    made = lined(whole, line("bass", (0, -60), (4, -60), (4.01, 0)))
    stem = render_stem(made, BASS)
    quiet = stem[480 : round(3.9 * 60 / whole.sheet.bpm * RATE)]
    assert not np.any(quiet)
    assert np.max(np.abs(np.diff(stem))) < 2 * np.max(np.abs(np.diff(render_stem(whole, BASS))))


@pytest.mark.parametrize("points", [((0, 0),), ((0, 0), (16, 0))])
def test_a_line_that_changes_nothing_makes_nothing_anew(points: tuple[tuple[float, float], ...], whole: Track) -> None:
    made = lined(whole, line("bass", *points))
    assert same_sound(render_stems(made).loop, render_stems(whole).loop)
    assert stem_made_of(made, BASS) == stem_made_of(whole, BASS)


def test_line_and_duck_that_both_take_a_part_down_are_named(whole: Track) -> None:
    made = lined(whole, line("bass", (0, 0), (3.9, 0), (4, -9), (5, -9), (5.1, 0)))
    found = {one.id: one for one in find_all(analyse(made))}
    said = found["level-line-duck-bass"]
    assert said.value is not None
    assert said.value < -9 - 3
    assert 4 <= (said.place_beats or 0) <= 5
    assert applied(said.fixes[0], made).part("bass").level_line is None
    # Up under a duck, or down where nothing ducks it, there is nothing to say.
    up = lined(whole, line("bass", (0, 3)))
    assert "level-line-duck-bass" not in {one.id for one in find_all(analyse(up))}


def test_what_is_measured_is_what_is_heard(whole: Track) -> None:
    """A line that takes the bass down by 6 dB everywhere leaves the kick 6 dB clearer of it."""
    plain, down = analyse(whole).clearance.after_db, analyse(lined(whole, line("bass", (0, -6)))).clearance.after_db
    assert down - plain == pytest.approx(6, abs=0.05)  # type: ignore[operator]


@pytest.mark.parametrize(
    ("lines", "said"),
    [
        ([{"part": "bass", "points": []}], "points"),
        ([{"part": "bass", "points": [{"at_beats": 1, "gain_db": 0}, {"at_beats": 1, "gain_db": 1}]}], "rise"),
        ([{"part": "bass", "points": [{"at_beats": 0, "gain_db": 13}]}], "12"),
        ([{"part": "bass", "points": [{"at_beats": -1, "gain_db": 0}]}], "0"),
        ([{"part": "bass", "points": [{"at_beats": 0, "gain_db": 0}]}] * 2, "one level line"),
    ],
)
def test_lines_that_cannot_be_are_refused(lines: list[Any], said: str, whole: Track) -> None:
    with pytest.raises((InvalidTrack, ValidationError), match=said):
        track_from_json(json.dumps(version_one_of(whole) | {"level_lines": lines}))


def test_a_part_that_is_removed_takes_its_line_along(whole: Track) -> None:
    made = lined(whole, line("clap", (0, -3)), line("bass", (0, -3)))
    assert track_from_json(track_to_json(made)) == made
    gone = made.having(kit=tuple(one for one in made.kit if one.id != "clap"))
    assert [one.id for one in consistent(gone, made).parts if one.level_line] == ["bass"]
    with pytest.raises(InvalidTrack, match="'gong'"):
        consistent(lined(whole, line("gong", (0, -3))), whole)
    assert StemRef("clap") in stem_refs(made)

"""A landing that is known badly: its distance is not shown as one, the tonic comes first, and what is on disk stays."""

from __future__ import annotations

import json

import pytest

from juglant.core.analysis.analyse import analyse
from juglant.core.findings.registry import applied, find_all
from juglant.core.findings.separate_findings import floor_costs
from juglant.core.model.hit import Hit, Layer
from juglant.core.model.sheet import Sheet
from juglant.core.model.track import Track
from juglant.core.music.notes import cents_between, note_hz
from juglant.core.pictures.ladder import draw_ladder
from juglant.core.reports.report import report
from juglant.core.reports.swap_check import Swap, check_swap
from juglant.core.synth.sweep import Sweep
from juglant.core.synth.tail import Tail
from juglant.core.tune.targets import tonic_near

# A body and a tail at one pitch: their sum reads to some hundred cents, each of them to under one.
LOOSE = Hit(
    layers=(
        Layer(id="body", name="Body", source=Sweep(landing_hz=50)),
        Layer(id="tail", name="Tail", source=Tail(landing_hz=50)),
    )
)


def loose(tonic: str) -> Track:
    return Track(sheet=Sheet(tonic=tonic, bars=1), kick=LOOSE, kick_at_beats=(0, 1, 2, 3))  # type: ignore[arg-type]


@pytest.mark.parametrize("tonic", ["F", "Bb", "D"])
def test_a_wide_margin_stands_in_place_of_the_distance_and_the_tonic_is_first(tonic: str) -> None:
    track = loose(tonic)
    found = analyse(track)
    (kick,) = draw_ladder(track).hits
    assert kick.uncertainty_cents is not None
    assert kick.uncertainty_cents > track.limits.key_look_cents
    assert kick.wide_margin_cents == kick.uncertainty_cents
    assert kick.used_hz is not None
    assert kick.note == tonic_near(kick.used_hz, track.sheet)
    tuning = json.loads(report(found, find_all(found)).model_dump_json())["tuning"]
    assert tuning["wide_margin_cents"] == pytest.approx(kick.uncertainty_cents)
    # Off by less than its margin it is not called out of key; that it is uncertain is, and the tonic is offered.
    names = {one.id: one for one in find_all(found)}
    assert "landing-out-of-key" not in names
    (fix,) = names["no-stable-pitch"].fixes
    landed = applied(fix, track)
    for layer in landed.kick.layers:
        assert abs(cents_between(layer.source.landing_hz, note_hz(kick.note, 440))) < 3  # type: ignore[union-attr]


def test_a_firm_landing_keeps_its_distance(untouched: Track) -> None:
    (kick,) = (one for one in draw_ladder(untouched).hits if one.id == "kick")
    assert kick.verdict == "firm"
    assert kick.wide_margin_cents is None
    finding = next(one for one in find_all(analyse(untouched)) if one.id == "landing-out-of-key")
    for fix in finding.fixes:
        (landed,) = (one for one in draw_ladder(applied(fix, untouched)).hits if one.id == "kick")
        assert landed.off_cents is not None
        assert abs(landed.off_cents) <= 2


def test_a_kick_without_a_pitch_is_not_said_to_beat_nowhere(solved: Track) -> None:
    """Null is not nothing: what cannot be judged has no figure in the check of a swap."""
    silent = solved.having(kick=Hit())
    rows = {row.id: row for row in check_swap(silent, Swap(bpm=140)).rows}
    assert rows["beats"].now is None
    assert rows["kick-length"].now is None


def test_a_floor_filter_that_costs_peak_is_told_and_its_fixes_win_it_back(solved: Track) -> None:
    found = analyse(solved)
    bare = solved.model_copy(update={"carve": solved.carve.model_copy(update={"floor_on": False})})
    without = analyse(bare)
    assert found.levels.floor_cost_db == pytest.approx(
        (found.levels.peak_db or 0) - (without.levels.peak_db or 0), abs=0.01
    )
    assert without.levels.floor_cost_db is None
    said = floor_costs(found)
    assert bool(said) == ((found.levels.floor_cost_db or 0) > solved.limits.subsonic_db / 2)
    for one in said:
        assert "resonant high-pass" in one.fixes[0].label
        for fix in one.fixes:
            after = analyse(applied(fix, solved)).levels.peak_db
            assert after is not None
            assert after < (found.levels.peak_db or 0)

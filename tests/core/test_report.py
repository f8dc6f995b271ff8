"""The report: strict JSON, units in its keys, figures that agree with each other and with the audio."""

from __future__ import annotations

import json
import math
import re
from collections.abc import Iterator
from typing import Any

import numpy as np
import pytest
from support import sheet_with

from juglant.core.analysis.analyse import Analysis, analyse
from juglant.core.findings.registry import find_all
from juglant.core.model.track import Track
from juglant.core.reports.report import Report, report

UNITS = re.compile(
    r"_(hz|ms|s|db|dbtp|lufs|lu|beats|cents|semitones|samples|pct|db_per_s|cents_per_s|db_per_octave)$|^(hz|ms|beats|samples|bpm)$"
)
# Figures without a unit, or in one of their own: counts, ratios, note numbers, shares of full scale.
PLAIN = {
    "beats_heard", "q",
    "kick_pass_q", "shape", "ratio", "number", "bars", "sample_rate", "value", "limit", "confidence", "cycles", "dc",
    "cents", "aim",
}  # fmt: skip


def document(found: Analysis) -> dict[str, Any]:
    text = json.dumps(report(found, find_all(found)).model_dump(mode="json"), allow_nan=False)
    loaded: dict[str, Any] = json.loads(text)
    return loaded


def numbers(node: Any, path: tuple[str, ...] = ()) -> Iterator[tuple[tuple[str, ...], float]]:
    if isinstance(node, dict):
        for key, value in node.items():
            yield from numbers(value, (*path, key))
    elif isinstance(node, list):
        for value in node:
            yield from numbers(value, path)
    elif isinstance(node, (int, float)) and not isinstance(node, bool):
        yield path, float(node)


@pytest.mark.parametrize("name", ["found", "found_untouched"])
def test_every_figure_carries_its_unit_and_is_finite(name: str, request: pytest.FixtureRequest) -> None:
    for path, value in numbers(document(request.getfixturevalue(name))):
        assert math.isfinite(value), path
        if "zones" in path or "bass_notes_hz" in path:
            continue
        assert UNITS.search(path[-1]) or path[-1] in PLAIN, path


def test_clearance_figures_hang_together(found: Analysis) -> None:
    clearance = document(found)["clearance"]
    assert (clearance["owner"], clearance["goal_kind"], clearance["goal_db"], clearance["split_hz"]) == (
        "kick", "at_least", 10, 100,
    )  # fmt: skip
    assert clearance["short_db"] == pytest.approx(max(0, 10 - clearance["after_db"]))
    assert len(clearance["bands"]) == 10
    judged = [band for band in clearance["bands"] if band["judged"]]
    assert judged
    assert all(band["contested"] and band["centre_hz"] <= 100.1 for band in judged)
    # The whole lies between its bands.
    assert min(b["after_db"] for b in judged) <= clearance["after_db"] <= max(b["after_db"] for b in judged)


def test_levels_are_those_of_the_loop(found: Analysis) -> None:
    levels = document(found)["levels"]
    peak = 20 * math.log10(float(np.max(np.abs(found.stems.loop))))
    assert levels["peak_db"] == pytest.approx(peak)
    assert levels["true_peak_db"] >= levels["peak_db"] - 1e-9
    assert levels["match_db"] == pytest.approx(levels["before_loudness_lufs"] - levels["loop_loudness_lufs"])
    without = 20 * math.log10(float(np.max(np.abs(found.stems.kick))))
    assert levels["bass_cost_db"] == pytest.approx(peak - without)


@pytest.mark.parametrize(("middle_c", "name"), [("C4", "Bb1"), ("C3", "Bb0")])
def test_names_follow_the_octave_naming_and_the_ascii_note_does_not(middle_c: str, name: str, solved: Track) -> None:
    figures = document(analyse(sheet_with(solved, middle_c=middle_c)))
    assert figures["tuning"]["landing_note"] == name
    assert figures["kick"]["note"] == "Bb1"
    assert name in figures["bass_notes_hz"]


@pytest.mark.parametrize("a4_hz", [432.0, 445.0])
def test_another_concert_pitch_moves_the_notes_not_the_kick(a4_hz: float, solved: Track) -> None:
    figures = document(analyse(sheet_with(solved, a4_hz=a4_hz)))
    assert figures["kick"]["landing_hz"] == pytest.approx(58.27, abs=0.02)
    assert figures["kick"]["cents"] == pytest.approx(-1200 * math.log2(a4_hz / 440), abs=0.7)
    assert figures["bass_notes_hz"]["Bb1"] == pytest.approx(58.27 * a4_hz / 440, rel=0.001)


def test_a_report_reads_back(found: Analysis) -> None:
    made = report(found, find_all(found))
    assert Report.model_validate_json(made.model_dump_json()) == made

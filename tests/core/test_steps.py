"""How far each step is and what is next there: an empty page is not begun, and says nothing that is not so."""

from __future__ import annotations

import pytest

from juglant.core.analysis.analyse import analyse
from juglant.core.findings.registry import applied, find_all
from juglant.core.findings.steps import StepState, step_states
from juglant.core.model.carve import Carve
from juglant.core.model.hit import Hit
from juglant.core.model.strokes import BassNote, struck
from juglant.core.model.track import Intended, Track
from juglant.demo.kit import with_kit
from juglant.services.views import view_of

STEPS = ["track", "hits", "tune", "separate", "duck", "deliver"]
EMPTY = Track(carve=Carve(floor_on=True))
SILENT_KICK = EMPTY.with_strokes("kick", tuple(struck(float(at)) for at in range(8)))


def states(track: Track) -> dict[str, StepState]:
    found = analyse(track)
    return {one.step: one for one in step_states(found, find_all(found))}


def test_an_empty_track_has_begun_nothing() -> None:
    found = states(EMPTY)
    assert list(found) == STEPS
    assert {one.state for one in found.values()} == {"not begun"}
    assert "write kicks" in found["track"].next
    assert "Start the kick" in found["hits"].next
    assert "nothing sounds" in found["deliver"].next
    (said,) = find_all(analyse(EMPTY))
    assert (said.title, said.severity) == ("Nothing is written yet", "note")
    # In one press it sounds: a kick that is in tune on every beat.
    begun = applied(said.fixes[0], EMPTY)
    assert begun.kicks() == [float(beat) for beat in range(EMPTY.sheet.length_beats)]
    after = analyse(begun)
    assert after.stems.kick.any()
    assert after.kick is not None
    assert abs(after.kick.cents or 99) < 10
    assert "nothing-written" not in {one.id for one in find_all(after)}
    assert [one.step for one in view_of(EMPTY).steps] == STEPS


def test_strokes_without_a_sound_are_to_be_mended_in_one_press() -> None:
    found = states(SILENT_KICK)
    assert (found["track"].state, found["hits"].state, found["hits"].open) == ("done", "to fix", 1)
    assert found["hits"].next.startswith("The kick makes no sound")
    assert (found["separate"].state, found["deliver"].state) == ("not begun", "not begun")
    (said,) = [one for one in find_all(analyse(SILENT_KICK)) if one.id == "kick-silent"]
    assert (said.value, said.unit) == (8, "strokes")
    mended = applied(said.fixes[0], SILENT_KICK)
    after = states(mended)
    assert after["hits"].state != "to fix"
    assert after["deliver"].state == "ready"
    assert analyse(mended).stems.kick.any()
    # Muted it is silent on purpose, and not struck.
    assert "kick-silent" not in {one.id for one in find_all(analyse(SILENT_KICK.with_part("kick", muted=True)))}


def test_what_is_missing_is_what_is_next(untouched: Track) -> None:
    kick = untouched.having(bass_notes=())
    assert "No bass note" in states(kick)["track"].next
    assert "there is no bass" in states(kick)["separate"].next
    assert states(kick)["separate"].state == states(kick)["duck"].state == "not begun"
    bass = untouched.with_strokes("kick", ())
    assert "No kick" in states(bass)["track"].next
    assert "there is no kick" in states(bass)["duck"].next
    hats = with_kit(untouched).with_strokes("kick", ()).having(bass_notes=())
    assert states(hats)["track"].state == "done"


@pytest.mark.parametrize("step", ["separate", "duck"])
def test_before_the_plan_it_is_open_and_after_it_done(step: str, untouched: Track, solved: Track) -> None:
    before, after = states(untouched)[step], states(solved)[step]
    assert before.state in {"to look at", "to fix", "not begun"}
    assert after.state == "done"
    assert "the goal of 10.0 dB" in after.next


def test_a_finding_that_is_meant_is_not_open() -> None:
    meant = SILENT_KICK.model_copy(update={"intended": (Intended(finding="kick-silent", value=8.0),)})
    assert (states(meant)["hits"].state, states(meant)["hits"].open) == ("not begun", 0)
    quiet = SILENT_KICK.with_hit("kick", Hit()).having(bass_notes=(BassNote(at_beats=0, length_beats=1, note=34),))
    assert states(quiet)["deliver"].state == "ready"

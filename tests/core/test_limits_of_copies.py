"""A copy of a description is checked like what is typed: what a solver emits is what the model accepts."""

from __future__ import annotations

import pytest

from juglant.core.errors import InvalidTrack
from juglant.core.model.carve import Move
from juglant.core.model.duck import Duck
from juglant.core.model.part import Part
from juglant.core.model.strokes import BassNote, Stroke
from juglant.core.model.track import Track


@pytest.mark.parametrize(
    ("made", "update", "says"),
    [
        (Duck(), {"hold_ms": 1e6}, "Duck.hold_ms"),
        (Duck(), {"depth_db": float("nan")}, "Duck.depth_db"),
        (Duck(), {"depth": 3}, "Duck.depth"),
        (Move(frequency_hz=60, gain_db=-3), {"q": 0}, "Move.q"),
        (BassNote(at_beats=0, length_beats=1, note=34), {"note": 400}, "BassNote.note"),
        (Part(id="hat", name="Hat", role="hat"), {"id": "hat-before"}, "Part.id"),
        (Part(id="hat", name="Hat", role="hat"), {"strokes": (Stroke(at_beats=1), Stroke(at_beats=1))}, "Part"),
        (Track(), {"parts": ()}, "Track"),
        (Track(), {"parts": (*Track().parts, *(Part(id="hat", name="A", role="hat"),) * 2)}, "Track"),
    ],
)
def test_a_copy_that_may_not_be_is_refused_by_its_field(made: object, update: dict, says: str) -> None:
    with pytest.raises(InvalidTrack, match=says):
        made.model_copy(update=update)  # type: ignore[attr-defined]


def test_a_copy_that_may_be_is_what_was_asked_for_and_equals_one_that_is_typed() -> None:
    assert Duck().model_copy(update={"hold_ms": 100}) == Duck(hold_ms=100)
    assert Duck().model_copy() == Duck()
    track = Track()
    assert track.model_copy(update={"name": "Other"}).sheet is track.sheet


def test_what_is_on_its_way_to_being_heard_is_not_checked(untouched: Track) -> None:
    """A stroke late in the last beat falls into the next turn."""
    late = untouched.having(kit=(Part(id="hat", name="Hat", role="hat", strokes=(Stroke(at_beats=15.95, shift_ms=50),)),))
    (stroke,) = late.played(late.kit[0])
    assert 0 <= stroke.at_beats < 0.2

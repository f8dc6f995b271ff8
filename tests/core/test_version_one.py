"""What version 1 of the description wrote opens as parts, and sounds as it did.

The documents in `tests/version_one` and the figures of their stems were written by the last program that wrote version 1.
"""

from __future__ import annotations

import json
from collections.abc import Callable
from typing import Any

import numpy as np
import pytest
from support import ROOT, first_curve_of, version_one_of

from juglant.core.errors import InvalidTrack
from juglant.core.loop.render import render_stem, stem_refs
from juglant.core.model.mended import mended
from juglant.core.model.track import Track, track_from_json, track_to_json
from juglant.core.plans.computed_for import by_hand_since, changed_since, refit_parts

FOLDER = ROOT / "tests" / "version_one"
FIGURES: dict[str, dict[str, list[float]]] = json.loads((FOLDER / "stems.json").read_text())
# Of a stem's own energy: what single precision or another processor may round otherwise.
SAME_SHARE = 1e-7


def stored(name: str) -> str:
    return (FOLDER / f"{name}.json").read_text()


@pytest.mark.parametrize("name", FIGURES)
def test_every_stem_sounds_as_it_did(name: str) -> None:
    track, figures = track_from_json(stored(name)), FIGURES[name]
    assert {f"{ref.part} {ref.state}" for ref in stem_refs(track)} == set(figures)
    for ref in stem_refs(track):
        stem = np.atleast_2d(render_stem(track, ref))
        energy, *shown = figures[f"{ref.part} {ref.state}"]
        assert np.linalg.norm(stem) == pytest.approx(energy, rel=SAME_SHARE)
        # Projected on noise, a difference of any kind is as large as it is: -140 dB of the stem, five times its own spread.
        noise = np.random.default_rng(0).standard_normal((len(shown), stem.shape[-1]))
        assert np.allclose(noise @ stem.sum(axis=0), shown, rtol=0, atol=5 * SAME_SHARE * energy + 1e-12)


@pytest.mark.parametrize("name", FIGURES)
def test_no_curve_counts_as_computed_for_something_else(name: str) -> None:
    """What a curve was computed for was told by the earlier program; it is told alike now."""
    track = track_from_json(stored(name))
    changed_by_hand = {"everything", "demo faster", "demo by zones"}
    for one in track.parts:
        if name not in changed_by_hand:
            assert changed_since(track, one.id) == ()
            assert not by_hand_since(track, one.id)
    assert bool(refit_parts(track)) is (name in changed_by_hand)


def said_otherwise(older: Any, now: Any, at: str = "") -> list[str]:
    """Where something that was said is said no more, or otherwise; what came later may be said beside it."""
    if isinstance(older, dict):
        return [each for key, one in older.items() for each in said_otherwise(one, now.get(key), f"{at}/{key}")]
    if isinstance(older, list) and isinstance(now, list) and len(older) == len(now):
        return [
            each
            for place, pair in enumerate(zip(older, now, strict=True))
            for each in said_otherwise(*pair, f"{at}/{place}")
        ]
    return [] if older == now else [at]


@pytest.mark.parametrize("name", FIGURES)
def test_it_is_read_whole_and_written_as_parts(name: str) -> None:
    older, track = json.loads(stored(name)), track_from_json(stored(name))
    document = json.loads(track_to_json(track))
    assert document["version"] == 2
    assert not {"kick", "bass", "kit", "mix", "duck", "ducking", "level_lines"} & set(document)
    assert track_from_json(json.dumps(document)) == track
    # Nothing that it said is lost: the same description comes back out of the parts, its ducks in the order of the parts.
    again, order = version_one_of(track), [one.id for one in track.parts]
    older["ducking"]["targets"].sort(key=lambda one: order.index(one["part"]))
    older["level_lines"].sort(key=lambda one: order.index(one["part"]))
    assert not said_otherwise(older, again)


CHANGES: dict[str, tuple[Callable[[dict[str, Any]], object], str]] = {
    "a kick twice": (lambda d: d.update(kick_at_beats=[1, 1]), "must not name a position twice"),
    "a kick before 0": (lambda d: d.update(kick_at_beats=[-1]), "kick_at_beats must be 0 to below 64"),
    "a level": (lambda d: d["mix"].update(bass_gain_db=9), r"mix\.bass_gain_db: must be at most 6.*got 9"),
    "a note": (lambda d: d["bass_notes"][0].update(note=400), r"bass_notes\.0\.note: must be at most 72"),
    "a layer": (lambda d: d["kick"]["layers"][0].update(gain_db=40), r"kick\.layers\.0\.gain_db"),
    "an id": (lambda d: d["kit"][0].update(id="bass"), "'bass'"),
    "an id twice": (lambda d: d["kit"][0].update(id=d["kit"][1]["id"]), "must differ from each other"),
    "a duck of nobody": (lambda d: d["ducking"]["targets"][0].update(part="gong"), "'gong', which"),
    "a line of nobody": (
        lambda d: d.update(level_lines=[{"part": "gong", "points": [{"at_beats": 0, "gain_db": 0}]}]),
        "'gong', which this track does not have",
    ),
    "an unknown field": (lambda d: d.update(snare={}), "snare"),
    "fields of both": (lambda d: d.update(parts=[]), "kick"),
    "its fields called version 2": (lambda d: d.update(version=2), "kick"),
    "two things at once": (
        lambda d: (d["mix"].update(bass_gain_db=9), d["sheet"].update(bpm=5)), r"mix\.bass_gain_db.*sheet\.bpm",
    ),
    "a width on the line": (lambda d: d.update(bass_chain=[{"kind": "width"}]), "a delayed copy"),
}  # fmt: skip


@pytest.mark.parametrize("change", CHANGES)
def test_what_it_refused_is_refused_with_the_field_it_had(change: str) -> None:
    document = json.loads(stored("demo"))
    make, said = CHANGES[change]
    make(document)
    with pytest.raises(InvalidTrack, match=said):
        track_from_json(json.dumps(document))


def test_what_named_nobody_is_taken_out_and_said() -> None:
    document = json.loads(stored("demo"))
    wanted = track_from_json(stored("demo"))
    document["ducking"]["targets"].append({"part": "gong", "curves": [{"on": True}]})
    document["level_lines"] = [{"part": "gong", "points": [{"at_beats": 0, "gain_db": 0}]}]
    made, said = mended(json.dumps(document))
    assert made == wanted
    assert [line.split(" names ")[0] for line in said] == ["ducking.targets", "level_lines"]
    assert all("taken out" in line for line in said)


def test_a_track_can_be_said_in_its_names(untouched: Track) -> None:
    """Tests and scripts say a kick, a bass and the rest; each goes to its part and leaves the others alone."""
    assert untouched.having() == untouched
    assert untouched.having(kick_at_beats=(0.5,)).kick_part.strokes[0].velocity == 127
    felt = untouched.with_strokes(
        "kick", tuple(one.model_copy(update={"velocity": 60}) for one in untouched.kick_part.strokes)
    )
    assert [one.velocity for one in felt.having(kick_at_beats=(0.0, 0.25)).kick_part.strokes] == [60, 127]
    with pytest.raises(InvalidTrack, match="twice"):
        untouched.having(kick_at_beats=(1.0, 1.0))
    moved = untouched.model_copy(update={"parts": untouched.parts[::-1]})
    assert [one.id for one in moved.having(kit=()).parts] == ["bass", "kick"]
    assert first_curve_of(json.loads(track_to_json(moved)))["on"] is False

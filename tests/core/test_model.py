"""The description of a track: what it refuses, and that text and value are the same thing."""

from __future__ import annotations

import json
from collections.abc import Callable
from typing import Any

import pytest
from support import part_of

from juglant.core.errors import InvalidTrack
from juglant.core.model.track import Track, track_from_json, track_to_json
from juglant.core.parameter.parameter import Description

Change = Callable[[dict[str, Any]], object]


def _put(*path: Any, value: Any) -> Change:
    def change(document: dict[str, Any]) -> None:
        place: Any = document
        for step in path[:-1]:
            place = place[step]
        place[path[-1]] = value

    return change


def _many_layers(document: dict[str, Any]) -> None:
    layer = part_of(document, "kick")["hit"]["layers"][0]
    part_of(document, "kick")["hit"]["layers"] = [{**layer, "id": f"layer-{i}"} for i in range(10_000)]


BAD: list[tuple[str, Change, str]] = [
    ("tempo 0", _put("sheet", "bpm", value=0), r"sheet\.bpm: must be at least 40.*got 0"),
    ("tempo infinite", _put("sheet", "bpm", value=float("inf")), r"sheet\.bpm"),
    ("tempo NaN", _put("sheet", "bpm", value=float("nan")), r"sheet\.bpm"),
    ("note 400", _put("parts", 1, "notes", 0, "note", value=400), r"parts\.1\.notes\.0\.note: must be at most 72, got 400"),
    ("note length 0", _put("parts", 1, "notes", 0, "length_beats", value=0), r"length_beats: must be at least 0"),
    (
        "decay -1",
        _put("parts", 0, "hit", "layers", 1, "source", "decay_ms", value=-1),
        r"decay_ms: must be at least 5.*got -1",
    ),
    ("10,000 layers", _many_layers, r"hit\.layers"),
    ("same id twice", _put("parts", 0, "hit", "layers", 1, "id", value="beater"), "layer ids must differ"),
    ("unknown key", _put("sheet", "swing", value=1), r"sheet\.swing"),
    ("unknown engine", _put("parts", 0, "hit", "layers", 0, "source", "engine", value="horn"), "engine"),
    ("kick before 0", _put("parts", 0, "strokes", 0, "at_beats", value=-1), r"at_beats: must be at least 0.*got -1"),
    ("kick twice", _put("parts", 0, "strokes", 1, "at_beats", value=0), "must not name a position twice"),
    ("key H", _put("sheet", "tonic", value="H"), r"sheet\.tonic"),
    ("four moves", _put("carve", "moves", value=[{}] * 4), r"carve\.moves"),
    ("text for a number", _put("parts", 1, "ducked", "curves", 0, "depth_db", value="deep"), r"curves\.0\.depth_db"),
    ("newer version", _put("version", value=3), "newer Juglant"),
    ("another format", _put("format", value="song"), "not a track"),
]


@pytest.mark.parametrize(("name", "change", "says"), BAD, ids=[name for name, _, _ in BAD])
def test_a_bad_track_is_refused_with_the_field_and_the_range(name: str, change: Change, says: str, solved: Track) -> None:
    document = json.loads(track_to_json(solved))
    change(document)
    with pytest.raises(InvalidTrack, match=says):
        track_from_json(json.dumps(document))


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("", "not JSON"),
        ("{", "not JSON"),
        ("[]", "not a track"),
        ("null", "not a track"),
        ("3", "not a track"),
        ('{"name": "x"}', "not a track"),
        ("[" * 100_000, "not JSON"),
        (b"\xff\xfe\x00", "not JSON"),
    ],
)
def test_what_is_no_track_is_refused(text: str | bytes, says: str) -> None:
    with pytest.raises(InvalidTrack, match=says):
        track_from_json(text)


def test_text_and_value_are_the_same(solved: Track) -> None:
    text = track_to_json(solved)
    again = track_from_json(text)
    assert again == solved
    assert hash(again) == hash(solved)
    assert track_to_json(again) == text


def _models(kind: type[Description]) -> list[type[Description]]:
    return [kind, *(below for child in kind.__subclasses__() for below in _models(child))]


def test_every_numeric_parameter_is_described_for_the_rulers() -> None:
    counted = 0
    for name, model in Track.model_json_schema()["$defs"].items():
        for field, described in model.get("properties", {}).items():
            if described.get("scale") is None:
                continue
            counted += 1
            assert described["minimum"] <= described["default"] <= described["maximum"], (name, field)
            assert described["scale"] == "linear" or described["minimum"] > 0, (name, field)
            assert described["title"], (name, field)
            assert described["description"], (name, field)
            assert described["step"] > 0, (name, field)
            if described["unit"] == "ms":
                assert field.endswith("_ms")
            if described["unit"] == "Hz":
                assert field.endswith("_hz")
    assert counted > 50


def test_descriptions_are_frozen(solved: Track) -> None:
    for model in _models(Description):
        assert model.model_config.get("frozen"), model
        assert model.model_config.get("extra") == "forbid", model

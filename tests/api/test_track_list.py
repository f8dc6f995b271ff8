"""The tracks as a list: what each is, a new one by name, key and tempo, one like another, another name."""

from __future__ import annotations

from pathlib import Path

import pytest
from fastapi.testclient import TestClient

from juglant.api.app import make_app
from juglant.api.settings import Settings


@pytest.fixture
def client(tmp_path: Path) -> TestClient:
    return TestClient(make_app(Settings(tmp_path / "t.sqlite3", page=None)), base_url="http://localhost")


def lines(client: TestClient) -> dict[str, dict]:
    return {one["name"]: one for one in client.get("/api/tracks").json()}


def made(client: TestClient, **asked: object) -> dict:
    answer = client.post("/api/tracks", json={"start": "empty", **asked})
    assert answer.status_code == 201, answer.text
    return answer.json()


def test_a_line_says_what_a_track_is(client: TestClient) -> None:
    made(client, start="untouched", name="Low tide")
    line = lines(client)["Low tide"]
    assert (line["tonic"], line["scale"], line["bpm"], line["length_beats"]) == ("Bb", "natural minor", 126, 16)
    assert line["kicks"] == [float(beat) for beat in range(16)]
    assert len(line["notes"]) == 24
    assert line["changed_at"] > "2020"


def test_a_new_track_has_the_name_key_and_tempo_that_were_said(client: TestClient) -> None:
    first = made(client, name="Pier", sheet={"tonic": "C#", "scale": "dorian", "bpm": 138})
    sheet = first["track"]["sheet"]
    assert (first["track"]["name"], sheet["tonic"], sheet["scale"], sheet["bpm"]) == ("Pier", "C#", "dorian", 138)
    # No two of one name: none is taken for the other.
    assert [made(client, name="Pier")["track"]["name"] for _ in range(2)] == ["Pier 2", "Pier 3"]
    assert [made(client)["track"]["name"] for _ in range(2)] == ["Untitled", "Untitled 2"]


@pytest.mark.parametrize(
    ("asked", "field"),
    [
        ({"sheet": {"bpm": 4}}, "sheet.bpm"),
        ({"sheet": {"tonic": "H"}}, "sheet.tonic"),
        ({"sheet": {"scale": "sad"}}, "sheet.scale"),
        ({"sheet": {"bars": 3}}, "sheet.bars"),
        ({"name": ""}, "name"),
        ({"name": "x" * 81}, "name"),
    ],
)
def test_what_is_no_track_is_refused_by_name_and_none_is_made(client: TestClient, asked: dict, field: str) -> None:
    before = set(lines(client))
    answer = client.post("/api/tracks", json={"start": "empty", **asked})
    assert answer.status_code == 422
    assert field in answer.text
    assert set(lines(client)) == before


def test_a_duplicate_is_a_track_of_its_own(client: TestClient) -> None:
    first = made(client, start="untouched", name="Low tide")
    answer = client.post(f"/api/tracks/{first['id']}/duplicate")
    assert answer.status_code == 201
    other = answer.json()
    assert other["id"] != first["id"]
    assert other["track"] == {**first["track"], "name": "Low tide 2"}
    # A name as long as it may be is cut for its number.
    long = made(client, name="y" * 80)
    assert client.post(f"/api/tracks/{long['id']}/duplicate").json()["track"]["name"] == "y" * 78 + " 2"
    renamed = client.post(f"/api/tracks/{other['id']}/name", json={"name": " Ebb "}).json()
    assert (renamed["track"]["name"], renamed["undo_label"]) == ("Ebb", "Rename")
    assert {"Low tide", "Ebb"} <= set(lines(client))
    assert "Low tide 2" not in lines(client)


@pytest.mark.parametrize(("path", "body"), [("duplicate", None), ("name", {"name": "New"})])
def test_a_track_that_is_not_there_is_said_so(client: TestClient, path: str, body: dict | None) -> None:
    answer = client.post(f"/api/tracks/{'0' * 16}/{path}", json=body)
    assert answer.status_code == 404
    assert client.post(f"/api/tracks/{made(client)['id']}/name", json={"name": "  "}).status_code == 422

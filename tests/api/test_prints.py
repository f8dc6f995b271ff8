"""What a track plays printed into takes: as it is heard, remembered, and said when its source has changed."""

from __future__ import annotations

import io

import numpy as np
import pytest
import soundfile
from starlette.testclient import TestClient
from support import order, part_of
from test_takes import client

__all__ = ["client"]


@pytest.fixture
def state(client: TestClient) -> dict:
    found: dict = client.post("/api/tracks", json={"start": "demo"}).json()
    return found


def prints(client: TestClient, state: dict, **what: object):  # type: ignore[no-untyped-def]
    return client.post(f"/api/tracks/{state['id']}/prints", json={"name": "Print"} | what)


def sound(client: TestClient, take: str, rate: int) -> np.ndarray:
    answer = client.get(f"/api/takes/{take}/sound.wav", params={"sample_rate": rate})
    return np.asarray(soundfile.read(io.BytesIO(answer.content), always_2d=True)[0]).T


def row(client: TestClient, take: str) -> dict:
    return next(one for one in client.get("/api/takes").json() if one["id"] == take)


def edited(client: TestClient, state: dict, **change: object) -> dict:
    track = state["track"] | change
    body = order(state["edition"], "describe", track=track, label="Other", gesture=f"g{state['edition']}")
    found: dict = client.post(f"/api/tracks/{state['id']}/commands", json=body).json()
    return found


@pytest.mark.parametrize("part", ["kick", "clap", "bass", "pad"])
def test_a_line_is_printed_as_its_stem_is_heard(client: TestClient, state: dict, part: str) -> None:
    made = prints(client, state, of="part", part=part)
    assert made.status_code == 201, made.text
    rate = state["track"]["sheet"]["sample_rate"]
    stem = client.get(f"/api/tracks/{state['id']}/revisions/{state['revision']}/stems/{part}/heard.wav")
    assert stem.status_code == 200, stem.text
    wanted = np.asarray(soundfile.read(io.BytesIO(stem.content), always_2d=True)[0]).T
    got = sound(client, made.json()["id"], rate)
    assert got.shape[1] == wanted.shape[1]
    inside = slice(300, -300)
    np.testing.assert_allclose(
        np.atleast_2d(got.mean(axis=0))[:, inside], np.atleast_2d(wanted.mean(axis=0))[:, inside], atol=1e-5
    )


def test_a_stroke_is_printed_as_loud_as_it_is_in_its_line(client: TestClient, state: dict) -> None:
    rate = state["track"]["sheet"]["sample_rate"]
    for part in ("kick", "clap"):
        one = sound(client, prints(client, state, of="hit", part=part).json()["id"], rate).mean(axis=0)
        line = sound(client, prints(client, state, of="part", part=part, name="Line").json()["id"], rate).mean(axis=0)
        own = part_of(state["track"], part)["strokes"][0]
        begin = round(own["at_beats"] * 60 / state["track"]["sheet"]["bpm"] * rate)
        size = min(one.size, round(0.15 * rate))
        played = line[begin : begin + size]
        if own["velocity"] == 127 and not own["shift_ms"]:
            assert np.max(np.abs(played)) == pytest.approx(np.max(np.abs(one[:size])), rel=0.06)


def test_bars_of_everything_are_as_long_as_they_are(client: TestClient, state: dict) -> None:
    sheet = state["track"]["sheet"]
    made = prints(client, state, of="everything", from_bar=1, bars=2).json()
    assert made["duration_ms"] == pytest.approx(2 * 4 * 60000 / sheet["bpm"], abs=0.1)
    listed = row(client, made["id"])
    assert listed["made_of"]["said"] == f"everything, bars 2 to 3 of {state['track']['name']}"
    whole = prints(client, state, of="everything").json()
    bar = round(4 * 60 / sheet["bpm"] * sheet["sample_rate"])
    both = [sound(client, one["id"], sheet["sample_rate"]).mean(axis=0) for one in (whole, made)]
    np.testing.assert_allclose(both[0][bar + 500 : bar + 50000], both[1][500:50000], atol=1e-5)


@pytest.mark.parametrize(
    ("what", "words"),
    [({"of": "hit", "part": "clap"}, "Clap of "), ({"of": "layer", "part": "kick", "layer": "body"}, "Body of Kick of ")],
)
def test_a_print_says_when_its_source_has_changed_and_only_then(
    client: TestClient, state: dict, what: dict, words: str
) -> None:
    made = prints(client, state, **what).json()
    assert row(client, made["id"])["made_of"]["said"].startswith(words)
    assert not row(client, made["id"])["changed"]
    # A name and another part are no matter of it.
    track = state["track"]
    parts = [one | ({"gain_db": -20} if one["id"] == "hat" else {}) for one in track["parts"]]
    other = edited(client, state, name="Other", parts=parts)
    assert not row(client, made["id"])["changed"]
    parts = [
        one
        | (
            {"hit": one["hit"] | {"layers": [layer | {"gain_db": -3.25} for layer in one["hit"]["layers"]]}}
            if one["id"] == what["part"]
            else {}
        )
        for one in other["track"]["parts"]
    ]
    after = edited(client, other, parts=parts)
    assert row(client, made["id"])["changed"]
    # As it was again, it is what it was printed from again.
    client.post(f"/api/tracks/{state['id']}/undo", json={"edition": after["edition"], "revision": after["revision"]})
    assert not row(client, made["id"])["changed"]
    client.post(f"/api/tracks/{state['id']}/archive")
    assert part_of(track, what["part"])


def test_a_printed_take_is_used_and_keeps_the_sound_of_what_is_gone(client: TestClient, state: dict) -> None:
    made = prints(client, state, of="hit", part="clap").json()
    rate = state["track"]["sheet"]["sample_rate"]
    before = sound(client, made["id"], rate)
    parts = [one for one in state["track"]["parts"] if one["id"] != "clap"]
    edited(client, state, parts=parts)
    assert row(client, made["id"])["changed"]
    np.testing.assert_array_equal(sound(client, made["id"], rate), before)


@pytest.mark.parametrize(
    ("what", "status"),
    [
        ({"of": "hit", "part": "nobody"}, 404),
        ({"of": "layer", "part": "kick", "layer": "none"}, 404),
        ({"of": "part", "part": "nobody"}, 404),
        ({"of": "everything", "from_bar": 40}, 422),
        ({"of": "song"}, 422),
        ({"of": "hit", "name": ""}, 422),
    ],
)
def test_what_is_not_there_is_refused_and_nothing_is_kept(client: TestClient, state: dict, what: dict, status: int) -> None:
    assert prints(client, state, **what).status_code == status
    assert client.get("/api/takes").json() == []


def test_silence_is_not_printed(client: TestClient, state: dict) -> None:
    parts = [one | ({"muted": True} if one["id"] == "clap" else {}) for one in state["track"]["parts"]]
    now = edited(client, state, parts=parts)
    answer = prints(client, now, of="part", part="clap")
    assert answer.status_code == 422
    assert "silent" in answer.json()["detail"]

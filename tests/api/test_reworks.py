"""Drum parts worked over, recordings in turn, a hit under another and loops taken apart, over the API: what is shown is
what is kept, what is kept says what was done, nothing is lost, and what cannot be is refused in words."""

from __future__ import annotations

import io
import zipfile

import mido
import numpy as np
import pytest
import soundfile
from made_loops import kit, made_loop
from near_meters import RATE, made_tom
from starlette.testclient import TestClient
from support import order, part_of
from test_takes import client, file_of, sent

__all__ = ["client"]
BPM = 126.0


@pytest.fixture
def state(client: TestClient) -> dict:
    found: dict = client.post("/api/tracks", json={"start": "demo"}).json()
    return found


@pytest.fixture
def loop(client: TestClient) -> str:
    sound, _ = made_loop("broken", BPM)
    return str(sent(client, file_of(sound, RATE, subtype="FLOAT"), name="Loop.wav").json()["id"])


def post(client: TestClient, state: dict, take: str, what: str, **how: object):  # type: ignore[no-untyped-def]
    params = {"sample_rate": RATE} if what.endswith(".wav") else None
    return client.post(f"/api/tracks/{state['id']}/takes/{take}/{what}", params=params, json=how)


def audio_of(content: bytes) -> np.ndarray:
    return np.asarray(soundfile.read(io.BytesIO(content), always_2d=True)[0]).mean(axis=1)


def test_strokes_are_told_by_row_with_how_even_they_are(client: TestClient, loop: str) -> None:
    found = client.get(f"/api/takes/{loop}/strokes", params={"row": "snare", "hint_bpm": BPM}).json()
    assert found["counts"] == {"kick": 6, "snare": 4, "hat": 16}
    assert found["bpm"] == pytest.approx(BPM, rel=0.002)
    assert len(found["even"]["strokes"]) == 4
    assert found["untimed"] is None
    assert found["even"]["level_db"] > 0.3


def test_what_is_shown_is_what_is_heard_and_kept_and_the_take_stays(client: TestClient, state: dict, loop: str) -> None:
    how = {"row": "snare", "level_pct": 100, "by": "clap", "share_pct": 40}
    shown = post(client, state, loop, "reworked", **how).json()
    assert shown["done"][0] == "evened: level by 100 %"
    assert shown["done"][1].startswith("4 strokes 40 % ")
    assert shown["even"]["level_db"] < 0.2
    assert {one["band"] for one in shown["changed"]} == {"below 120 Hz", "120 Hz to 2 kHz", "above 2 kHz"}
    heard = audio_of(post(client, state, loop, "reworked.wav", **how).content)
    made = post(client, state, loop, "rework", **how, name="Loop worked")
    assert made.status_code == 201
    kept = audio_of(client.get(f"/api/takes/{made.json()['id']}/sound.wav", params={"sample_rate": RATE}).content)
    np.testing.assert_allclose(kept, heard, atol=1e-6)
    before = audio_of(client.get(f"/api/takes/{loop}/sound.wav", params={"sample_rate": RATE}).content)
    assert not np.allclose(before, kept, atol=1e-3)
    row = next(one for one in client.get("/api/takes").json() if one["id"] == made.json()["id"])
    told = (row["made_of"]["way"], row["made_of"]["take"], row["made_of"]["said"])
    assert told == ("reworked", loop, "; ".join(shown["done"]))
    # The track is as it was: only a take was made.
    assert client.get(f"/api/tracks/{state['id']}").json()["edition"] == state["edition"]


@pytest.mark.parametrize(
    "how",
    [
        {"level_pct": 100},
        {"row": "kick", "level_pct": 100},
        {"row": "snare", "under": "clap"},
        {"row": "kick", "by": "kick", "share_pct": 5},
        {"row": "kick", "by": "kick", "share_pct": 100},
        {"row": "kick", "by": "kick", "share_pct": 40, "aligned": False},
    ],
)
def test_every_control_is_heard(client: TestClient, state: dict, loop: str, how: dict) -> None:
    off = {name: value for name, value in how.items() if name in ("row",)}
    before = audio_of(post(client, state, loop, "reworked.wav", **off).content)
    after = audio_of(post(client, state, loop, "reworked.wav", **how).content)
    assert 10 * np.log10(np.sum((after - before) ** 2) / np.sum(before**2)) > -60


def test_how_even_it_is_then_is_measured_in_what_was_made(client: TestClient, state: dict) -> None:
    time = np.arange(round(0.7 * RATE)) / RATE
    tone = np.sin(2 * np.pi * 60 * time) * np.minimum(1, time / 0.002)
    sound = 1e-6 * np.random.default_rng(0).standard_normal(6 * RATE)
    for number, fall in enumerate((0.04, 0.04, 0.08, 0.04, 0.06, 0.04, 0.04)):
        at = round((0.1 + 0.8 * number) * RATE)
        sound[at : at + time.size] += 0.5 * tone * np.exp(-time / fall)
    take = sent(client, file_of(sound, RATE, subtype="FLOAT"), name="Lengths.wav").json()["id"]
    before = client.get(f"/api/takes/{take}/strokes").json()["even"]["length_pct"]
    after = [post(client, state, take, "reworked", length_pct=share).json()["even"]["length_pct"] for share in (50, 100)]
    assert before > 20
    assert before > after[0] > after[1]
    assert after[1] < 0.5 * before


def test_some_of_the_small_events_are_meant_and_the_others_stay(client: TestClient, state: dict) -> None:
    loop, _ = made_loop("broken", BPM, 1)
    step, small = 60 / BPM / 4, 0.04 * kit(2)["snare"]
    places = [round(at * step * RATE) for at in (3, 11, 19)]
    for at in places:
        loop[at : at + small.size] += small
    take = sent(client, file_of(loop, RATE, subtype="FLOAT"), name="Small.wav").json()["id"]
    found = [one for one in client.get(f"/api/takes/{take}/strokes").json()["strokes"] if one["incidental"]]
    assert len(found) == 3
    shown = post(client, state, take, "reworked", small_db=-60, small=[found[0]["number"]]).json()
    assert shown["done"] == ["1 small event between the strokes taken out"]
    made = audio_of(post(client, state, take, "reworked.wav", small_db=-60, small=[found[0]["number"]]).content)
    changed = [np.max(np.abs((made - loop)[at : at + 3000])) > 1e-3 for at in places]
    assert changed == [True, False, False]
    assert "nothing between its strokes" in post(client, state, take, "reworked", small_db=-60, small=[]).text


def test_another_loops_groove_is_taken_over(client: TestClient, state: dict) -> None:
    step = 60 / BPM / 4
    straight, swung = (np.zeros(round(16 * step * RATE)) for _ in range(2))
    for at in range(16):
        drum = kit(0)["kick"][:5000] * np.linspace(1, 0, 5000) if at % 8 == 0 else 0.6 * kit(0)["hat"][:3000]
        for sound, late in ((straight, 0.0), (swung, 0.014 if at % 2 else 0.0)):
            begin = round((at * step + late) * RATE)
            room = min(drum.size, sound.size - begin)
            sound[begin : begin + room] += drum[:room]
    takes = [sent(client, file_of(one, RATE, subtype="FLOAT"), name="G.wav").json()["id"] for one in (straight, swung)]
    for share in (50, 100):
        how = {"timed_pct": share, "groove": takes[1], "bpm": BPM}
        made = post(client, state, takes[0], "rework", **how, name=f"At {share}")
        assert made.status_code == 201, made.text
        seen = client.get(f"/api/takes/{made.json()['id']}/strokes", params={"hint_bpm": BPM}).json()
        late = [1000 * (one["at_s"] - number * step) for number, one in enumerate(seen["strokes"])]
        assert late[1::2] == pytest.approx([14 * share / 100] * 8, abs=2.5)
        assert late[0::2] == pytest.approx([0] * 8, abs=2.5)


def test_the_strokes_of_a_row_are_midi_at_its_tempo(client: TestClient, state: dict, loop: str) -> None:
    answer = post(client, state, loop, "reworked.mid", row="snare")
    file = mido.MidiFile(file=io.BytesIO(answer.content))
    tempo = next(one.tempo for one in file.tracks[0] if one.type == "set_tempo")
    assert mido.tempo2bpm(tempo) == pytest.approx(BPM, rel=0.002)
    now, found = 0, []
    for one in file.tracks[1]:
        now += one.time
        if one.type == "note_on":
            found.append((one.note, now / file.ticks_per_beat, one.velocity))
    assert [(note, round(at, 1)) for note, at, _ in found] == [(38, 1), (38, 3), (38, 5), (38, 7)]
    assert max(velocity for _, _, velocity in found) == 127
    assert len({velocity for _, _, velocity in found}) > 1


@pytest.mark.parametrize(
    ("how", "status", "why"),
    [
        ({"row": "cowbell"}, 422, "row"),
        ({"level_pct": 101}, 422, "level_pct"),
        ({"by": "nobody"}, 404, "nobody"),
        ({"by": "bass"}, 404, "bass"),
        ({"under": "nobody"}, 404, "nobody"),
        ({"groove": "0" * 24, "timed_pct": 50}, 404, "no such sound"),
        ({"small_db": -60}, 422, "nothing between its strokes"),
    ],
)
def test_what_cannot_be_is_refused_in_words(
    client: TestClient, state: dict, loop: str, how: dict, status: int, why: str
) -> None:
    answer = post(client, state, loop, "reworked", **how)
    assert answer.status_code == status, answer.text
    assert why in answer.text
    count = len(client.get("/api/takes").json())
    assert post(client, state, loop, "rework", **how, name="No").status_code == status
    assert len(client.get("/api/takes").json()) == count


def test_silence_one_stroke_and_nothing_done_are_said(client: TestClient, state: dict, loop: str) -> None:
    time = np.arange(2 * RATE) / RATE
    swell = 0.5 * np.sin(2 * np.pi * 50 * time) * np.sin(np.pi * time / 2) ** 2
    silent = sent(client, file_of(swell, RATE, subtype="FLOAT"), name="Swell.wav").json()["id"]
    assert "nothing begins" in client.get(f"/api/takes/{silent}/strokes").text
    one = sent(client, file_of(made_tom(90), RATE, subtype="FLOAT"), name="Tom.wav").json()["id"]
    alone = client.get(f"/api/takes/{one}/strokes").json()
    assert len(alone["strokes"]) == 1
    assert "hardly anything begins" in alone["untimed"]
    assert "no time was read" in post(client, state, one, "reworked", timed_pct=50).text
    assert "nothing is done to it yet" in post(client, state, loop, "rework", name="Same").text
    assert client.get(f"/api/takes/{'0' * 24}/strokes").status_code == 404


def test_recordings_in_turn_are_one_hit_that_plays_in_the_track_and_is_delivered_numbered(
    client: TestClient, state: dict
) -> None:
    sound = np.zeros(round(4.2 * RATE))
    tom = (made_tom(120) * np.exp(-np.arange(made_tom(120).size) / RATE * 8))[: round(0.6 * RATE)]
    for number, gain in enumerate((1, 0.95, 0.9, 0.2, 0.19)):
        at = round((0.1 + 0.8 * number) * RATE)
        sound[at : at + tom.size] += 0.7 * gain * tom * (1 - 0.02 * number * np.linspace(0, 1, tom.size))
    take = sent(client, file_of(sound, RATE, subtype="FLOAT"), name="Lid.wav").json()["id"]
    found = client.post("/api/alternates", json={"name": "Lid", "takes": [take]}).json()
    assert found["said"] == ["2 strengths, the strongest first: 3, 2 strokes"]
    assert len(found["found"]) == len(found["played"]) == 5
    fewer = [{"take": take, "number": number} for number in (1, 2)]
    two = client.post("/api/alternates", json={"name": "Lid", "takes": [take], "strokes": fewer}).json()
    assert [one["number"] for one in two["played"]] == [1, 2]
    track = state["track"]
    part = {"id": "lid", "name": "Lid", "role": "percussion", "hit": found["hit"], "strokes": [{"at_beats": 0.5}]}
    track = track | {"parts": [*track["parts"], part]}
    address = f"/api/tracks/{state['id']}/commands"
    now = client.post(address, json=order(state["edition"], "describe", track=track, label="Lid")).json()
    assert part_of(now["track"], "lid")["hit"] == found["hit"]
    bundle = client.get(f"/api/tracks/{state['id']}/revisions/{now['revision']}/bundle.zip")
    with zipfile.ZipFile(io.BytesIO(bundle.content)) as archive:
        names = [name for name in archive.namelist() if name.startswith("hits/lid")]
        assert len(names) == found["hit"]["velocity"]["robins"]
        assert f"takes/{take}.wav" in archive.namelist()


@pytest.mark.parametrize(
    ("body", "status"),
    [
        ({"name": "x", "takes": []}, 422),
        ({"name": "x", "takes": ["0" * 24]}, 404),
        ({"name": "", "takes": ["0" * 24]}, 422),
    ],
)
def test_recordings_that_are_not_there_are_refused(client: TestClient, body: dict, status: int) -> None:
    assert client.post("/api/alternates", json=body).status_code == status


def test_a_hit_under_another_is_shown_as_it_is_made(client: TestClient, state: dict) -> None:
    address = f"/api/tracks/{state['id']}/revisions/{state['revision']}/hits/kick/reinforced"
    shown = client.get(address, params={"by": "tom", "share_pct": 40}).json()
    body = order(state["edition"], "reinforce", part="kick", by="tom", share_pct=40)
    now = client.post(f"/api/tracks/{state['id']}/commands", json=body).json()
    assert part_of(now["track"], "kick")["hit"] == shown["made"]["hit"]
    assert part_of(now["track"], "tom")["muted"]
    assert list(shown["said"]) == now["said"][: len(shown["said"])]
    assert client.get(address, params={"by": "kick", "share_pct": 40}).status_code == 422
    assert client.get(address, params={"by": "bass", "share_pct": 40}).status_code == 422
    assert client.get(address, params={"by": "tom", "share_pct": 140}).status_code == 422


def test_each_part_is_named_by_its_own_name_in_what_is_done(client: TestClient, state: dict, loop: str) -> None:
    names = {one: part_of(state["track"], one)["name"] for one in ("clap", "tom")}
    assert names["clap"] != names["tom"]
    how = {"row": "snare", "under": "clap", "by": "tom", "share_pct": 60}
    alone = post(client, state, loop, "reworked", row="snare", under="clap").json()["done"]
    both = post(client, state, loop, "reworked", **how).json()["done"]
    assert alone[0].endswith(f"silenced where {names['clap']} plays")
    assert both[0] == alone[0]
    assert f"60 % {names['tom']}" in both[1]


@pytest.mark.parametrize(("part", "role"), [("kick", "kick"), ("clap", "clap"), ("tom", "tom")])
def test_what_a_hit_lacks_is_told_for_its_own_role_where_none_is_asked(
    client: TestClient, state: dict, part: str, role: str
) -> None:
    address = f"/api/tracks/{state['id']}/revisions/{state['revision']}/hits/{part}/lacking"
    shown = client.get(address).json()
    assert shown["role"] == role == part_of(state["track"], part)["role"]
    assert role in shown["roles"]
    assert shown == client.get(address, params={"role": role}).json()
    other = client.get(address, params={"role": "hat"}).json()
    assert other["role"] == "hat"
    assert other["lacks"] != shown["lacks"]


def test_a_loop_is_taken_apart_as_one_step_that_is_said_and_undone(client: TestClient, state: dict, loop: str) -> None:
    body = order(state["edition"], "dissect", take=loop, name="Loop", bpm=BPM, gesture="g")
    answer = client.post(f"/api/tracks/{state['id']}/commands", json=body)
    assert answer.status_code == 200, answer.text
    now = answer.json()
    made = [one for one in now["track"]["parts"] if one["id"].startswith("loop-")]
    assert [one["name"] for one in made] == ["Loop kick", "Loop snare", "Loop hat"]
    assert now["undo_label"] == "Take Loop apart"
    assert sum("strokes" in one for one in now["said"]) == 3
    row = next(one for one in client.get("/api/takes").json() if one["id"] == loop)
    assert row["tracks"] == [state["track"]["name"]]
    back = client.post(f"/api/tracks/{state['id']}/undo", json={"edition": now["edition"], "revision": now["revision"]})
    assert back.json()["track"] == state["track"]


def test_two_sides_that_cancel_in_mono_are_said_and_found_all_the_same(client: TestClient, state: dict) -> None:
    sound, _ = made_loop("broken", BPM, 2)
    answer = sent(client, file_of(np.stack((sound, -0.98 * sound)), RATE, subtype="FLOAT"), name="Inside out.wav").json()
    assert answer["notes"] == ["its two sides cancel each other in mono: it is measured by its left one"]
    take = answer["id"]
    assert len(client.get(f"/api/takes/{take}/impacts").json()["found"]) >= 16
    assert client.get(f"/api/takes/{take}/strokes", params={"hint_bpm": BPM}).json()["counts"]["snare"] == 4
    assert client.get(f"/api/takes/{take}/pattern", params={"hint_bpm": BPM}).json()["pattern"]["refused"] is None
    made = post(client, state, take, "rework", row="snare", by="clap", share_pct=100, name="Snares out")
    assert made.status_code == 201, made.text
    assert client.post("/api/alternates", json={"name": "x", "takes": [take]}).status_code == 200

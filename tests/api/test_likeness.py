"""More like this and less like this: rolls of their own that come nearer or stay away, by this trial's own distance."""

from __future__ import annotations

import io
import itertools
import sqlite3
from pathlib import Path

import numpy as np
import pytest
import soundfile
from starlette.testclient import TestClient
from support import described, part_of
from test_tracks import client_on
from test_variations import client, roll, sheet_path, state

__all__ = ["client", "state"]
RATE, MOST_DB = 48000, 45.0


def bands_db(audio: np.ndarray) -> np.ndarray:
    """Third octaves from 25 Hz to 16 kHz, dB re all of them, no further down than 45 dB."""
    power, hz = np.abs(np.fft.rfft(audio)) ** 2, np.fft.rfftfreq(audio.size, 1 / RATE)
    edges = 1000 * 2 ** ((np.arange(-16, 14) - 0.5) / 3)
    energy = np.array([power[(hz >= low) & (hz < high)].sum() for low, high in itertools.pairwise(edges)])
    return np.maximum(-MOST_DB, 10 * np.log10(energy / energy.sum() + 1e-12))


def asked(path: str, row: dict) -> str:
    return f"{path}&like={row['number']}" if row["like_side"] else path


def sounds(client: TestClient, state: dict, row: dict) -> list[np.ndarray]:
    found = []
    for index in range(16):
        answer = client.get(asked(sheet_path(state, row, f"/{index}.wav"), row))
        assert answer.status_code == 200, answer.text
        found.append(soundfile.read(io.BytesIO(answer.content))[0])
    return [one if one.ndim == 1 else one.mean(axis=1) for one in found]


def apart_db(one: np.ndarray, other: np.ndarray) -> float:
    return float(np.sqrt(np.mean((bands_db(one) - bands_db(other)) ** 2)))


def sheet(client: TestClient, state: dict, row: dict) -> list[dict]:
    answer = client.get(asked(sheet_path(state, row), row))
    assert answer.status_code == 200, answer.text
    return answer.json()


@pytest.mark.parametrize("part", ["kick", "clap", "hat"])
def test_more_like_it_comes_nearer_and_less_like_it_stays_away(client: TestClient, state: dict, part: str) -> None:
    first = roll(client, state, part, amount_pct=60)
    plain, places = sounds(client, state, first), sheet(client, state, first)
    # One that is unlike the hit itself: more like it is not more like what was rolled.
    at = max(range(16), key=lambda index: places[index]["away_db"])
    liked = {"hit": places[at]["hit"], "name": f"Roll 1-{at + 1}", "roll": first["number"]}
    more = roll(client, state, part, amount_pct=60, like={**liked, "side": "more"})
    less = roll(client, state, part, amount_pct=60, like={**liked, "side": "less"})
    assert (more["like_side"], more["like_name"], more["amount_pct"]) == ("more", liked["name"], 30)
    assert (less["like_side"], less["amount_pct"]) == ("less", 60)
    usual = np.mean([apart_db(one, plain[at]) for index, one in enumerate(plain) if index != at])
    near = np.mean([apart_db(one, plain[at]) for one in sounds(client, state, more)])
    far = np.mean([apart_db(one, plain[at]) for one in sounds(client, state, less)])
    assert near < 0.75 * usual
    assert far > usual
    # Rolls all the same: unlike each other, and not what they set out from.
    assert len({str(place["hit"]) for place in sheet(client, state, more)}) == 16
    assert places[at]["hit"] not in [place["hit"] for place in sheet(client, state, more)]


def test_they_are_history_that_a_restart_keeps_and_the_hit_may_change_meanwhile(
    client: TestClient, state: dict, tmp_path: Path
) -> None:
    first = roll(client, state, amount_pct=50)
    liked = {"hit": sheet(client, state, first)[3]["hit"], "name": "Roll 1-4", "roll": 1}
    rows = [roll(client, state, amount_pct=50, like={**liked, "side": side}) for side in ("more", "less")]
    made = [sheet(client, state, row) for row in rows]
    # Less like one of the second: still around what that was rolled from.
    around = {"hit": made[0][2]["hit"], "name": "Roll 2-3", "roll": 2, "side": "less"}
    rows.append(roll(client, state, amount_pct=20, like=around))
    made.append(sheet(client, state, rows[-1]))
    assert all(one["hit"]["layers"] != made[1][0]["hit"]["layers"] for one in made[2])
    part_of(state["track"], "kick")["hit"]["layers"] = part_of(state["track"], "kick")["hit"]["layers"][:1]
    answer = client.post(f"/api/tracks/{state['id']}/commands", json=described(state["edition"], state["track"]))
    assert answer.status_code == 200
    again = client_on(tmp_path)
    found = again.get(f"/api/tracks/{state['id']}/hits/kick/rolls").json()
    assert [row["number"] for row in found] == [4, 3, 2, 1]
    assert [(row["like_side"], row["like_name"]) for row in found] == [
        ("less", "Roll 2-3"), ("less", "Roll 1-4"), ("more", "Roll 1-4"), (None, None),
    ]  # fmt: skip
    assert [sheet(again, state, row) for row in rows] == made


def test_locks_and_own_ranges_of_now_hold_for_what_is_rolled_from_it(client: TestClient, state: dict) -> None:
    first = roll(client, state, amount_pct=80)
    hit = sheet(client, state, first)[7]["hit"]
    body = part_of(state["track"], "kick")["hit"]["layers"][0]
    locked = f"{body['id']}/decay_ms"
    part_of(state["track"], "kick")["hit"]["locked"] = [locked]
    after = client.post(f"/api/tracks/{state['id']}/commands", json=described(state["edition"], state["track"])).json()
    more = roll(client, after, amount_pct=80, like={"side": "more", "hit": hit, "name": "Roll 1-8", "roll": 1})
    chosen = next(layer for layer in hit["layers"] if layer["id"] == body["id"])
    for place in sheet(client, after, more):
        assert (
            next(one for one in place["hit"]["layers"] if one["id"] == body["id"])["source"]["decay_ms"]
            == (chosen["source"]["decay_ms"])
        )
        assert place["hit"]["locked"] == [locked]


@pytest.mark.parametrize(("like", "status", "says"), [
    ({"side": "more", "name": "x"}, 422, "hit"),
    ({"side": "most", "name": "x", "hit": {}}, 422, "side"),
    ({"side": "more", "name": "", "hit": {}}, 422, "name"),
    ({"side": "more", "name": "x", "hit": {"layers": []}}, 422, "choose one that sounds"),
])  # fmt: skip
def test_what_is_like_nothing_is_refused_and_nothing_is_rolled(
    client: TestClient, state: dict, like: dict, status: int, says: str
) -> None:
    answer = client.post(f"/api/tracks/{state['id']}/hits/kick/rolls", json={"like": like})
    assert answer.status_code == status
    assert says in answer.text
    assert client.get(f"/api/tracks/{state['id']}/hits/kick/rolls").json() == []
    row = roll(client, state)
    assert client.get(f"{sheet_path(state, row)}&like={row['number']}").status_code == 404


def test_a_database_from_before_keeps_its_rolls(client: TestClient, state: dict, tmp_path: Path) -> None:
    row = roll(client, state, amount_pct=30)
    made = sheet(client, state, row)
    file = tmp_path / "t.sqlite3"
    with sqlite3.connect(file) as base:
        # As it was before rolls were like anything, and before takes were called anything else.
        base.execute("DROP TABLE take_label")
        for column in ("like_side", "like_name", "base", "unlike"):
            base.execute(f"ALTER TABLE roll DROP COLUMN {column}")
        base.execute("PRAGMA user_version = 6")
    again = client_on(tmp_path)
    assert again.get(f"/api/tracks/{state['id']}/hits/kick/rolls").json() == [row]
    assert sheet(again, state, row) == made
    more = roll(again, state, amount_pct=30, like={"side": "more", "hit": made[2]["hit"], "name": "Roll 1-3"})
    assert more["number"] == 2

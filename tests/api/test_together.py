"""Many at once: edits from several tabs, readers beside writers, one server's memory under a long track.

What is asked at the same time is answered as if it had been asked one after the other, and nothing that was acknowledged
is lost.
"""

from __future__ import annotations

import io
import json
import threading
import urllib.error
import urllib.request
from collections import Counter
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import soundfile
from support import Server, described, part_of

from juglant.core.model.track import Track
from juglant.services.tracks import Workspace
from juglant.store.errors import Stale

TABS, EDITS = 6, 25
# What the process of a server may take on sixteen bars of twelve hits and eight stems (1 GB), in KB as the system counts.
MOST_KB = 1024 * 1024
# Every step another hit; the whole is measured at the first and once more on the way.
LEVEL_STEPS, VIEW_EVERY = 9, 6
RATE = 48000


def bpm_edit(track: Track, bpm: float) -> Track:
    return track.model_copy(update={"sheet": track.sheet.model_copy(update={"bpm": bpm})})


@pytest.fixture
def store(tmp_path: Path) -> Workspace:
    found = Workspace(tmp_path / "t.sqlite3")
    found.prepare()
    return found


def test_edits_of_many_tabs_are_each_stored_once_or_refused(store: Workspace) -> None:
    track_id = store.create(Track(), label="New").id
    stored: list[tuple[int, float]] = []
    refused = Counter[int]()
    lock = threading.Lock()

    def tab(number: int) -> None:
        for turn in range(EDITS):
            bpm = 60.0 + number * EDITS + turn
            while True:
                now = store.state(track_id)
                try:
                    done = store.edit(track_id, now.edition, bpm_edit(now.track, bpm), label=f"{number}")
                except Stale:
                    with lock:
                        refused[number] += 1
                    continue
                with lock:
                    stored.append((done.revision, bpm))
                break

    threads = [threading.Thread(target=tab, args=(number,)) for number in range(TABS)]
    for one in threads:
        one.start()
    for one in threads:
        one.join()
    # Every edit has a revision of its own, in one unbroken row, and says what was meant.
    assert sorted(number for number, _ in stored) == list(range(2, TABS * EDITS + 2))
    for number, bpm in stored:
        assert store.track_at(track_id, number).sheet.bpm == bpm
    state = store.state(track_id)
    assert state.edition == state.revision == TABS * EDITS + 1
    # All the way back, one step each.
    for _ in range(TABS * EDITS):
        state = store.undo(track_id, state.edition)
    assert state.track == Track()
    assert state.undo_label is None


def test_one_movement_of_two_tabs_is_two_steps(store: Workspace) -> None:
    state = store.create(Track(), label="New")
    for bpm, gesture in ((121, "a"), (122, "a"), (123, "b"), (124, "b"), (125, "a")):
        state = store.edit(state.id, state.edition, bpm_edit(state.track, bpm), label="Tempo", gesture=gesture)
    seen = []
    while state.undo_label is not None:
        state = store.undo(state.id, state.edition)
        seen.append(state.track.sheet.bpm)
    assert seen == [124, 122, Track().sheet.bpm]
    while state.redo_label is not None:
        state = store.redo(state.id, state.edition)
    assert state.track.sheet.bpm == 125


def call(address: str, path: str, body: object = None, raw: bytes | None = None) -> Any:
    data = json.dumps(body).encode() if body is not None else raw
    kind = "application/json" if body is not None else "application/octet-stream"
    request = urllib.request.Request(f"{address}api/{path}", data=data, headers={"Content-Type": kind})  # noqa: S310
    with urllib.request.urlopen(request, timeout=300) as answer:  # noqa: S310
        found = answer.read()
    return json.loads(found) if answer.headers["Content-Type"].startswith("application/json") else found


def test_pictures_and_stems_asked_at_once_are_those_asked_one_by_one(one_server: Server, solved: Track) -> None:
    one_server.load(solved)
    address = one_server.address
    track_id = call(address, "tracks")[0]["id"]
    state = call(address, f"tracks/{track_id}")
    where = f"tracks/{track_id}/revisions/{state['revision']}"
    asked = [f"{where}/view", f"{where}/ducks", f"{where}/separate", f"{where}/ladder", f"{where}/line"]
    asked += [f"{where}/stems/{one['part']}/{one['state']}.wav" for one in state["stems"]]
    alone = {path: call(address, path) for path in asked}
    with ThreadPoolExecutor(8) as pool:
        again = list(pool.map(lambda path: (path, call(address, path)), asked * 2))
    for path, found in again:
        assert found == alone[path], path


def test_readers_see_whole_editions_while_others_write(one_server: Server, untouched: Track) -> None:
    one_server.load(untouched)
    address = one_server.address
    track_id = call(address, "tracks")[0]["id"]
    stop = threading.Event()
    wrong: list[str] = []

    def read() -> None:
        seen = 0
        while not stop.is_set():
            state = call(address, f"tracks/{track_id}")
            # Name and tempo are written together.
            if state["edition"] < seen or state["track"]["name"] != f"At {state['track']['sheet']['bpm']:g}":
                wrong.append(f"{seen} {state['edition']} {state['track']['name']}")
            seen = state["edition"]

    state = call(address, f"tracks/{track_id}")

    def write(bpm: int) -> dict:
        track = {**state["track"], "name": f"At {bpm}", "sheet": {**state["track"]["sheet"], "bpm": bpm}}
        found: dict = call(address, f"tracks/{track_id}/commands", described(state["edition"], track))
        return found

    state = write(100)
    threads = [threading.Thread(target=read) for _ in range(3)]
    for one in threads:
        one.start()
    for bpm in range(101, 131):
        state = write(bpm)
    stop.set()
    for one in threads:
        one.join()
    assert wrong == []


def long_track(address: str) -> dict:
    """Sixteen bars, twelve hits on every beat, eight stems of the rest of the track in two channels."""
    state = call(address, "tracks", {"start": "demo"})
    track, noise = state["track"], np.random.default_rng(0)
    track["sheet"]["bars"] = 16
    kit = [dict(one) for one in track["parts"][2:]]
    kit += [{**json.loads(json.dumps(kit[i % 4])), "id": f"more-{i}", "name": f"More {i}"} for i in range(12 - len(kit))]
    for one in kit:
        one["strokes"] = [{"at_beats": beat, "velocity": 100} for beat in range(64)]
    for number in range(8):
        out = io.BytesIO()
        audio = 0.05 * noise.standard_normal((RATE * 30, 2))
        soundfile.write(out, audio.astype(np.float32), RATE, format="WAV", subtype="FLOAT")
        take = call(address, f"takes?name=stem-{number}", raw=out.getvalue())["id"]
        layer = {"id": "t", "name": "T", "source": {"engine": "take", "take": take}}
        kit.append(
            {
                "id": f"stem-{number}", "name": f"Stem {number}", "role": "context", "gain_db": -20,
                "hit": {"layers": [layer], "velocity": {"rings": True}}, "strokes": [{"at_beats": 0, "velocity": 127}],
            }
        )  # fmt: skip
    body = described(state["edition"], {**track, "parts": [*track["parts"][:2], *kit]}, "Long")
    found: dict = call(address, f"tracks/{state['id']}/commands", body)
    return found


def test_a_long_track_under_many_steps_of_level_takes_no_more_than_it_may(make_server: Callable[..., Server]) -> None:
    server = make_server(solved=False)
    address = server.start()
    assert server.process is not None
    state = long_track(address)
    keys = {(one["part"], one["state"]): one["key"] for one in state["stems"]}
    for step in range(LEVEL_STEPS):
        track = state["track"]
        track["parts"][2 + step % 20]["gain_db"] = -10 - 0.5 * (step % 9)
        part_of(track, "kick")["gain_db"] = -6 - 0.5 * (step % 7)
        body = described(state["edition"], track, f"Level {step}")
        state = call(address, f"tracks/{state['id']}/commands", body)
        where = f"tracks/{state['id']}/revisions/{state['revision']}"
        for one in state["stems"]:
            # As the page does: what has another key is fetched anew.
            if keys.get((one["part"], one["state"])) != one["key"]:
                call(address, f"{where}/stems/{one['part']}/{one['state']}.wav")
        keys = {(one["part"], one["state"]): one["key"] for one in state["stems"]}
        if step % VIEW_EVERY == 0:
            call(address, f"{where}/view")
    text = Path(f"/proc/{server.process.pid}/status").read_text()
    peak_kb = int(next(line for line in text.splitlines() if line.startswith("VmHWM")).split()[1])
    assert peak_kb < MOST_KB


def test_what_is_asked_too_much_of_one_connection_is_refused_and_the_rest_goes_on(one_server: Server) -> None:
    address = one_server.address
    too_large = b"x" * 3_000_000
    with pytest.raises((urllib.error.HTTPError, OSError)) as refused:
        call(address, "tracks", raw=too_large)
    if isinstance(refused.value, urllib.error.HTTPError):
        refused.value.close()
        assert refused.value.code == 413
    assert isinstance(call(address, "tracks"), list)

"""Long work over the API of a running server: shared, told, stopped, left, and never in an edit's way."""

from __future__ import annotations

import http.client
import io
import json
import os
import signal
import threading
import time
import urllib.error
import urllib.request
import zipfile
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import Any
from urllib.parse import urlsplit

import numpy as np
import pytest
import soundfile
from starlette.testclient import TestClient
from support import Server, described, part_of

from juglant.api.app import make_app
from juglant.api.settings import Settings


def call(address: str, path: str, body: object = None, method: str | None = None, raw: bytes | None = None) -> Any:
    data = json.dumps(body).encode() if body is not None else raw
    kind = "application/json" if raw is None else "application/octet-stream"
    request = urllib.request.Request(  # noqa: S310
        f"{address}api/{path}", data=data, headers={"Content-Type": kind}, method=method
    )
    with urllib.request.urlopen(request, timeout=300) as answer:  # noqa: S310
        found = answer.read()
    is_json = found and answer.headers.get("Content-Type", "").startswith("application/json")
    return json.loads(found) if is_json else found


@contextmanager
def told(address: str) -> Iterator[list[list[dict]]]:
    """Everything that is told about jobs while this goes on."""
    seen: list[list[dict]] = []
    answer = urllib.request.urlopen(f"{address}api/jobs/events", timeout=300)  # noqa: S310

    def listen() -> None:
        try:
            for line in answer:
                if line.startswith(b"data: "):
                    seen.append(json.loads(line[6:]))
        except (OSError, ValueError, AttributeError, http.client.HTTPException):
            return

    threading.Thread(target=listen, daemon=True).start()
    yield seen
    # Nothing of it is left where the server has ended.
    with suppress(AttributeError, OSError):
        answer.fp.raw._sock.shutdown(2)  # type: ignore[attr-defined]


def until(true: Callable[[], object], seconds: float = 240) -> None:
    end = time.monotonic() + seconds
    while not true():
        assert time.monotonic() < end, "it did not come true in time"
        time.sleep(0.03)


def at_tempo(address: str, bpm: float) -> tuple[dict, str]:
    """The untouched demo at a tempo of its own, so that nothing is known of it yet; and where it is measured."""
    state = call(address, "tracks", {"start": "untouched"})
    track = {**state["track"], "sheet": {**state["track"]["sheet"], "bpm": bpm}}
    state = call(address, f"tracks/{state['id']}/commands", described(state["edition"], track))
    return state, f"tracks/{state['id']}/revisions/{state['revision']}"


def running(address: str) -> list[dict]:
    found: list[dict] = call(address, "jobs")
    return found


def test_eight_who_ask_for_the_same_share_one_job_and_are_told_how_far_it_is(one_server: Server) -> None:
    address = one_server.address
    _, where = at_tempo(address, 91)
    with told(address) as seen, ThreadPoolExecutor(8) as pool:
        asked = [pool.submit(call, address, f"{where}/proposals/owners") for _ in range(8)]
        answers = [one.result() for one in asked]
        until(lambda: seen and seen[-1] == [])
    assert all(one == answers[0] for one in answers)
    jobs = [job for jobs in seen for job in jobs]
    assert len({job["id"] for job in jobs}) == 1
    assert {job["title"] for job in jobs} == {"Weighing the owners of the sub"}
    steps = [job["done"] for job in jobs if job["of"] == 4]
    assert steps == sorted(steps)
    assert steps[-1] == 3
    # It is known now: asked again nothing is computed.
    call(address, f"{where}/proposals/owners")
    assert running(address) == []


def test_what_is_stopped_is_said_and_asked_again_it_is_done(one_server: Server) -> None:
    address = one_server.address
    _, where = at_tempo(address, 92)
    with ThreadPoolExecutor(1) as pool:
        asked = pool.submit(call, address, f"{where}/proposals/owners")
        until(lambda: running(address))
        call(address, f"jobs/{running(address)[0]['id']}", method="DELETE")
        with pytest.raises(urllib.error.HTTPError) as refused:
            asked.result()
    with refused.value as answer:
        said = json.loads(answer.read())
    assert (refused.value.code, said["type"], said["title"]) == (409, "juglant:stopped", "Stopped")
    assert "ask for it again" in said["detail"]
    assert len(call(address, f"{where}/proposals/owners")) == 4
    with pytest.raises(urllib.error.HTTPError) as unknown:
        call(address, "jobs/999999", method="DELETE")
    unknown.value.close()
    assert unknown.value.code == 404


def test_what_nobody_waits_for_any_more_is_given_up(one_server: Server) -> None:
    address = one_server.address
    _, where = at_tempo(address, 93)
    parts = urlsplit(address)
    connection = http.client.HTTPConnection(parts.hostname or "", parts.port)
    connection.request("GET", f"/api/{where}/proposals/owners")
    until(lambda: running(address))
    title = running(address)[0]["title"]
    connection.close()
    until(lambda: not running(address))
    assert title == "Weighing the owners of the sub"
    # It was given up and not finished: asked again it is computed.
    with ThreadPoolExecutor(1) as pool:
        asked = pool.submit(call, address, f"{where}/proposals/owners")
        until(lambda: running(address))
        assert len(asked.result()) == 4


def test_edits_are_stored_while_long_work_goes_on_and_what_it_finds_is_of_what_it_was_asked_for(
    one_server: Server,
) -> None:
    address = one_server.address
    state, where = at_tempo(address, 94)
    with ThreadPoolExecutor(1) as pool:
        asked = pool.submit(call, address, f"{where}/shares")
        until(lambda: running(address))
        for bpm in (95, 96, 97):
            track = {**state["track"], "sheet": {**state["track"]["sheet"], "bpm": bpm}}
            state = call(address, f"tracks/{state['id']}/commands", described(state["edition"], track))
        beside = asked.done()
        curve = asked.result()
    assert not beside
    assert state["track"]["sheet"]["bpm"] == 97
    assert call(address, f"{where}/shares") == curve


def test_a_recorded_sound_is_found_by_long_work_and_the_zip_is_the_same_as_made_here(
    one_server: Server, tmp_path: Path
) -> None:
    address, rate = one_server.address, 48000
    state, _ = at_tempo(address, 98)
    time_s, out = np.arange(rate // 2) / rate, io.BytesIO()
    soundfile.write(out, 0.7 * np.sin(2 * np.pi * 52 * time_s) * np.exp(-9 * time_s), rate, format="WAV", subtype="FLOAT")
    take = call(address, "takes?name=thump.wav", raw=out.getvalue())["id"]
    track = state["track"]
    part_of(track, "kick")["hit"]["layers"] = [{"id": "t", "name": "Thump", "source": {"engine": "take", "take": take}}]
    state = call(address, f"tracks/{state['id']}/commands", described(state["edition"], track))
    where = f"tracks/{state['id']}/revisions/{state['revision']}"
    there = call(address, f"{where}/proposals/ways")
    data = call(address, f"{where}/bundle.zip")
    here = TestClient(make_app(Settings(tmp_path / "t.sqlite3", page=None)), base_url="http://localhost")
    loaded = here.post("/api/tracks/load", content=data, headers={"Content-Type": "application/octet-stream"}).json()
    own = f"/api/tracks/{loaded['id']}/revisions/{loaded['revision']}"
    assert here.get(f"{own}/proposals/ways").json() == there
    assert here.get(f"{own}/bundle.zip").content == data
    with zipfile.ZipFile(io.BytesIO(data)) as archive:
        assert archive.testzip() is None
        assert f"takes/{take}.wav" in archive.namelist()


def workers_of(server: Server) -> list[int]:
    """The processes below a server's, by the system's own list."""
    assert server.process is not None
    parents: dict[int, int] = {}
    for status in Path("/proc").glob("[0-9]*/stat"):
        try:
            pid, rest = int(status.parent.name), status.read_text().rsplit(")", 1)[1].split()
        except (OSError, IndexError):
            continue
        # A process that has ended and is only waited for is none.
        if rest[0] != "Z":
            parents[pid] = int(rest[1])
    below, found = [server.process.pid], []
    while below:
        below = [pid for pid, parent in parents.items() if parent in below]
        found += below
    return found


@pytest.mark.parametrize("how", [signal.SIGINT, signal.SIGTERM, signal.SIGKILL])
def test_nothing_is_left_of_a_server_that_ends_while_it_works(how: int, make_server: Callable[..., Server]) -> None:
    server = make_server()
    address = server.start()
    assert server.process is not None
    _, where = at_tempo(address, 99)

    def ask() -> None:
        with_error = (OSError, urllib.error.URLError, http.client.HTTPException)
        try:
            call(address, f"{where}/proposals/owners")
        except with_error:
            return

    with told(address):
        threading.Thread(target=ask, daemon=True).start()
        until(lambda: any(not one["waits"] for one in running(address)))
        below = workers_of(server)
        assert below
        server.process.send_signal(how)
        # Somebody listens and work is under way: it ends all the same.
        server.process.wait(10)
    until(lambda: not any(_alive(pid) for pid in below))
    assert "Traceback" not in server.said()


def _alive(pid: int) -> bool:
    try:
        os.kill(pid, 0)
        return Path(f"/proc/{pid}/stat").read_text().rsplit(")", 1)[1].split()[0] != "Z"
    except OSError:
        return False


def test_two_applications_in_one_process_share_nothing(tmp_path: Path) -> None:
    one, other = (
        TestClient(make_app(Settings(tmp_path / f"{name}.sqlite3", page=None)), base_url="http://localhost")
        for name in ("one", "other")
    )
    out = io.BytesIO()
    soundfile.write(out, 0.5 * np.sin(np.arange(9600) / 40), 48000, format="WAV", subtype="FLOAT")
    headers = {"Content-Type": "application/octet-stream"}
    take = one.post("/api/takes?name=hum.wav", content=out.getvalue(), headers=headers).json()["id"]
    heard = f"/api/takes/{take}/sound.wav?sample_rate=48000"
    assert (one.get(heard).status_code, other.get(heard).status_code) == (200, 404)
    # A track that names it: rendered here, missed there, whoever asks first.
    state = other.post("/api/tracks", json={"start": "empty"}).json()
    track = state["track"]
    part_of(track, "kick")["hit"]["layers"] = [{"id": "t", "name": "Hum", "source": {"engine": "take", "take": take}}]
    part_of(track, "kick")["strokes"] = [{"at_beats": 0, "velocity": 127}]
    peaks = []
    for client in (other, one, other):
        state = client.post("/api/tracks", json={"start": "empty"}).json()
        body = described(state["edition"], track)
        state = client.post(f"/api/tracks/{state['id']}/commands", json=body).json()
        address = f"/api/tracks/{state['id']}/revisions/{state['revision']}/stems/kick/heard.wav"
        audio, _ = soundfile.read(io.BytesIO(client.get(address).content))
        peaks.append(float(np.abs(audio).max()))
    assert (peaks[0], peaks[2]) == (0, 0)
    assert peaks[1] > 0.1

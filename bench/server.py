"""What a running server answers while it works: renames, measured figures beside unmeasured ones; its workers' memory."""

from __future__ import annotations

import json
import subprocess
import sys
import tempfile
import threading
import time
import urllib.request
from pathlib import Path
from statistics import median
from typing import Any

from bench.line import Line

RENAMES, ASKED = 30, 200
ROOT = Path(__file__).resolve().parents[1]


def _call(address: str, path: str, body: object = None) -> Any:
    data = None if body is None else json.dumps(body).encode()
    request = urllib.request.Request(f"{address}api/{path}", data, {"Content-Type": "application/json"})  # noqa: S310
    with urllib.request.urlopen(request, timeout=300) as answer:  # noqa: S310
        return json.loads(answer.read())


def _first(address: str) -> str:
    """The first track, once the server answers."""
    while True:
        try:
            return str(_call(address, "tracks")[0]["id"])
        except OSError:
            time.sleep(0.05)


def _described(state: dict[str, Any], **changes: Any) -> dict[str, Any]:
    command = {"kind": "describe", "track": {**state["track"], **changes}, "label": "Bench"}
    return {"edition": state["edition"], "command": command, "fit": False}


def _rss_mb(pid: int) -> float:
    text = Path(f"/proc/{pid}/status").read_text()
    return int(next(line for line in text.splitlines() if line.startswith("VmRSS")).split()[1]) / 1024


def _below(pid: int) -> list[int]:
    """The processes that a process began, and those that they did."""
    # By thread: whichever of them began it.
    lists = [one.read_text().split() for one in Path(f"/proc/{pid}/task").glob("*/children")]
    found = [int(one) for words in lists for one in words]
    return found + [other for one in found for other in _below(one)]


def server_lines() -> list[Line]:
    """One server on the demo: renames, measured answers beside one that is not, a worker's memory; and all of it after."""
    with tempfile.TemporaryDirectory() as folder:
        command = [sys.executable, "-m", "juglant.cli", "demo", "--no-browser", "--port", "0", "--data", folder]
        with subprocess.Popen(command, stdout=subprocess.PIPE, text=True) as server:  # noqa: S603
            try:
                line = server.stdout.readline() if server.stdout else ""
                address = next(word for word in line.split() if word.startswith("http"))
                return _lines(address, server.pid)
            finally:
                server.terminate()


def _lines(address: str, pid: int) -> list[Line]:
    state = _call(address, f"tracks/{_first(address)}")
    where = f"tracks/{state['id']}/revisions"
    known = f"{where}/{state['revision']}/view"
    _call(address, known)
    renames = []
    for number in range(RENAMES):
        body = _described(state, name=f"Name {number}")
        began = time.perf_counter()
        state = _call(address, f"tracks/{state['id']}/commands", body)
        renames.append(1000 * (time.perf_counter() - began))
    quiet = _waits(address, known, None)
    beside: list[float] = []
    while len(beside) < ASKED:
        # Another tempo each time: nothing is known of it.
        sheet = {**state["track"]["sheet"], "bpm": state["track"]["sheet"]["bpm"] + 0.5}
        state = _call(address, f"tracks/{state['id']}/commands", _described(state, sheet=sheet))
        work = threading.Thread(target=_call, args=(address, f"{where}/{state['revision']}/view"))
        work.start()
        beside += _waits(address, known, work)
        work.join()
    waits = sorted(beside[:ASKED])
    _call(address, f"{where}/{state['revision']}/proposals/owners")
    workers = [_rss_mb(one) for one in _below(pid)]
    return [
        Line("a rename of the demo, over HTTP", median(renames), "ms", 10),
        Line("a measured view, nothing else asked", median(quiet), "ms"),
        Line("the same beside one that is not, median", median(waits), "ms"),
        Line("the same, 99 of 100", waits[int(0.99 * len(waits))], "ms", 20),
        Line("a worker's memory after owners were weighed", max(workers), "MB", 400),
        Line("the server's memory after all this", _rss_mb(pid), "MB", 1024),
    ]


def _waits(address: str, path: str, work: threading.Thread | None) -> list[float]:
    """How long an answer takes, ms, over and over: as long as the work goes on, or so often."""
    found: list[float] = []
    while len(found) < ASKED and (work is None or work.is_alive()):
        began = time.perf_counter()
        _call(address, path)
        found.append(1000 * (time.perf_counter() - began))
    return found

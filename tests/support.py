"""What tests share besides fixtures: a server process on a database of its own."""

from __future__ import annotations

import contextlib
import json
import os
import subprocess
import sys
import time
import urllib.request
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
from starlette.testclient import TestClient
from typer.testing import CliRunner

from juglant.core.model.hit import Hit, Layer
from juglant.core.model.strokes import Stroke
from juglant.core.model.track import Track, track_to_json
from juglant.core.synth.tail import Tail
from juglant.core.types import Samples

ROOT = Path(__file__).resolve().parents[1]


def tone(landing_hz: float, gain_db: float = 0.0) -> Hit:
    """A hit of one pitch."""
    source = Tail(landing_hz=landing_hz, attack_ms=2, hold_ms=150, decay_ms=200)
    return Hit(layers=(Layer(id="a", name="A", source=source, gain_db=gain_db),))


def same_sound(one: Samples, other: Samples, *, within: float = 0.0, share: float = 0.0) -> bool:
    """Whether two sounds of one shape differ by at most `within` plus a share of the other, sample for sample."""
    return one.shape == other.shape and bool(np.all(np.abs(one - other) <= within + share * np.abs(other)))


def sheet_with(track: Track, **changes: object) -> Track:
    """The track with another sheet."""
    return track.model_copy(update={"sheet": track.sheet.model_copy(update=changes)})


def part_of(document: dict[str, Any], part_id: str) -> dict[str, Any]:
    """One part of a track's description as JSON."""
    return next(one for one in document["parts"] if one["id"] == part_id)


def first_curve_of(document: dict[str, Any]) -> dict[str, Any]:
    """The first curve that the bass is ducked by, in a description as JSON."""
    curve: dict[str, Any] = part_of(document, "bass")["ducked"]["curves"][0]
    return curve


def version_one_of(track: Track) -> dict[str, Any]:
    """A track's description as version 1 wrote it."""
    document = track.model_dump(mode="json")
    trigger, parts = document.pop("trigger"), {one["id"]: one for one in document.pop("parts")}
    kick, bass = parts["kick"], parts["bass"]
    ducked = {name: dict(one["ducked"]) for name, one in parts.items()}
    ducked["bass"]["curves"] = ducked["bass"]["curves"][1:]
    targets = [{"part": name, **one} for name, one in ducked.items() if one["curves"] or one["follows"]]
    lines = [{"part": name, **one["level_line"]} for name, one in parts.items() if one["level_line"]]
    new = {"ducked", "level_line", "loop", "instrument", "notes", "chain", "steady"}
    plain = Stroke(at_beats=0, velocity=127).model_dump(mode="json")
    return document | {
        "version": 1,
        "kick": kick["hit"],
        "kick_at_beats": [one["at_beats"] for one in kick["strokes"]],
        "kick_strokes": [one for one in kick["strokes"] if one != plain | {"at_beats": one["at_beats"]}],
        "kick_loop": kick["loop"],
        "kit": [{name: one[name] for name in one.keys() - new} for one in parts.values() if one not in (kick, bass)],
        "bass": bass["instrument"],
        "bass_notes": bass["notes"],
        "bass_chain": bass["chain"],
        "steady": bass["steady"],
        "mix": {
            "kick_gain_db": kick["gain_db"], "bass_gain_db": bass["gain_db"], "bass_shift_ms": bass["shift_ms"],
            "bass_inverted": bass["inverted"], "kick_choke": kick["choke"], "bass_choke": bass["choke"],
        },
        "duck": bass["ducked"]["curves"][0],
        "ducking": {"trigger": trigger, "targets": targets},
        "level_lines": lines,
    }  # fmt: skip


@dataclass(frozen=True)
class Ran:
    """What a command did."""

    returncode: int
    stdout: str
    stderr: str


def juglant(*arguments: str, cwd: Path = ROOT) -> Ran:
    """A command of the command line, run here: a process of its own takes seconds to begin."""
    from juglant.cli import app

    with contextlib.chdir(cwd):
        done = CliRunner().invoke(app, list(arguments), catch_exceptions=False)
    return Ran(done.exit_code, done.stdout, done.stderr)


class Server:
    """A server process: start, kill without warning, start again on the same data."""

    def __init__(self, data: Path) -> None:
        self.data = data
        self.process: subprocess.Popen[str] | None = None
        self.address = ""
        self.errors = data

    def start(self, port: int = 0) -> str:
        command = [sys.executable, "-m", "juglant.cli", "demo", "--no-browser", "--data", str(self.data)]
        command += ["--port", str(port)]
        env = {**os.environ, "PYTHONPATH": str(ROOT / "src")}
        self.errors = self.data.with_name(f"{self.data.name}.stderr")
        with self.errors.open("w") as errors:
            self.process = subprocess.Popen(command, cwd=ROOT, env=env, stdout=subprocess.PIPE, stderr=errors, text=True)
        assert self.process.stdout is not None
        line = self.process.stdout.readline()
        self.address = next(word for word in line.split() if word.startswith("http"))
        for _ in range(200):
            try:
                urllib.request.urlopen(f"{self.address}api/tracks", timeout=60).read()  # noqa: S310
            except OSError:
                time.sleep(0.05)
            else:
                return self.address
        raise RuntimeError("the server did not answer")

    def said(self) -> str:
        """What it wrote to the terminal's second stream."""
        return self.errors.read_text()

    def load(self, track: Track) -> None:
        """Another track, which a new browser opens first."""
        request = urllib.request.Request(  # noqa: S310
            f"{self.address}api/tracks/load",
            data=track_to_json(track).encode(),
            headers={"Content-Type": "application/octet-stream"},
        )
        urllib.request.urlopen(request, timeout=60).read()  # noqa: S310

    def kill(self) -> None:
        """As a power cut would: no chance to say goodbye."""
        if self.process is not None:
            self.process.kill()
            self.process.wait()
            if self.process.stdout:
                self.process.stdout.close()
            self.process = None


def order(edition: int, kind: str, *, gesture: str | None = None, fit: bool = True, **fields: object) -> dict:
    """The body that has a command carried out."""
    return {"edition": edition, "command": {"kind": kind, **fields}, "gesture": gesture, "fit": fit}


def described(edition: int, track: dict, label: str = "Edit", gesture: str | None = None) -> dict:
    """The body that stores what the hand has set, as the page sends it."""
    return order(edition, "describe", gesture=gesture, fit=False, track=track, label=label)


def post(client: TestClient, state: dict, kind: str, expected: int = 200, **body: object) -> dict:
    """What a command, or a step back or forward, is answered; what the hand sets is sent as the page does."""
    address = f"/api/tracks/{state['id']}/"
    if kind in ("undo", "redo"):
        answer = client.post(address + kind, json={"edition": state["edition"]})
    else:
        asked = order(state["edition"], kind, fit=kind != "describe", **body)  # type: ignore[arg-type]
        answer = client.post(address + "commands", json=asked)
    assert answer.status_code == expected, answer.text[:500]
    found: dict = answer.json()
    return found


def stored_track(server: Server) -> dict:
    """The track that was opened last, as the server has it."""
    with urllib.request.urlopen(f"{server.address}api/tracks", timeout=30) as answer:  # noqa: S310
        track_id = json.load(answer)[0]["id"]
    with urllib.request.urlopen(f"{server.address}api/tracks/{track_id}", timeout=30) as answer:  # noqa: S310
        found: dict = json.load(answer)["track"]
        return found

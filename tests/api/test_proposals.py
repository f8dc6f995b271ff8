"""All that is proposed has one shape: listed with its costs, heard no louder than now, taken as one step, once."""

from __future__ import annotations

import io
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import pytest
import soundfile
from starlette.testclient import TestClient
from support import described, order

from juglant.api.app import make_app
from juglant.api.settings import Settings
from juglant.core.measure.level import loop_loudness
from juglant.core.memory import forget
from juglant.core.plans import proposals as service

KINDS = ("owners", "ways", "kick-ways", "orders", "returns", "evening")


@pytest.fixture
def client(tmp_path: Path) -> TestClient:
    return TestClient(make_app(Settings(tmp_path / "t.sqlite3", page=None)), base_url="http://localhost")


def begun(client: TestClient, kind: str) -> dict:
    """The untouched demo; where the kick's ways are asked for its sub is the bass's, where returns are it is ducked."""
    state = client.post("/api/tracks", json={"start": "demo" if kind == "returns" else "untouched"}).json()
    if kind == "kick-ways":
        state["track"]["sheet"]["owner"] = "bass"
        body = described(state["edition"], state["track"], "Bass owns")
        state = client.post(f"/api/tracks/{state['id']}/commands", json=body).json()
    return state


@pytest.mark.parametrize("kind", KINDS)
def test_each_is_listed_heard_and_taken_as_one_step(kind: str, client: TestClient) -> None:
    state = begun(client, kind)
    where = f"/api/tracks/{state['id']}/revisions/{state['revision']}"
    listed = client.get(f"{where}/proposals/{kind}").json()
    assert listed
    names = [one.get("id") or one["owner"] for one in listed]
    assert len(set(names)) == len(names)
    chosen = names[1] if kind == "owners" else names[0]
    answer = client.get(f"{where}/proposals/{kind}/{chosen}/loop.wav")
    assert answer.headers["content-type"] == "audio/wav"
    sound, rate = soundfile.read(io.BytesIO(answer.content))
    assert abs(sound).max() > 0.01
    assert loop_loudness(sound, sample_rate=rate) < 0
    taken = client.post(
        f"/api/tracks/{state['id']}/commands", json=order(state["edition"], "proposal", of=kind, id=chosen)
    ).json()
    assert taken["revision"] == state["revision"] + 1
    assert taken["track"] != state["track"]
    again = client.post(f"/api/tracks/{state['id']}/commands", json=order(state["edition"], "proposal", of=kind, id=chosen))
    assert again.status_code == 409
    back = client.post(f"/api/tracks/{state['id']}/undo", json={"edition": taken["edition"]}).json()
    assert back["track"] == state["track"]


def test_what_eight_ask_for_at_once_is_made_once(client: TestClient, monkeypatch: pytest.MonkeyPatch) -> None:
    state = begun(client, "ways")
    forget()
    made: list[str] = []
    real = service.MAKERS["ways"]
    monkeypatch.setitem(service.MAKERS, "ways", lambda track, part: made.append(part) or real(track, part))
    address = f"/api/tracks/{state['id']}/revisions/{state['revision']}/proposals/ways"
    with ThreadPoolExecutor(8) as pool:
        answers = [one.result().json() for one in [pool.submit(client.get, address) for _ in range(8)]]
    assert made == ["bass"]
    assert all(one == answers[0] for one in answers)


@pytest.mark.parametrize(
    ("address", "status"),
    [("proposals/nothing", 404), ("proposals/returns?part=gone", 404), ("proposals/returns?part=..%2F", 422)],
)
def test_a_kind_or_part_that_is_not_there_is_said(address: str, status: int, client: TestClient) -> None:
    state = begun(client, "ways")
    answer = client.get(f"/api/tracks/{state['id']}/revisions/{state['revision']}/{address}")
    assert answer.status_code == status

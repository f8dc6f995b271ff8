"""Bad requests: a clear message with the field, nothing lost, the server alive; and who may ask at all."""

from __future__ import annotations

import json
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest
import schemathesis
from hypothesis import HealthCheck, given, settings
from starlette.testclient import TestClient
from support import described, part_of

from juglant.api.app import make_api, make_app
from juglant.api.problems import STATUSES, status_of
from juglant.api.settings import Settings
from juglant.core.errors import JuglantError


@pytest.fixture
def client(tmp_path: Path) -> TestClient:
    app = make_app(Settings(tmp_path / "t.sqlite3", page=None, port=8126))
    return TestClient(app, base_url="http://127.0.0.1:8126", raise_server_exceptions=False)


@pytest.fixture
def state(client: TestClient) -> dict:
    return client.post("/api/tracks", json={"start": "untouched"}).json()


def _set(*path: Any, value: Any) -> Callable[[dict], None]:
    def change(body: dict) -> None:
        place = body
        for step in path[:-1]:
            place = place[step]
        place[path[-1]] = value

    return change


def _layers(body: dict) -> None:
    layer = part_of(body["track"], "kick")["hit"]["layers"][0]
    part_of(body["track"], "kick")["hit"]["layers"] = [{**layer, "id": f"l{i}"} for i in range(1000)]


EDITS = [
    ("tempo 0", _set("track", "sheet", "bpm", value=0), "track.sheet.bpm", "at least 40"),
    ("note 400", _set("track", "parts", 1, "notes", 0, "note", value=400), "track.parts.1.notes.0.note", "at most 72"),
    (
        "decay -1",
        _set("track", "parts", 0, "hit", "layers", 1, "source", "decay_ms", value=-1),
        "track.parts.0.hit.layers.1.source.sweep.decay_ms",
        "at least 5",
    ),
    ("1,000 layers", _layers, "track.parts.0.hit.layers", "16"),
    ("no label", _set("label", value=""), "label", ""),
    ("edition 0", _set("edition", value=0), "edition", "at least 1"),
    ("unknown key", _set("extra", value=1), "extra", ""),
    ("newer version", _set("track", "version", value=9), "track.version", ""),
    ("edition as text", _set("edition", value="x"), "edition", ""),
]


@pytest.mark.parametrize(("name", "change", "field", "says"), EDITS, ids=[case[0] for case in EDITS])
def test_a_bad_edit_names_the_field_and_changes_nothing(
    name: str, change: Callable[[dict], None], field: str, says: str, client: TestClient, state: dict
) -> None:
    body = {"edition": 1, "track": json.loads(json.dumps(state["track"])), "label": "Edit"}
    change(body)
    asked = described(body.pop("edition"), body.pop("track"), body.pop("label"))
    asked["command"] |= body
    answer = client.post(f"/api/tracks/{state['id']}/commands", json=asked)
    assert answer.status_code == 422
    assert answer.headers["content-type"] == "application/problem+json"
    problem = answer.json()
    assert any(one["field"] == field and says in one["message"] for one in problem["fields"]), problem["fields"]
    assert "nothing was changed" in problem["detail"]
    assert client.get(f"/api/tracks/{state['id']}").json() == state


@pytest.mark.parametrize(
    ("data", "says"),
    [
        (b"", "the file is empty"),
        (b"PK\x03\x04 damaged", "damaged"),
        (b'{"format": "juglant-track", "version": 9}', "newer"),
        (b"RIFF....WAVE", "not JSON"),
        (b'{"format": "juglant-track", "sheet": {"bpm": NaN}}', "bpm"),
    ],
)
def test_what_is_no_bundle_is_refused(data: bytes, says: str, client: TestClient) -> None:
    answer = client.post("/api/tracks/load", content=data, headers={"Content-Type": "application/octet-stream"})
    assert answer.status_code == 422
    assert says in json.dumps(answer.json())
    assert client.get("/api/tracks").json() == []


def test_a_zip_bomb_is_not_unpacked(client: TestClient) -> None:
    import io
    import zipfile

    bomb = io.BytesIO()
    with zipfile.ZipFile(bomb, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("track.json", b" " * 50_000_000)
    answer = client.post("/api/tracks/load", content=bomb.getvalue(), headers={"Content-Type": "application/octet-stream"})
    assert answer.status_code == 422
    assert "over 2 MB" in answer.json()["detail"]


@pytest.mark.parametrize("declared", [True, False])
def test_bodies_over_the_limit_are_refused(declared: bool, client: TestClient, state: dict) -> None:
    body = b'{"edition": 1, "label": "' + b"x" * 2_500_000 + b'"}'
    content = body if declared else iter([body[i : i + 100_000] for i in range(0, len(body), 100_000)])
    headers = {"Content-Type": "application/json"}
    answer = client.post(f"/api/tracks/{state['id']}/commands", content=content, headers=headers)
    assert answer.status_code == 413
    assert "at most 2 MB" in answer.json()["detail"]


FOREIGN = [
    ({"Host": "example.test"}, "foreign-host"),
    ({"Host": "127.0.0.1:9999"}, "foreign-host"),
    ({"Host": "127.0.0.1.example.test:8126"}, "foreign-host"),
    ({"Origin": "http://example.test"}, "foreign-origin"),
    ({"Origin": "null"}, "foreign-origin"),
    ({"Origin": "https://127.0.0.1:8126"}, "foreign-origin"),
    ({"Origin": "http://127.0.0.1:9999"}, "foreign-origin"),
    ({"Sec-Fetch-Site": "cross-site"}, "foreign-origin"),
]


@pytest.mark.parametrize(("headers", "code"), FOREIGN)
def test_only_this_machines_own_page_may_ask(headers: dict[str, str], code: str, client: TestClient) -> None:
    answer = client.get("/api/tracks", headers=headers)
    assert answer.status_code == 403
    assert answer.json()["type"] == f"juglant:{code}"


@pytest.mark.parametrize("headers", [{}, {"Origin": "http://127.0.0.1:8126"}, {"Sec-Fetch-Site": "same-origin"}])
def test_the_page_itself_may(headers: dict[str, str], client: TestClient) -> None:
    answer = client.get("/api/tracks", headers=headers)
    assert answer.status_code == 200
    policy = answer.headers["content-security-policy"]
    assert "default-src 'none'" in policy
    assert "unsafe" not in policy
    assert answer.headers["x-content-type-options"] == "nosniff"


@pytest.mark.parametrize(
    ("method", "path", "status"),
    [
        ("GET", "/api/nothing", 404),
        ("GET", "/api/tracks/0000000000000000", 404),
        ("GET", "/api/tracks/short", 422),
        ("DELETE", "/api/tracks", 405),
        ("GET", "/api/tracks/0000000000000000/revisions/1/stems/horn/heard.wav", 404),
        ("GET", "/api/tracks/0000000000000000/revisions/1/stems/HORN!/heard.wav", 422),
        ("GET", "/api/tracks/0000000000000000/revisions/1/stems/kick/louder.wav", 422),
        ("POST", "/elsewhere", 405),
        ("GET", "/../../etc/passwd", 404),
    ],
)
def test_every_error_has_one_shape(method: str, path: str, status: int, client: TestClient) -> None:
    answer = client.request(method, path)
    assert answer.status_code == status
    assert {"type", "title", "status", "detail", "instance"} <= answer.json().keys()


def _errors(kind: type[JuglantError]) -> list[type[JuglantError]]:
    return [kind, *(below for child in kind.__subclasses__() for below in _errors(child))]


def test_every_error_is_mapped() -> None:
    for kind in _errors(JuglantError):
        assert kind in STATUSES, kind
        assert 400 <= status_of(kind("x"))[0] < 600


# --- the API against its own schema, bounded ---

REQUESTS_AN_OPERATION, OPERATIONS = 8, 115


@pytest.fixture(scope="module")
def operations(tmp_path_factory: pytest.TempPathFactory) -> list[Any]:
    app = make_api(Settings(tmp_path_factory.mktemp("schema") / "t.sqlite3", page=None))
    schema = schemathesis.openapi.from_asgi("/api/openapi.json", app)
    return [found.ok() for found in schema.get_all_operations()]


def test_every_operation_is_asked(operations: list[Any]) -> None:
    assert len(operations) == OPERATIONS


@pytest.mark.parametrize("number", range(OPERATIONS))
def test_no_request_breaks_the_server(number: int, operations: list[Any]) -> None:
    bounds = settings(
        max_examples=REQUESTS_AN_OPERATION, deadline=None, derandomize=True, suppress_health_check=list(HealthCheck)
    )

    @bounds
    @given(case=operations[number].as_strategy())
    def ask(case: schemathesis.Case) -> None:
        case.headers["Host"] = "localhost"
        answer = case.call(timeout=60)
        assert answer.status_code < 500, answer.text
        if answer.status_code >= 400:
            assert {"type", "detail", "status"} <= answer.json().keys()

    ask()

"""What tests share: the demo, its measurements, a server on a database of its own."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from pathlib import Path

import numpy as np
import pytest
from support import Server

from juglant.api.settings import DATABASE_NAME
from juglant.core.analysis.analyse import Analysis, analyse
from juglant.core.model.track import Track
from juglant.core.synth.takes import NO_TAKE, TakeAudio, provide
from juglant.demo.track import solved_track, untouched_track
from juglant.services.tracks import Workspace

# The longest files begin first, so that two workers end together.
FIRST = (
    "test_separation",
    "test_path",
    "test_bench",
    "test_controls",
    "test_zones",
    "test_targets",
    "test_landing",
    "test_cli",
)
# Without these, and without the interface, the rest is over in a minute or so (./juglant test --quick).
LONG = (
    "cures", "bypass", "key", "zones", "targets", "unlike_tracks", "opening", "kick_yields", "landing",
    "landing_kinds", "landing_loose", "landing_steep", "room", "together", "bad_input", "carve", "sharing", "takes",
    "swaps", "variations", "limiter", "lying_files", "store", "ducks", "tracks", "loop_strokes", "duck_ways",
    "findings", "nothing_lost", "starts", "separate", "newly_ducked", "context", "chain", "kick_loop", "compressor",
    "engines", "proposals",
)  # fmt: skip


RATE = 44100


def _made_take(take: str) -> TakeAudio | None:
    """A falling tone in two channels under the id that a take has by default."""
    if take != NO_TAKE:
        return None
    time = np.arange(RATE) / RATE
    tone = 0.8 * np.sin(2 * np.pi * (55 * time + 2 * (1 - np.exp(-30 * time)))) * np.exp(-6 * time)
    return TakeAudio(np.stack((tone, 0.5 * tone)), RATE)


provide(_made_take)


def pytest_addoption(parser: pytest.Parser) -> None:
    parser.addoption("--quick", action="store_true", help="only what takes seconds, and nothing in the browser")


def pytest_ignore_collect(collection_path: Path, config: pytest.Config) -> bool | None:
    if not config.getoption("--quick"):
        return None
    name = collection_path.stem.removeprefix("test_")
    return True if collection_path.name == "browser" or name in LONG else None


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    items.sort(key=lambda item: FIRST.index(item.path.stem) if item.path.stem in FIRST else len(FIRST))


@pytest.fixture(scope="session")
def untouched() -> Track:
    return untouched_track()


@pytest.fixture(scope="session")
def solved() -> Track:
    return solved_track()


@pytest.fixture(scope="session")
def found(solved: Track) -> Analysis:
    return analyse(solved)


@pytest.fixture(scope="session")
def found_untouched(untouched: Track) -> Analysis:
    return analyse(untouched)


def made_server(data: Path, *, solved: bool = True) -> Server:
    """A server that is not started yet; solved: on the demo as it would make it, solved once for all tests of a process."""
    server = Server(data)
    if solved:
        data.mkdir(parents=True, exist_ok=True)
        store = Workspace(data / DATABASE_NAME)
        store.prepare()
        store.create(solved_track(), label="Demo track")
    return server


@pytest.fixture
def make_server(tmp_path: Path) -> Iterator[Callable[[], Server]]:
    made: list[Server] = []

    def make(*, solved: bool = True) -> Server:
        made.append(made_server(tmp_path / "data", solved=solved))
        return made[-1]

    yield make
    for server in made:
        server.kill()


@pytest.fixture(scope="session")
def one_server(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Server]:
    """One running server for all tests that do not end it."""
    server = made_server(tmp_path_factory.mktemp("server") / "data")
    server.start()
    yield server
    server.kill()

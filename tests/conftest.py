"""What tests share: the demo, its measurements, a server on a database of its own."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from pathlib import Path

import pytest
from support import Server

from juglant.api.settings import DATABASE_NAME
from juglant.core.mix.analyse import Analysis, analyse
from juglant.core.model.track import Track
from juglant.demo.track import solved_track, untouched_track
from juglant.services.tracks import Workspace


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


@pytest.fixture
def make_server(tmp_path: Path) -> Iterator[Callable[[], Server]]:
    made: list[Server] = []

    def make(*, solved: bool = True) -> Server:
        server = Server(tmp_path / "data")
        if solved:
            # The demo as the server itself would make it, solved once for all tests of this process.
            server.data.mkdir(parents=True, exist_ok=True)
            store = Workspace(server.data / DATABASE_NAME)
            store.prepare()
            store.create(solved_track(), label="Demo track")
        made.append(server)
        return server

    yield make
    for server in made:
        server.kill()

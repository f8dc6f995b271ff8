"""Runs the server on loopback: prints the address, opens the browser, makes the first track."""

from __future__ import annotations

import contextlib
import ctypes
import os
import socket
import sqlite3
import sys
import threading
import webbrowser
from collections.abc import Callable
from pathlib import Path
from types import FrameType
from typing import TYPE_CHECKING

import uvicorn
from filelock import Timeout
from starlette.types import ASGIApp

from juglant.api.guard import Guard
from juglant.api.settings import DATABASE_NAME, Settings, default_database
from juglant.api.site import Site, WhenReady
from juglant.core.errors import JuglantError
from juglant.store.database import may_write, migrate
from juglant.store.errors import Busy
from juglant.store.serving import forget_port, port_of, serving, write_port

if TYPE_CHECKING:
    from juglant.core.memory import RenderStore
    from juglant.services.tracks import Workspace

HOST = "127.0.0.1"
# Processes for long work.
MOST_WORKERS = 2
# The name of a setting in the C library (malloc.h).
M_ARENA_MAX = -8
# A locked database is waited for so often, each time as long as the database itself waits.
LOCK_ROUNDS = 3


def _bound(port: int) -> socket.socket:
    """A socket on loopback; another port where the wanted one is taken."""
    # The protocol is named: asyncio sends at once (no delay) only on sockets that say they are TCP, and an answer
    # in two parts would wait 40 ms for the acknowledgement of its first.
    found = socket.socket(socket.AF_INET, socket.SOCK_STREAM, socket.IPPROTO_TCP)
    found.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
    try:
        found.bind((HOST, port))
    except OSError:
        found.bind((HOST, 0))
        _say(f"port {port} is taken by another program, so Juglant takes port {found.getsockname()[1]}")
    return found


def _say(text: str) -> None:
    sys.stderr.write(f"juglant: {text}\n")
    sys.stderr.flush()


def _prepared(database: Path) -> None:
    """The database brought up to date; a lock is waited for. Raises the errors of the store."""
    for left in range(LOCK_ROUNDS, -1, -1):
        try:
            migrate(database)
            return
        except Busy:
            if not left:
                raise
            _say(f"{database} is in use by another program; trying again ({left} more)")


def _api(settings: Settings, *, demo: bool) -> ASGIApp:
    """The API with at least one track in it."""
    # Imported here: the page is served while the core is being imported.
    from juglant.api.app import make_api
    from juglant.core.memory import handed
    from juglant.services.tracks import Workspace, starting_track

    app = make_api(settings)
    store = Workspace(settings.database)
    with handed(app.state.renders):
        if not store.list_tracks() and may_write(settings.database):
            store.create(starting_track("demo" if demo else "empty"), label="Demo track" if demo else "New track")
    threading.Thread(target=_look_ahead, args=(store, app.state.renders), daemon=True).start()
    return app


def _look_ahead(store: Workspace, renders: RenderStore) -> None:
    """Measure the track that the page will ask for first, while it is being opened."""
    from juglant.core.errors import JuglantError
    from juglant.core.memory import handed
    from juglant.services.views import view_of

    with handed(renders), contextlib.suppress(JuglantError, OSError, sqlite3.Error):
        for track_id, _ in store.list_tracks()[:1]:
            view_of(store.state(track_id).track)


def serve_forever(*, port: int, folder: Path | None, demo: bool, open_browser: bool) -> int:
    """Serve until interrupted; 1 where that cannot be begun, which is said in one line.

    folder: where the database is, or None for the platform's data folder. Where it is served already, that one is opened.
    """
    _one_heap()
    database = folder.absolute() / DATABASE_NAME if folder else default_database(demo=demo)
    try:
        _prepared(database)
    except JuglantError as error:
        _say(str(error))
        return 1
    held = serving(database)
    if may_write(database):
        try:
            held.acquire()
        except Timeout:
            return _opened_instead(database, open_browser=open_browser)
    else:
        _say(f"{database} may only be read: nothing can be stored in it")
    try:
        return _served(database, port, demo=demo, open_browser=open_browser)
    finally:
        if held.is_locked:
            forget_port(database)
            held.release()


def _one_heap() -> None:
    """Where the C library can, all threads share one heap: each keeping what it freed for itself is a third more memory."""
    with contextlib.suppress(OSError, AttributeError, TypeError):
        ctypes.CDLL(None).mallopt(M_ARENA_MAX, 1)


def _opened_instead(database: Path, *, open_browser: bool) -> int:
    """Another process serves this data: say where, and open its page."""
    port = port_of(database)
    if port is None:
        _say(f"{database} is served by another process, which did not say where; stop that one first")
        return 1
    address = f"http://{HOST}:{port}/"
    sys.stdout.write(f"Juglant is at {address} already, on this data; that one is opened (port and options stay its own)\n")
    sys.stdout.flush()
    _open(address, open_browser)
    return 0


def _open(address: str, wanted: bool) -> None:
    if wanted:
        with contextlib.suppress(webbrowser.Error):
            webbrowser.open(address)


class _Server(uvicorn.Server):
    """A server that says when it is to end, before it waits for what is still being answered."""

    def __init__(self, config: uvicorn.Config, ends: Callable[[], None]) -> None:
        super().__init__(config)
        self._ends = ends

    def handle_exit(self, sig: int, frame: FrameType | None) -> None:
        """Called by the signals that end it."""
        self._ends()
        super().handle_exit(sig, frame)


def _ends(api: WhenReady) -> None:
    """Stop long work, and what is told as it happens."""
    app = api.made()
    if app is not None:
        state = app.state  # type: ignore[attr-defined]
        state.closing.set()
        if state.workers is not None:
            state.workers.close()


def _served(database: Path, port: int, *, demo: bool, open_browser: bool) -> int:
    listening = _bound(port)
    taken = listening.getsockname()[1]
    if may_write(database):
        write_port(database, taken)
    settings = Settings(database, port=taken, workers=max(1, min(MOST_WORKERS, os.cpu_count() or 1)))
    api = WhenReady(lambda: _api(settings, demo=demo))
    app = Guard(Site(api, settings.page), taken)
    server = _Server(uvicorn.Config(app, log_level="warning", server_header=False, date_header=False), lambda: _ends(api))
    address = f"http://{HOST}:{taken}/"
    sys.stdout.write(f"Juglant is at {address} (stop it with Ctrl+C); your tracks are in {database}\n")
    sys.stdout.flush()
    _open(address, open_browser)
    try:
        with contextlib.suppress(KeyboardInterrupt):
            server.run(sockets=[listening])
    finally:
        _ends(api)
    try:
        api.wait()
    except JuglantError as error:
        _say(str(error))
        return 1
    return 0

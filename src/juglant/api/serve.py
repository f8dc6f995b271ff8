"""Runs the server on loopback: prints the address, opens the browser, makes the first track."""

from __future__ import annotations

import contextlib
import socket
import sqlite3
import sys
import threading
import webbrowser
from pathlib import Path
from typing import TYPE_CHECKING

import uvicorn
from starlette.types import ASGIApp

from juglant.api.guard import Guard
from juglant.api.settings import DATABASE_NAME, Settings, default_database
from juglant.api.site import Site, WhenReady

if TYPE_CHECKING:
    from juglant.services.tracks import Workspace

HOST = "127.0.0.1"


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
    return found


def _api(settings: Settings, *, demo: bool) -> ASGIApp:
    """The API with at least one track in it."""
    # Imported here: the page is served while the core is being imported.
    from juglant.api.app import make_api
    from juglant.services.tracks import Workspace, starting_track

    app = make_api(settings)
    store = Workspace(settings.database)
    if not store.list_tracks():
        store.create(starting_track("demo" if demo else "empty"), label="Demo track" if demo else "New track")
    threading.Thread(target=_look_ahead, args=(store,), daemon=True).start()
    return app


def _look_ahead(store: Workspace) -> None:
    """Measure the track that the page will ask for first, while it is being opened."""
    from juglant.core.errors import JuglantError
    from juglant.services.looks import view_of

    with contextlib.suppress(JuglantError, OSError, sqlite3.Error):
        for track_id, _ in store.list_tracks()[:1]:
            view_of(store.state(track_id).track)


def serve_forever(*, port: int, folder: Path | None, demo: bool, open_browser: bool) -> None:
    """Serve until interrupted. folder: where the database is, or None for the platform's data folder."""
    database = folder / DATABASE_NAME if folder else default_database(demo=demo)
    listening = _bound(port)
    taken = listening.getsockname()[1]
    settings = Settings(database, port=taken)
    api = WhenReady(lambda: _api(settings, demo=demo))
    app = Guard(Site(api, settings.page), taken)
    server = uvicorn.Server(uvicorn.Config(app, log_level="warning", server_header=False, date_header=False))
    address = f"http://{HOST}:{taken}/"
    sys.stdout.write(f"Juglant is at {address} (stop it with Ctrl+C)\n")
    sys.stdout.flush()
    if open_browser:
        with contextlib.suppress(webbrowser.Error):
            webbrowser.open(address)
    with contextlib.suppress(KeyboardInterrupt):
        server.run(sockets=[listening])
    # A database that could not be opened is said on the terminal too.
    api.wait()

"""Runs the server on loopback: makes the first track, prints the address, opens the browser."""

from __future__ import annotations

import contextlib
import socket
import sys
import threading
import webbrowser
from pathlib import Path

import uvicorn

from juglant.api.app import make_app
from juglant.api.settings import DATABASE_NAME, Settings, default_database
from juglant.services.looks import view_of
from juglant.services.tracks import Workspace, starting_track

HOST = "127.0.0.1"


def _bound(port: int) -> socket.socket:
    """A listening socket on loopback; another port where the wanted one is taken."""
    found = socket.socket(socket.AF_INET, socket.SOCK_STREAM)
    found.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
    try:
        found.bind((HOST, port))
    except OSError:
        found.bind((HOST, 0))
    return found


def serve_forever(*, port: int, folder: Path | None, demo: bool, open_browser: bool) -> None:
    """Serve until interrupted. folder: where the database is, or None for the platform's data folder."""
    database = folder / DATABASE_NAME if folder else default_database(demo=demo)
    listening = _bound(port)
    address = f"http://{HOST}:{listening.getsockname()[1]}/"
    store = Workspace(database)
    app = make_app(Settings(database, port=listening.getsockname()[1]))
    if not store.list_tracks():
        store.create(starting_track("demo" if demo else "empty"), label="Demo track" if demo else "New track")
    server = uvicorn.Server(uvicorn.Config(app, log_level="warning", server_header=False, date_header=False))
    sys.stdout.write(f"Juglant is at {address} (stop it with Ctrl+C)\n")
    sys.stdout.flush()
    # The first view compiles and measures: have it ready before it is asked for.
    threading.Thread(target=_warm, args=(store,), daemon=True).start()
    if open_browser:
        with contextlib.suppress(webbrowser.Error):
            webbrowser.open(address)
    with contextlib.suppress(KeyboardInterrupt):
        server.run(sockets=[listening])


def _warm(store: Workspace) -> None:
    first = store.list_tracks()[0][0]
    view_of(store.state(first).track)

"""The page's files, and the API as soon as it is ready: importing the core takes longer than showing the page."""

from __future__ import annotations

import asyncio
import threading
from collections.abc import Callable
from pathlib import Path

from starlette.requests import Request
from starlette.responses import FileResponse
from starlette.staticfiles import StaticFiles
from starlette.types import ASGIApp, Receive, Scope, Send

from juglant.api.problems import problem
from juglant.core.errors import JuglantError

API = "/api/"


class WhenReady:
    """An application that is made in a thread; requests wait for it."""

    def __init__(self, make: Callable[[], ASGIApp]) -> None:
        self._make = make
        self._app: ASGIApp | None = None
        self._error: BaseException | None = None
        self._done = threading.Event()
        threading.Thread(target=self._run, daemon=True).start()

    def _run(self) -> None:
        try:
            self._app = self._make()
        except BaseException as error:
            self._error = error
        self._done.set()

    def wait(self) -> None:
        """Wait until the application is made; raises what went wrong."""
        self._done.wait()
        if self._error is not None:
            raise self._error

    def made(self) -> ASGIApp | None:
        """The application, where it is made by now."""
        return self._app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if not self._done.is_set():
            await asyncio.to_thread(self._done.wait)
        if self._app is None:
            path = str(scope["path"])
            said = self._error if isinstance(self._error, JuglantError) else "the terminal has the reason"
            failed = problem(503, "not-started", f"The server could not start: {said}", path)
            await failed(scope, receive, send)
            return
        await self._app(scope, receive, send)


class Site:
    """API below /api, the built page elsewhere; the page's own addresses (/tune, /duck) all open the page."""

    def __init__(self, api: ASGIApp, page: Path | None) -> None:
        self.api = api
        self.page = page if page is not None and (page / "index.html").is_file() else None
        self.files = StaticFiles(directory=self.page) if self.page else None

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            return
        path = str(scope["path"])
        if path.startswith(API):
            await self.api(scope, receive, send)
            return
        await self._page(Request(scope), path)(scope, receive, send)

    def _page(self, request: Request, path: str) -> ASGIApp:
        if request.method not in {"GET", "HEAD"}:
            return problem(405, "http", "only pages are here", path)
        if self.page is None or self.files is None:
            return problem(404, "not-found", "the interface is not built: run ./juglant demo", path)
        name = path[1:]
        if any(part.startswith(".") for part in name.split("/")) or not name.isprintable():
            # Marks of the build, and names that are none.
            return problem(404, "not-found", "there is nothing at this address", path)
        if path.startswith("/assets/") or ("/" not in name and name and (self.page / name).is_file()):
            return self._known(path)
        return FileResponse(self.page / "index.html", headers={"Cache-Control": "no-cache"})

    def _known(self, path: str) -> ASGIApp:
        found, stat = self.files.lookup_path(path.lstrip("/")) if self.files else ("", None)
        if stat is None or not Path(found).is_file():
            return problem(404, "not-found", "there is nothing at this address", path)
        kept = "public, max-age=31536000, immutable" if path.startswith("/assets/") else "no-cache"
        return FileResponse(found, headers={"Cache-Control": kept})

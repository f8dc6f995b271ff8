"""What is handed down with every request: the application's own memory, and whether whoever asked is still there."""

from __future__ import annotations

import asyncio
import threading
from contextlib import suppress

from starlette.types import ASGIApp, Message, Receive, Scope, Send

from juglant.core.memory import RenderStore, handed
from juglant.jobs.workers import gone


class Handed:
    """Hands one store to everything that answers; threads that answer take the context along."""

    def __init__(self, app: ASGIApp, store: RenderStore) -> None:
        self._app, self._store = app, store

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Answer with the store in hand."""
        with handed(self._store):
            if scope["type"] == "http" and scope["method"] == "GET":
                await self._watched(scope, receive, send)
            else:
                await self._app(scope, receive, send)

    async def _watched(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Answer a question, and say so where nobody waits for it any more: long work is then stopped."""
        left, messages = threading.Event(), asyncio.Queue[Message]()

        async def watch() -> None:
            while not left.is_set():
                message = await receive()
                if message["type"] == "http.disconnect":
                    left.set()
                await messages.put(message)

        watching, token = asyncio.ensure_future(watch()), gone.set(left)
        try:
            await self._app(scope, messages.get, send)
        finally:
            gone.reset(token)
            watching.cancel()
            with suppress(asyncio.CancelledError):
                await watching

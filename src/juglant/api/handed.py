"""The application's own memory, handed down with every request."""

from __future__ import annotations

from starlette.types import ASGIApp, Receive, Scope, Send

from juglant.core.memory import RenderStore, handed


class Handed:
    """Hands one store to everything that answers; threads that answer take the context along."""

    def __init__(self, app: ASGIApp, store: RenderStore) -> None:
        self._app, self._store = app, store

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Answer with the store in hand."""
        with handed(self._store):
            await self._app(scope, receive, send)

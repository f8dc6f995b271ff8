"""What stands before every request: who may ask, how much, and what a page may load."""

from __future__ import annotations

from starlette.datastructures import Headers, MutableHeaders
from starlette.responses import Response
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from juglant.api.problems import broken, problem

LARGEST_BODY_BYTES = 2_000_000
# A bundle holds the stems of eight slow bars at the highest rate; a file of which a part is taken may be as long as a set.
LARGEST_FILE_BYTES = 400_000_000
FILE_PATHS = {"/api/tracks/load", "/api/takes", "/api/recordings/file", "/api/key", "/api/key/heard"}
LOOPBACK = {"localhost", "127.0.0.1", "[::1]"}
POLICY = (
    "default-src 'none'; script-src 'self'; style-src 'self'; font-src 'self'; img-src 'self' data:; "
    "connect-src 'self'; media-src 'self' blob:; worker-src 'self'; manifest-src 'self'; base-uri 'none'; "
    "form-action 'none'; frame-ancestors 'none'"
)
HEADERS = {
    "Content-Security-Policy": POLICY,
    "X-Content-Type-Options": "nosniff",
    "Referrer-Policy": "no-referrer",
    "Cross-Origin-Opener-Policy": "same-origin",
    "Cross-Origin-Resource-Policy": "same-origin",
}


def _host_of(value: str) -> tuple[str, str]:
    """Name and port of a Host value."""
    name, _, port = value.rpartition(":") if value.rsplit("]", 1)[-1].count(":") else (value, "", "")
    return (name or value).lower(), port


class Guard:
    """Refuses foreign hosts, foreign origins and oversized bodies; adds the security headers to every answer."""

    def __init__(self, app: ASGIApp, port: int | None) -> None:
        self.app, self.port = app, port

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return

        received, started, ended, path = 0, False, False, str(scope["path"])

        async def send_with_headers(message: Message) -> None:
            nonlocal started, ended
            if message["type"] == "http.response.body":
                ended = not message.get("more_body", False)
            if message["type"] == "http.response.start":
                started = True
                headers = MutableHeaders(scope=message)
                for name, value in HEADERS.items():
                    headers[name] = value
            await send(message)

        refusal = self._refusal(Headers(scope=scope), path)
        if refusal is not None:
            await refusal(scope, receive, send_with_headers)
            return

        async def receive_limited() -> Message:
            nonlocal received
            message = await receive()
            received += len(message.get("body", b""))
            if received > most_bytes(path):
                raise BodyTooLarge
            return message

        async def send_unless_too_large(message: Message) -> None:
            # The framework answers a broken body in its own words: what it says is dropped.
            if received <= most_bytes(path):
                await send_with_headers(message)

        try:
            await self.app(scope, receive_limited, send_unless_too_large)
        except BodyTooLarge:
            pass
        except Exception as error:
            # An answer that was given in full is an answer: the error in it is told and logged, and the connection goes on.
            if started and not ended:
                raise
            if not started:
                await broken(path, error)(scope, receive, send_with_headers)
        if received > most_bytes(path) and not started:
            await _too_large(path)(scope, receive, send_with_headers)

    def _refusal(self, headers: Headers, path: str) -> Response | None:
        name, port = _host_of(headers.get("host", ""))
        ports = {"", str(self.port)} if self.port else None
        if name not in LOOPBACK or (ports is not None and port not in ports):
            return problem(403, "foreign-host", "This server answers only to this machine's own address.", path)
        origin = headers.get("origin")
        if origin is not None:
            scheme, _, rest = origin.partition("://")
            if scheme != "http" or _host_of(rest) != (name, port):
                return problem(403, "foreign-origin", "Another site's page may not use this server.", path)
        if headers.get("sec-fetch-site", "none") not in {"none", "same-origin"}:
            return problem(403, "foreign-origin", "Another site's page may not use this server.", path)
        length = headers.get("content-length", "0")
        if not length.isdigit() or int(length) > most_bytes(path):
            return _too_large(path)
        return None


def most_bytes(path: str) -> int:
    """Largest body taken at an address."""
    return LARGEST_FILE_BYTES if path in FILE_PATHS else LARGEST_BODY_BYTES


class BodyTooLarge(Exception):
    """More bytes came than are taken."""


def _too_large(path: str) -> Response:
    most = most_bytes(path) // 1_000_000
    return problem(413, "too-large", f"The request is too large: at most {most} MB are taken; nothing was changed.", path)

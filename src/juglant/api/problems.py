"""Errors as problem details (RFC 9457): one shape, one table from error to status and code."""

from __future__ import annotations

import logging
import re
import secrets
from typing import Any

from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from pydantic import BaseModel
from starlette.exceptions import HTTPException
from starlette.responses import JSONResponse, Response

from juglant.core.errors import (
    Abandoned,
    InvalidAudio,
    InvalidMidi,
    InvalidTrack,
    JuglantError,
    MissingSound,
    NoSuchPart,
    Stopped,
    TakeTooLong,
    TooManyChannels,
)
from juglant.store.errors import (
    Busy,
    Damaged,
    NameTaken,
    NewerDatabase,
    NoRoom,
    NotFound,
    NothingThere,
    ReadOnly,
    Stale,
    StillUsed,
    StoreError,
    Unopenable,
)

log = logging.getLogger("juglant")
MOST_FIELDS = 20

# The nearest class of an error's ancestors decides.
STATUSES: dict[type[JuglantError], tuple[int, str]] = {
    JuglantError: (400, "refused"),
    InvalidAudio: (422, "invalid-audio"),
    TakeTooLong: (422, "take-too-long"),
    TooManyChannels: (422, "too-many-channels"),
    InvalidMidi: (422, "invalid-midi"),
    InvalidTrack: (422, "invalid-track"),
    MissingSound: (422, "missing-sound"),
    NoSuchPart: (404, "no-such-part"),
    Stopped: (409, "stopped"),
    Abandoned: (409, "stopped"),
    NotFound: (404, "not-found"),
    Stale: (409, "stale"),
    NameTaken: (409, "name-taken"),
    NothingThere: (409, "nothing-there"),
    StillUsed: (409, "still-used"),
    StoreError: (500, "store"),
    NewerDatabase: (500, "newer-database"),
    Busy: (503, "busy"),
    NoRoom: (507, "no-room"),
    ReadOnly: (507, "read-only"),
    Damaged: (500, "damaged"),
    Unopenable: (503, "unopenable"),
}

# Within a command a field goes by its own name, whatever kind of command it is in.
COMMAND = re.compile(r"^command\.[a-z-]+\.")


class FieldProblem(BaseModel):
    """One field that is wrong, and what it may be."""

    field: str
    message: str


class Problem(BaseModel):
    """The body of every error."""

    type: str
    title: str
    status: int
    detail: str
    instance: str
    fields: list[FieldProblem] = []


TITLES = {
    400: "Refused", 403: "Not allowed", 404: "Not found", 405: "Not allowed here", 409: "Changed meanwhile",
    413: "Too large", 422: "Not valid", 500: "Something broke", 503: "Busy", 507: "Cannot be stored",
}  # fmt: skip
# Where the status alone would say something else.
TITLES_BY_CODE = {"stopped": "Stopped"}


def problem(
    status: int,
    code: str,
    detail: str,
    instance: str,
    fields: list[dict[str, str]] | None = None,
    more: dict[str, Any] | None = None,
) -> Response:
    """An error response; more: members beside those that every error has."""
    body = Problem(
        type=f"juglant:{code}",
        title=TITLES_BY_CODE.get(code) or TITLES.get(status, "Refused"),
        status=status,
        detail=detail,
        instance=instance,
        fields=[FieldProblem(**field) for field in (fields or [])[:MOST_FIELDS]],
    )
    return JSONResponse(body.model_dump() | (more or {}), status, media_type="application/problem+json")


def status_of(error: JuglantError) -> tuple[int, str]:
    """Status and code of an error."""
    return next(STATUSES[kind] for kind in type(error).__mro__ if kind in STATUSES)


def _domain(request: Request, error: Exception) -> Response:
    assert isinstance(error, JuglantError)  # noqa: S101 (registered for this class alone)
    status, code = status_of(error)
    return problem(status, code, str(error), request.url.path, getattr(error, "fields", None))


def _invalid(request: Request, error: Exception) -> Response:
    assert isinstance(error, RequestValidationError)  # noqa: S101
    found = [_field(item) for item in error.errors()]
    first = f"{found[0]['field']}: {found[0]['message']}" if found else "the request is not valid"
    more = f" (and {len(found) - 1} more)" if len(found) > 1 else ""
    return problem(422, "invalid-request", f"{first}{more}; nothing was changed", request.url.path, found)


def _field(item: dict[str, Any]) -> dict[str, str]:
    # Imported here: the models bring the whole core, and the page need not wait for it.
    from juglant.core.model.track import problem_of

    described = problem_of(item)
    field = COMMAND.sub("", described["field"].removeprefix("body.").removeprefix("query.").removeprefix("path."))
    return {"field": field, "message": described["message"]}


def _http(request: Request, error: Exception) -> Response:
    assert isinstance(error, HTTPException)  # noqa: S101
    detail = "there is nothing at this address" if error.status_code == 404 else str(error.detail)
    answer = problem(error.status_code, "http", detail, request.url.path)
    for name, value in (error.headers or {}).items():
        answer.headers[name] = value
    return answer


def _broken(request: Request, error: Exception) -> Response:
    return broken(request.url.path, error)


def broken(path: str, error: Exception) -> Response:
    """The answer where something inside broke; the log has the rest."""
    mark = secrets.token_hex(4)
    log.error("error %s at %s", mark, path, exc_info=error)
    detail = f"An error inside the server; nothing that was saved is lost. Its log has the rest under {mark}."
    return problem(500, "internal", detail, path)


def install(app: FastAPI) -> None:
    """Every error of an application in one shape."""
    app.add_exception_handler(JuglantError, _domain)
    app.add_exception_handler(RequestValidationError, _invalid)
    app.add_exception_handler(HTTPException, _http)
    app.add_exception_handler(Exception, _broken)

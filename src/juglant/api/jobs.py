"""Long work: what runs, how far it is, and stopping it."""

from __future__ import annotations

import asyncio
import json
import threading
from collections.abc import AsyncIterator
from typing import Annotated

from fastapi import APIRouter, Path, Request
from fastapi.responses import StreamingResponse
from pydantic import BaseModel

from juglant.api.tracks import ERRORS
from juglant.jobs.workers import Workers
from juglant.store.errors import NotFound

router = APIRouter(prefix="/api/jobs", responses=ERRORS)
# How often it is looked for news, and how often a line is sent where there is none.
LOOK_S, ALIVE_S = 0.15, 10.0


class RunningJob(BaseModel):
    """One piece of long work; done of `of` steps, 0 where that is not known yet; waits: it has not begun."""

    id: int
    title: str
    done: int
    of: int
    waits: bool


def _running(workers: Workers | None) -> list[RunningJob]:
    found = workers.jobs() if workers else []
    return [RunningJob(id=one.id, title=one.title, done=one.done, of=one.of, waits=one.waits) for one in found]


@router.get("")
def list_jobs(request: Request) -> list[RunningJob]:
    """What runs or waits."""
    return _running(request.app.state.workers)


# It never ends, and a description of the API has no word for that.
@router.get("/events", include_in_schema=False)
async def job_events(request: Request) -> StreamingResponse:
    """The same whenever it changes, as server-sent events."""
    state = request.app.state
    return StreamingResponse(_events(state.workers, state.closing), media_type="text/event-stream")


async def _events(workers: Workers | None, closing: threading.Event) -> AsyncIterator[str]:
    seen, quiet_s = -1, 0.0
    while not closing.is_set():
        now = workers.changes if workers else 0
        if now != seen:
            seen, quiet_s = now, 0.0
            yield f"data: {json.dumps([one.model_dump() for one in _running(workers)])}\n\n"
        elif quiet_s >= ALIVE_S:
            quiet_s = 0.0
            yield ": nothing new\n\n"
        await asyncio.sleep(LOOK_S)
        quiet_s += LOOK_S


@router.delete("/{job_id}", status_code=204)
def stop_job(job_id: Annotated[int, Path(ge=1, le=2**53)], request: Request) -> None:
    """Stop one; whoever waits for it is told so. What it would have found can be asked for again."""
    workers: Workers | None = request.app.state.workers
    if workers is None or not workers.stop(job_id):
        raise NotFound("this is not being computed any more")

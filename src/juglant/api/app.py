"""The application, made from settings."""

from __future__ import annotations

import threading

from fastapi import FastAPI
from starlette.types import ASGIApp

from juglant.api import (
    bypass,
    chains,
    data,
    ducks,
    groups,
    hits,
    jobs,
    lines,
    parameters,
    problems,
    proposals,
    recorder,
    recordings,
    reworks,
    room,
    roots,
    separate,
    takes,
    tracks,
    tuning,
    variations,
)
from juglant.api.guard import Guard
from juglant.api.handed import Handed
from juglant.api.settings import Settings
from juglant.api.site import Site
from juglant.core.memory import MOST_BYTES, RenderStore, handed
from juglant.jobs.workers import Workers
from juglant.services.takes import Shelf, provide_from
from juglant.services.tracks import Workspace
from juglant.store.errors import Stale


def make_api(settings: Settings) -> FastAPI:
    """The API over one database; brings the database up to date first."""
    store, renders = Workspace(settings.database), RenderStore(settings.remembered_bytes or MOST_BYTES)
    store.prepare()
    with handed(renders):
        provide_from(Shelf(settings.database))
    app = FastAPI(
        separate_input_output_schemas=False,
        title="Juglant",
        version="1",
        docs_url=None,
        redoc_url=None,
        openapi_url="/api/openapi.json",
    )
    app.state.workspace, app.state.renders = store, renders
    # Set where the server ends: what is told as it happens is told no longer.
    app.state.workers, app.state.closing = None, threading.Event()
    if settings.workers:
        workers = Workers("juglant.services.takes:provide_database", str(settings.database), most=settings.workers)
        app.state.workers, renders.runner = workers, workers.run
    app.add_middleware(Handed, store=renders)
    problems.install(app)
    app.add_exception_handler(Stale, tracks.stale)
    app.include_router(tracks.router)
    app.include_router(hits.router)
    app.include_router(hits.live)
    app.include_router(chains.router)
    app.include_router(groups.router)
    app.include_router(roots.router)
    app.include_router(lines.router)
    app.include_router(variations.router)
    app.include_router(takes.router)
    app.include_router(reworks.router)
    app.include_router(recorder.router)
    app.include_router(recordings.router)
    app.include_router(bypass.router)
    app.include_router(data.router)
    app.include_router(separate.router)
    app.include_router(proposals.router)
    app.include_router(room.router)
    app.include_router(ducks.router)
    app.include_router(tuning.router)
    app.include_router(parameters.router)
    app.include_router(jobs.router)
    return app


def make_app(settings: Settings) -> ASGIApp:
    """The API and the built page behind the guard."""
    return Guard(Site(make_api(settings), settings.page), settings.port)

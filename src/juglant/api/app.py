"""The application, made from settings."""

from __future__ import annotations

from fastapi import FastAPI
from starlette.responses import FileResponse, Response
from starlette.staticfiles import StaticFiles

from juglant.api import parameters, problems, tracks
from juglant.api.guard import Guard
from juglant.api.settings import Settings
from juglant.services.tracks import Workspace


def make_app(settings: Settings) -> FastAPI:
    """The API and the built page over one database; brings the database up to date first."""
    store = Workspace(settings.database)
    store.prepare()
    app = FastAPI(title="Juglant", version="1", docs_url=None, redoc_url=None, openapi_url="/api/openapi.json")
    app.state.workspace = store
    problems.install(app)
    app.include_router(tracks.router)
    app.include_router(parameters.router)
    app.add_middleware(Guard, port=settings.port)
    page = settings.page
    if page is not None and (page / "index.html").is_file():
        app.mount("/assets", StaticFiles(directory=page / "assets"), name="assets")

        # The page's own addresses (/tune, /duck) all open the page.
        @app.get("/{path:path}", include_in_schema=False)
        def open_page(path: str) -> Response:
            wanted = page / path
            plain = path and "/" not in path and "\\" not in path and wanted.is_file()
            if path.startswith("api/"):
                return problems.problem(404, "not-found", "there is nothing at this address", f"/{path}")
            return FileResponse(wanted if plain else page / "index.html", headers={"Cache-Control": "no-cache"})

    return app

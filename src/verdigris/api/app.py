"""The application: API, and the built web client."""

from pathlib import Path
from typing import Any

from fastapi import FastAPI
from fastapi.responses import FileResponse
from starlette.staticfiles import StaticFiles

from verdigris import __version__
from verdigris.api import (
    advice,
    bin,
    comparing,
    drawing,
    events,
    grades,
    jobs,
    match,
    mattes,
    media,
    projects,
    shots,
    slots,
    surfaces,
    takes,
    uploads,
)
from verdigris.api.context import settings
from verdigris.api.guard import LoopbackOnly, SafeAnswers, SmallBodies
from verdigris.api.problems import install_problem_handlers, problem
from verdigris.shot.model.document import Shot

LARGEST_CHANGE = 4 * 2**20
DIST = Path(__file__).resolve().parents[3] / "web" / "dist"


def create_app() -> FastAPI:
    """Build the application."""
    app = FastAPI(
        title="Verdigris", version=__version__, lifespan=events.listening, docs_url=None, redoc_url=None,
        openapi_url="/api/openapi.json", generate_unique_id_function=lambda route: route.name,
    )  # fmt: skip
    install_problem_handlers(app)
    for module in (
        projects,
        slots,
        shots,
        surfaces,
        mattes,
        match,
        comparing,
        grades,
        drawing,
        advice,
        takes,
        uploads,
        media,
        bin,
        jobs,
        events,
    ):
        app.include_router(module.router)

    @app.get("/api/health", tags=["health"])
    def health() -> dict[str, str]:
        """Whether the web process is up, and which start it belongs to, so that nobody takes another one's answer for it."""
        return {"state": "up", "version": __version__, "start": settings().start_token}

    @app.get("/api/schema/shot", tags=["formats"])
    def shot_schema() -> dict[str, Any]:
        """JSON Schema of the shot document."""
        return Shot.model_json_schema()

    @app.get("/api/{rest:path}", include_in_schema=False)
    def no_such_route(rest: str) -> Any:
        return problem(404, "not_found", f"There is nothing at /api/{rest}.")

    if DIST.exists():
        app.mount("/assets", StaticFiles(directory=DIST / "assets"), name="assets")

        @app.get("/{path:path}", include_in_schema=False)
        def client(path: str) -> FileResponse:
            # Addresses within the client all get the same page; files at the top level are served by name.
            named = DIST / path
            return FileResponse(named if path in ("favicon.svg",) else DIST / "index.html", headers={"Cache-Control": "no-cache"})

    app.add_middleware(SmallBodies, most=LARGEST_CHANGE)
    app.add_middleware(LoopbackOnly)
    app.add_middleware(SafeAnswers)
    return app

"""The web application: routes, errors, the front end's files, and what runs beside them."""

from __future__ import annotations

import asyncio
import logging
import sys
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from functools import partial

import structlog
from fastapi import FastAPI
from fastapi.responses import FileResponse, JSONResponse
from fastapi.staticfiles import StaticFiles
from starlette.exceptions import HTTPException
from starlette.middleware.trustedhost import TrustedHostMiddleware
from starlette.responses import Response

from moss_crown.server.context import Context
from moss_crown.server.db.pool import Database
from moss_crown.server.guard import Guard
from moss_crown.server.keeper import Farm, keep_posters
from moss_crown.server.live import Listeners
from moss_crown.server.named import jobs
from moss_crown.server.pool import Pool
from moss_crown.server.problems import RequestLog, add_problems
from moss_crown.server.routes import assets, families, health, looks, motions, shot, slate, takes
from moss_crown.server.schemas import Problem
from moss_crown.server.settings import Settings

log = structlog.get_logger()


PLAIN_TRACEBACKS = structlog.processors.ExceptionRenderer(
    structlog.tracebacks.ExceptionDictTransformer(show_locals=False)  # they hold the database's address and files
)


def configure_logs() -> None:
    """Structured logs, one JSON object a line, on standard error."""
    structlog.configure(
        processors=[
            structlog.contextvars.merge_contextvars,
            structlog.processors.add_log_level,
            structlog.processors.TimeStamper(fmt="iso", utc=True),
            PLAIN_TRACEBACKS,
            structlog.processors.JSONRenderer(),
        ],
        logger_factory=structlog.WriteLoggerFactory(file=sys.stderr),
    )
    logging.getLogger("uvicorn.access").disabled = True


def create_app(settings: Settings | None = None, pool: Pool | None = None) -> FastAPI:
    """The application; without a pool it makes its own."""
    settings = settings or Settings()
    lanes = pool or Pool(settings.job_seconds, settings.job_bytes)

    @asynccontextmanager
    async def life(app: FastAPI) -> AsyncIterator[None]:
        here = Context(settings, Database(settings.database), lanes, Listeners())
        app.state.context = here
        here.database.open()
        farm = Farm(settings) if settings.farm else None
        tasks = [asyncio.create_task(here.watch.keep("beginning", lambda: _begin(here, farm)))]
        try:
            yield
        finally:
            for task in tasks:
                task.cancel()
            here.pool.close()
            if farm:
                farm.close()
            here.database.close()

    app = FastAPI(
        title="Moss Crown",
        version="1",
        lifespan=life,
        docs_url=None,
        redoc_url=None,
        openapi_url=None,
        responses={"default": {"model": Problem, "description": "An error, as application/problem+json"}},
    )
    add_problems(app)
    app.add_middleware(RequestLog, most_bytes=settings.request_bytes, most_upload=settings.upload_bytes)
    app.add_middleware(Guard, host=settings.host)
    # Only this machine's own names: a page elsewhere must not reach the server by a name that points here.
    app.add_middleware(TrustedHostMiddleware, allowed_hosts=["127.0.0.1", "localhost", settings.host])
    for subject in (health, slate, shot, families, looks, motions, assets, takes):
        app.include_router(subject.router)
    app.include_router(slate.files)

    @app.get("/api/openapi.json", include_in_schema=False)
    def description() -> Response:
        # Made when it is first asked for, which takes seconds: in a thread, so that nobody waits for it.
        return JSONResponse(app.openapi())

    _serve_front_end(app, settings)
    return app


async def _begin(here: Context, farm: Farm | None) -> None:
    """Get ready in the order of need: edits first, then takes and proofs, then posters, which run on beside the server.

    Until edits are served quickly the server answers but is not ready.
    """
    clock = asyncio.get_running_loop().time
    begun = clock()
    here.pool.edit.begin(1)
    await here.watch.once("warm draft", lambda: here.pool.draft.run(jobs.warm_draft))
    here.warm = True
    log.info("ready for edits", seconds=round(clock() - begun, 2))
    here.pool.reader.begin(1)

    async def rest() -> None:
        await here.watch.once("warm proof", lambda: here.pool.proof.run(jobs.warm))
        log.info("ready for proofs", seconds=round(clock() - begun, 2))
        for lane in here.pool.lanes:
            lane.begin()
        if here.settings.posters:
            posters = partial(keep_posters, here.pool, here.database, here.settings.proof_threads, here.listeners)
            await here.watch.keep("posters", posters)

    beside = [rest(), *([here.watch.keep("farm", farm.keep)] if farm else [])]
    await asyncio.gather(*beside)


def _serve_front_end(app: FastAPI, settings: Settings) -> None:
    """The built front end. Every address that is not the API's is the application's own page."""
    assets = settings.web / "assets"
    if assets.is_dir():
        app.mount("/assets", StaticFiles(directory=assets), name="assets")

    @app.get("/{path:path}", include_in_schema=False)
    def page(path: str) -> Response:
        if path.startswith("api/"):
            raise HTTPException(404, f"there is no /{path}")
        index = settings.web / "index.html"
        if not index.is_file():
            return JSONResponse({"detail": "the front end is not built; run ./crown start"}, 503)
        return FileResponse(index, headers={"cache-control": "no-cache"})

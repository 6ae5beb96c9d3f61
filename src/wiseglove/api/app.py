"""The application: routers, error messages, limits, and the page."""

from __future__ import annotations

import asyncio
import contextlib
import itertools
import logging
from collections.abc import AsyncIterator

from fastapi import FastAPI
from fastapi.responses import FileResponse, Response
from fastapi.staticfiles import StaticFiles
from sqlalchemy.exc import SQLAlchemyError
from starlette.middleware.trustedhost import TrustedHostMiddleware
from starlette.types import Scope

from wiseglove.api import (
    behind,
    bringing_in,
    carriers,
    deliveries,
    differing,
    errors,
    events,
    guide,
    health,
    intakes,
    jobs,
    live,
    notes,
    outlines,
    panes,
    people,
    pictures,
    receiving,
    review,
    shots,
    starters,
    subjects,
    traces,
    versions,
)
from wiseglove.api.context import Context
from wiseglove.api.described import describe
from wiseglove.api.gate import Gate
from wiseglove.jobs.putting import Queue
from wiseglove.media.guarded import get_ready
from wiseglove.settings import Settings, get_settings
from wiseglove.shot.warm import warm_up
from wiseglove.store import clips
from wiseglove.store import deliveries as packages
from wiseglove.store.database import Database
from wiseglove.store.errors import NotFoundError
from wiseglove.store.looks import LookCache
from wiseglove.store.objects import Objects
from wiseglove.store.pictures import DisplayPictures

log = logging.getLogger(__name__)
LARGEST_BODY = 32_000_000
"""Bytes of any request but a file's: more than any edit can need."""


def create_app(settings: Settings | None = None) -> FastAPI:
    """The application on a database and a folder of files."""
    settings = settings or get_settings()

    @contextlib.asynccontextmanager
    async def lifespan(app: FastAPI) -> AsyncIterator[None]:
        settings: Settings = app.state.settings
        settings.make_folders()
        clips.bring_from(settings.store, settings.media, shown=True)
        database = Database(settings.database_url, settings.shots_at_hand)
        pictures = DisplayPictures(settings.media, settings.frames_at_hand)
        looks = LookCache(settings.looks, settings.looks_kept)
        app.state.context = Context(settings, database, Queue(settings.database_url), pictures, looks)
        app.state.notices = events.Notices(settings.database_url)
        await asyncio.to_thread(warm_up)
        running = [
            asyncio.create_task(app.state.notices.listen()),
            asyncio.create_task(_sweep_often(app.state.context)),
            asyncio.create_task(asyncio.to_thread(shots.read_ahead, app.state.context)),
            asyncio.create_task(asyncio.to_thread(get_ready)),
        ]
        yield
        for task in running:
            task.cancel()
        looks.close()
        database.close()

    app = FastAPI(
        title="Wise Glove", version="0.1.0", lifespan=lifespan, docs_url=None, redoc_url=None,
        max_body_size=LARGEST_BODY, responses=errors.RESPONSES, generate_unique_id_function=lambda route: route.name,
    )  # fmt: skip
    app.state.settings = settings
    errors.install(app)
    if settings.sign_in:
        app.add_middleware(people.Door)
    app.add_middleware(Gate, origins=settings.origins)
    app.add_middleware(TrustedHostMiddleware, allowed_hosts=settings.hosts, www_redirect=False)
    describe(app)
    for module in (
        shots,
        outlines,
        behind,
        differing,
        bringing_in,
        carriers,
        subjects,
        panes,
        review,
        starters,
        versions,
        notes,
        pictures,
        live,
        traces,
        intakes,
        receiving,
        deliveries,
        jobs,
        events,
        people,
        health,
        guide,
    ):
        app.include_router(module.router)
    _serve_page(app, settings)
    return app


class _Assets(StaticFiles):
    """Files whose names change with their contents, so that they may be kept for ever."""

    async def get_response(self, path: str, scope: Scope) -> Response:
        response = await super().get_response(path, scope)
        if response.status_code == 200:
            response.headers["Cache-Control"] = "public, max-age=31536000, immutable"
        return response


async def _sweep_often(context: Context) -> None:
    """What nobody needs any more goes: abandoned intakes soon, clips and packages once a day."""
    media, finished = context.settings.media, context.settings.deliveries
    for minute in itertools.count():
        try:
            await asyncio.to_thread(intakes.sweep, context)
            if minute % (24 * 60) == 0:
                await asyncio.to_thread(clips.sweep, context.database, media, None, Objects(context.settings.store))
                await asyncio.to_thread(clips.weigh, context.database, media)
                await asyncio.to_thread(packages.sweep, context.database, finished)
        except (SQLAlchemyError, OSError):
            log.exception("sweeping failed; it is tried again in a minute")
        await asyncio.sleep(60)


def _serve_page(app: FastAPI, settings: Settings) -> None:
    @app.get("/api/{rest:path}", include_in_schema=False)
    def unknown(rest: str) -> None:
        raise NotFoundError(f"There is nothing at /api/{rest}.")

    if (settings.page / "assets").is_dir():
        app.mount("/assets", _Assets(directory=settings.page / "assets"), name="assets")

    @app.get("/{path:path}", include_in_schema=False)
    def page(path: str) -> FileResponse:
        if not (settings.page / "index.html").is_file():
            raise NotFoundError("The page has not been built yet. Run make demo, which builds and serves it.")
        file = (settings.page / path).resolve()
        inside = file.is_relative_to(settings.page.resolve()) and file.is_file()
        return FileResponse(file if inside else settings.page / "index.html", headers={"Cache-Control": "no-cache"})

"""Errors become messages here and nowhere else: what is wrong, what is safe, what to do.

Every error is answered with problem details (RFC 9457): `type` is one of PROBLEMS and never changes its meaning, `detail`
is the message for people.
"""

from __future__ import annotations

import logging
from http import HTTPStatus
from typing import Any, Literal

from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse
from pydantic import BaseModel, Field
from sqlalchemy.exc import OperationalError
from starlette.exceptions import HTTPException

from wiseglove.api.schemas import ShotState, state_of
from wiseglove.media.errors import MediaError
from wiseglove.shot.errors import EditError
from wiseglove.shot.formats import NewerFormatError
from wiseglove.store.errors import NotFoundError, RevisionError, StoreError

log = logging.getLogger(__name__)
MEDIA_TYPE = "application/problem+json"
PROBLEMS = {
    "refused": "What was asked for cannot be done to this",
    "missing": "It is not there",
    "overtaken": "Somebody else has changed the same thing",
    "impossible": "It cannot be done just now",
    "unreadable": "The request cannot be understood",
    "http": "The request cannot be served",
    "database": "The database cannot be reached",
    "unforeseen": "Something went wrong that there is no word for",
}
"""Kinds of problems and their titles."""
Kind = Literal["refused", "missing", "overtaken", "impossible", "unreadable", "http", "database", "unforeseen"]


class Problem(BaseModel):
    """The body of every error (RFC 9457)."""

    type: Kind = Field(examples=["refused"], description="what kind of problem it is; stable")
    title: str = Field(examples=[PROBLEMS["refused"]])
    status: int = Field(examples=[422])
    detail: str = Field(
        description="for people: what is wrong, what is safe, what to do",
        examples=["“Hand” is locked. Unlock it to change it; nothing was changed."],
    )
    by: list[str] | None = Field(default=None, description="overtaken: what was changed meanwhile, where that is known")
    state: ShotState | None = Field(default=None, description="overtaken: the shot as it is now")


RESPONSES: dict[int | str, dict[str, Any]] = {
    "default": {
        "description": "A problem (RFC 9457)",
        "content": {MEDIA_TYPE: {"schema": {"$ref": "#/components/schemas/Problem"}}},
    },
}
"""What every operation may answer besides."""


def _answer(status: int, kind: Kind, detail: str, **more: Any) -> JSONResponse:
    body = {"type": kind, "title": PROBLEMS[kind], "status": status, "detail": detail, **more}
    return JSONResponse(body, status_code=status, media_type=MEDIA_TYPE)


def _readable(error: RequestValidationError) -> str:
    first = error.errors()[0]
    where = ".".join(str(part) for part in first["loc"][1:]) or "the request"
    return f"The server does not understand “{where}”: {first['msg']}. Nothing was changed."


def install(app: FastAPI) -> None:
    """Register the handlers."""

    @app.exception_handler(EditError)
    @app.exception_handler(MediaError)
    @app.exception_handler(NewerFormatError)
    async def refused(_: Request, error: ValueError) -> JSONResponse:
        return _answer(422, "refused", str(error))

    @app.exception_handler(NotFoundError)
    async def missing(_: Request, error: NotFoundError) -> JSONResponse:
        return _answer(404, "missing", str(error))

    @app.exception_handler(RevisionError)
    async def overtaken(_: Request, error: RevisionError) -> JSONResponse:
        return _answer(409, "overtaken", str(error), state=state_of(error.shot).model_dump(mode="json"), by=error.by)

    @app.exception_handler(StoreError)
    async def impossible(_: Request, error: StoreError) -> JSONResponse:
        return _answer(409, "impossible", str(error))

    @app.exception_handler(RequestValidationError)
    async def unreadable(_: Request, error: RequestValidationError) -> JSONResponse:
        return _answer(422, "unreadable", _readable(error))

    @app.exception_handler(HTTPException)
    async def plain(_: Request, error: HTTPException) -> JSONResponse:
        detail = str(error.detail) if error.detail else HTTPStatus(error.status_code).phrase
        return _answer(error.status_code, "http", detail)

    @app.exception_handler(OperationalError)
    async def no_database(_: Request, error: OperationalError) -> JSONResponse:
        log.error("database: %s", error)
        message = "The server cannot reach its database just now. Nothing was changed; try again in a moment."
        return _answer(503, "database", message)

    @app.exception_handler(Exception)
    async def unforeseen(_: Request, error: Exception) -> JSONResponse:
        log.exception("unforeseen", exc_info=error)
        message = (
            "Something went wrong on the server that it has no word for; its log says more. "
            "The shot is as it was before. Reload the page and try again."
        )
        return _answer(503, "unforeseen", message)

"""Errors become messages here and nowhere else: what is wrong, what is safe, what to do."""

from __future__ import annotations

import logging
from typing import Any

from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse
from pydantic import BaseModel
from sqlalchemy.exc import OperationalError
from starlette.exceptions import HTTPException

from wiseglove.api.schemas import state_of
from wiseglove.media.errors import MediaError
from wiseglove.shot.errors import EditError
from wiseglove.store.errors import NotFoundError, RevisionError, StoreError

log = logging.getLogger(__name__)


class Problem(BaseModel):
    """The body of every error."""

    code: str
    message: str


def _answer(status: int, code: str, message: str, **more: Any) -> JSONResponse:
    return JSONResponse({"code": code, "message": message, **more}, status_code=status)


def _readable(error: RequestValidationError) -> str:
    first = error.errors()[0]
    where = ".".join(str(part) for part in first["loc"][1:]) or "the request"
    return f"The server does not understand “{where}”: {first['msg']}. Nothing was changed."


def install(app: FastAPI) -> None:
    """Register the handlers."""

    @app.exception_handler(EditError)
    @app.exception_handler(MediaError)
    async def refused(_: Request, error: ValueError) -> JSONResponse:
        return _answer(422, "refused", str(error))

    @app.exception_handler(NotFoundError)
    async def missing(_: Request, error: NotFoundError) -> JSONResponse:
        return _answer(404, "missing", str(error))

    @app.exception_handler(RevisionError)
    async def overtaken(_: Request, error: RevisionError) -> JSONResponse:
        touched = None if error.touched is None else sorted(error.touched)
        return _answer(
            409, "overtaken", str(error), state=state_of(error.shot).model_dump(mode="json"), touched=touched
        )

    @app.exception_handler(StoreError)
    async def impossible(_: Request, error: StoreError) -> JSONResponse:
        return _answer(409, "impossible", str(error))

    @app.exception_handler(RequestValidationError)
    async def unreadable(_: Request, error: RequestValidationError) -> JSONResponse:
        return _answer(422, "unreadable", _readable(error))

    @app.exception_handler(HTTPException)
    async def plain(_: Request, error: HTTPException) -> JSONResponse:
        return _answer(error.status_code, "http", str(error.detail))

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

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
from psycopg import errors as database_errors
from pydantic import BaseModel, Field
from sqlalchemy.exc import DataError, IntegrityError, OperationalError, SQLAlchemyError
from sqlalchemy.exc import TimeoutError as QueueIsFullError
from starlette.exceptions import HTTPException

from wiseglove.api.schemas import ShotState, state_of
from wiseglove.core.patience import TooLongError
from wiseglove.delivery.preset import PresetError
from wiseglove.interchange.drawn import UnreadableError
from wiseglove.media.errors import MediaError
from wiseglove.shot.basics import new_id
from wiseglove.shot.errors import EditError
from wiseglove.shot.formats import NewerFormatError
from wiseglove.store.errors import NotFoundError, RevisionError, StoreError
from wiseglove.store.people import WaitError, WrongPasswordError

log = logging.getLogger(__name__)
WAITED = (database_errors.LockNotAvailable, database_errors.QueryCanceled, database_errors.DeadlockDetected)
MEDIA_TYPE = "application/problem+json"
PROBLEMS = {
    "refused": "What was asked for cannot be done to this",
    "missing": "It is not there",
    "overtaken": "Somebody else has changed the same thing",
    "impossible": "It cannot be done just now",
    "unreadable": "The request cannot be understood",
    "signin": "Somebody has to sign in first",
    "http": "The request cannot be served",
    "database": "The database cannot be reached",
    "busy": "Something else is at work on it",
    "unforeseen": "Something went wrong that there is no word for",
}
"""Kinds of problems and their titles."""
Kind = Literal[
    "refused", "missing", "overtaken", "impossible", "unreadable", "signin", "http", "database", "busy", "unforeseen"
]


class Problem(BaseModel):
    """The body of every error (RFC 9457)."""

    type: Kind = Field(examples=["refused"], description="what kind of problem it is; stable")
    title: str = Field(examples=[PROBLEMS["refused"]])
    status: int = Field(examples=[422])
    detail: str = Field(
        description="for people: what is wrong, what is safe, what to do",
        examples=["“Hand” is locked. Unlock it to change it; nothing was changed."],
    )
    guide: str | None = Field(default=None, description="the page of the guide that explains it, where there is one")
    by: list[str] | None = Field(default=None, description="overtaken: what was changed meanwhile, where that is known")
    state: ShotState | None = Field(default=None, description="overtaken: the shot as it is now")


RESPONSES: dict[int | str, dict[str, Any]] = {
    "default": {
        "description": "A problem (RFC 9457)",
        "content": {MEDIA_TYPE: {"schema": {"$ref": "#/components/schemas/Problem"}}},
    },
}
"""What every operation may answer besides."""


GUIDES = {
    "intakes": "1-take-in",
    "outlines": "2-cover",
    "starters": "2-cover",
    "behind": "2-cover",
    "carriers": "3-motion",
    "panes": "4-picture",
    "subjects": "4-picture",
    "review": "5-look",
    "deliveries": "6-deliver",
    "versions": "6-deliver",
}
"""Pages of the guide by the part of the API that refuses something."""
WORDS = (
    ("3-motion", ("carrier", "patch", "solved", "stitch", "thread", "knot")),
    ("4-picture", ("pane", "insert", "piece", "subject", "backing")),
    ("2-cover", ("cover", "outline", "key", "point", "locked", "frame")),
)
"""And by the words of a refusal, for what can be about all of a shot."""


def guide_of(request: Request, detail: str) -> str | None:
    """The page of the guide that explains why something was refused, if one does."""
    tags = getattr(request.scope.get("route"), "tags", None) or []
    page = next((GUIDES[tag] for tag in tags if tag in GUIDES), None)
    if page or "shots" not in tags:
        return page
    low = detail.lower()
    return next((name for name, words in WORDS if any(word in low for word in words)), None)


def answer(status: int, kind: Kind, detail: str, **more: Any) -> JSONResponse:
    """A problem as a response."""
    body = {"type": kind, "title": PROBLEMS[kind], "status": status, "detail": detail, **more}
    return JSONResponse(body, status_code=status, media_type=MEDIA_TYPE)


def _readable(error: RequestValidationError) -> str:
    first = error.errors()[0]
    where = ".".join(str(part) for part in first["loc"][1:]) or "the request"
    return f"The server does not understand “{where}”: {first['msg']}. Nothing was changed."


def install(app: FastAPI) -> None:
    """Register the handlers."""
    _install_refusals(app)
    _install_sign_in(app)
    _install_faults(app)


def _install_refusals(app: FastAPI) -> None:
    """What the application itself says no to."""

    @app.exception_handler(UnreadableError)
    @app.exception_handler(PresetError)
    @app.exception_handler(EditError)
    @app.exception_handler(MediaError)
    @app.exception_handler(NewerFormatError)
    async def refused(request: Request, error: ValueError) -> JSONResponse:
        return answer(422, "refused", str(error), guide=guide_of(request, str(error)))

    @app.exception_handler(NotFoundError)
    async def missing(_: Request, error: NotFoundError) -> JSONResponse:
        return answer(404, "missing", str(error))

    @app.exception_handler(RevisionError)
    async def overtaken(_: Request, error: RevisionError) -> JSONResponse:
        return answer(409, "overtaken", str(error), state=state_of(error.shot).model_dump(mode="json"), by=error.by)

    @app.exception_handler(StoreError)
    async def impossible(request: Request, error: StoreError) -> JSONResponse:
        return answer(409, "impossible", str(error), guide=guide_of(request, str(error)))

    @app.exception_handler(RequestValidationError)
    async def unreadable(_: Request, error: RequestValidationError) -> JSONResponse:
        return answer(422, "unreadable", _readable(error))

    @app.exception_handler(HTTPException)
    async def plain(_: Request, error: HTTPException) -> JSONResponse:
        detail = str(error.detail) if error.detail else HTTPStatus(error.status_code).phrase
        return answer(error.status_code, "http", detail)

    @app.exception_handler(TooLongError)
    async def too_long(_: Request, error: TooLongError) -> JSONResponse:
        return answer(422, "refused", str(error))


def _install_sign_in(app: FastAPI) -> None:
    """Who is not let in."""

    @app.exception_handler(WrongPasswordError)
    async def wrong_password(_: Request, error: WrongPasswordError) -> JSONResponse:
        return answer(401, "signin", str(error))

    @app.exception_handler(WaitError)
    async def wait(_: Request, error: WaitError) -> JSONResponse:
        refusal = answer(429, "signin", str(error))
        refusal.headers["Retry-After"] = str(error.seconds)
        return refusal


def _install_faults(app: FastAPI) -> None:
    """What the database says, and what nobody foresaw."""

    @app.exception_handler(DataError)
    async def not_storable(_: Request, error: DataError) -> JSONResponse:
        log.warning("not storable: %s", error.orig)
        message = "A text or number in this request cannot be stored, such as a zero character in a name. Nothing was changed."
        return answer(422, "unreadable", message)

    @app.exception_handler(IntegrityError)
    async def overlapped(_: Request, error: IntegrityError) -> JSONResponse:
        log.warning("overlapped: %s", error.orig)
        message = "What this belongs to was changed or deleted in the same moment. Nothing was changed; look again."
        return answer(409, "impossible", message)

    @app.exception_handler(QueueIsFullError)
    @app.exception_handler(OperationalError)
    async def no_database(_: Request, error: SQLAlchemyError) -> JSONResponse:
        if isinstance(error, QueueIsFullError) or isinstance(getattr(error, "orig", None), WAITED):
            log.warning("busy: %s", error)
            message = "Something else is at work on this just now. Nothing was changed; try again in a moment."
            return answer(503, "busy", message)
        log.error("database: %s", error)
        message = "The server cannot reach its database just now. Nothing was changed; try again in a moment."
        return answer(503, "database", message)

    @app.exception_handler(Exception)
    async def unforeseen(_: Request, error: Exception) -> JSONResponse:
        number = new_id()
        log.error("unforeseen %s", number, exc_info=error)
        message = (
            f"Something went wrong on the server that it has no word for; its log says more under {number}. "
            "The shot is as it was before. Reload the page and try again."
        )
        return answer(500, "unforeseen", message)

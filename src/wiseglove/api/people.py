"""Signing in, where the server asks for it; on loopback it does not, and everybody is an artist without a name."""

from __future__ import annotations

import asyncio
from http.cookies import CookieError, SimpleCookie
from typing import Annotated

from cachetools import TTLCache
from fastapi import APIRouter, Depends, Request, Response
from pydantic import BaseModel, ConfigDict, Field
from starlette.datastructures import Headers
from starlette.types import ASGIApp, Receive, Scope, Send

from wiseglove.api.context import Context, Ctx
from wiseglove.api.errors import answer
from wiseglove.api.gate import READING
from wiseglove.api.schemas import Answer
from wiseglove.store import people
from wiseglove.store.people import Person

router = APIRouter(prefix="/api/session", tags=["session"])
COOKIE = "wiseglove_session"
KNOWN_FOR = 5.0
"""Seconds until a session is looked up again, and so until somebody who was removed is out."""
WRONG = "That name and password do not belong together. Nothing was changed; try again."
PERSON = "person"


KNOWN: TTLCache[str, Person] = TTLCache(1024, KNOWN_FOR)
"""Sessions that were looked up just now."""


class SignIn(BaseModel):
    """A name and a password."""

    model_config = ConfigDict(extra="forbid")

    name: Annotated[str, Field(min_length=1, max_length=40)]
    password: Annotated[str, Field(min_length=1, max_length=people.LONGEST_PASSWORD)]


class SessionState(Answer):
    """Whether this server asks to sign in, and who is signed in."""

    asked: bool
    person: Person | None = None


@router.get("")
def read_session(request: Request, context: Ctx) -> SessionState:
    """Who is signed in."""
    return SessionState(asked=context.settings.sign_in, person=_find(context, _token(Headers(scope=request.scope))))


@router.post("")
def sign_in(wanted: SignIn, request: Request, response: Response, context: Ctx) -> SessionState:
    """Sign in; the session is kept in a cookie that no script can read and that goes to this site only."""
    found = people.sign_in(context.database, wanted.name.strip(), wanted.password)
    if found is None:
        raise people.WrongPasswordError(WRONG)
    person, token = found
    response.set_cookie(
        COOKIE, token, max_age=int(people.OLDEST.total_seconds()), httponly=True, samesite="strict",
        secure=request.url.scheme == "https", path="/",
    )  # fmt: skip
    return SessionState(asked=context.settings.sign_in, person=person)


@router.delete("", status_code=204)
def sign_out(request: Request, context: Ctx) -> Response:
    """Sign out here."""
    token = _token(Headers(scope=request.scope))
    if token is not None:
        with context.database.transaction() as session:
            people.sign_out(session, token)
        KNOWN.pop(token, None)
    response = Response(status_code=204)
    response.delete_cookie(COOKIE, path="/", httponly=True, samesite="strict")
    return response


def author_of(request: Request) -> str | None:
    """The name of whoever asks, where people sign in."""
    person = request.scope.get("state", {}).get(PERSON)
    return person.name if isinstance(person, Person) else None


Author = Annotated[str | None, Depends(author_of)]


def _token(headers: Headers) -> str | None:
    try:
        found = SimpleCookie(headers.get("cookie", "")).get(COOKIE)
    except CookieError:
        return None
    return found.value if found is not None and len(found.value) <= 200 else None


def _find(context: Context, token: str | None) -> Person | None:
    if token is None:
        return None
    with context.database.transaction() as session:
        return people.who(session, token)


class Door:
    """ASGI middleware: lets in only who is signed in, and reviewers to read only."""

    def __init__(self, app: ASGIApp) -> None:
        self._app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Hand on, with who it is in the state, or refuse."""
        asks = scope["type"] in ("http", "websocket") and scope["path"].startswith("/api/")
        if not asks or scope["path"] == "/api/session":
            await self._app(scope, receive, send)
            return
        person = await self._who(scope["app"].state.context, _token(Headers(scope=scope)))
        scope.setdefault("state", {})[PERSON] = person
        if person is None:
            await _refuse(scope, receive, send, 401, "Sign in first. Nothing was changed.")
        elif person.role == "reviewer" and scope["type"] == "http" and scope["method"] not in READING:
            words = f"{person.name} is here to review, and changes nothing. Ask an artist, or sign in as one."
            await _refuse(scope, receive, send, 403, words)
        else:
            await self._app(scope, receive, send)

    async def _who(self, context: Context, token: str | None) -> Person | None:
        if token is None:
            return None
        person = KNOWN.get(token)
        if person is None:
            person = await asyncio.to_thread(_find, context, token)
            if person is not None:
                KNOWN[token] = person
        return person


async def _refuse(scope: Scope, receive: Receive, send: Send, status: int, words: str) -> None:
    if scope["type"] == "websocket":
        await receive()
        await send({"type": "websocket.close", "code": 1008, "reason": words})
    else:
        await answer(status, "signin" if status == 401 else "refused", words)(scope, receive, send)

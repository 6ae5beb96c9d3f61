"""Server-sent events: what changed in the database, told to every open page.

Each event has an id. A page that comes back says the last one that it had: what it missed is sent again as long as it is at
hand, else it gets one event {topic: "gap"}, upon which it brings itself up to date. The same goes for a page that is so
slow that its queue runs full, and for all pages when the connection to the database was lost.
"""

from __future__ import annotations

import asyncio
import logging
from collections import deque
from collections.abc import AsyncIterator
from dataclasses import dataclass
from typing import Annotated

import psycopg
from fastapi import APIRouter, Header, Request
from sse_starlette import EventSourceResponse, ServerSentEvent

from wiseglove.shot.basics import new_id
from wiseglove.store.jobs import CHANNEL

log = logging.getLogger(__name__)
router = APIRouter(prefix="/api", tags=["events"])
AT_HAND = 2000
"""Notices that are kept for pages that come back."""
QUEUE = 1000
GAP = '{"topic": "gap"}'
HELLO = '{"topic": "hello"}'


@dataclass(frozen=True)
class Notice:
    """A notice and its place in the order of all since the server started."""

    number: int
    payload: str


class Subscriber:
    """A page's notices that wait to be sent. Where there are too many, they give way to one that says so."""

    def __init__(self, size: int = QUEUE) -> None:
        self._waiting: asyncio.Queue[Notice] = asyncio.Queue(size)

    def put(self, notice: Notice) -> None:
        """Add one."""
        if self._waiting.full():
            while not self._waiting.empty():
                self._waiting.get_nowait()
            notice = Notice(notice.number, GAP)
        self._waiting.put_nowait(notice)

    async def next(self) -> Notice:
        """The oldest one, as soon as there is one."""
        return await self._waiting.get()


class Notices:
    """Listens on the database's channel and hands every notice to all subscribers."""

    def __init__(self, url: str) -> None:
        self._url = url
        self._subscribers: set[Subscriber] = set()
        self._run = new_id()
        self._count = 0
        self._past: deque[Notice] = deque(maxlen=AT_HAND)

    async def listen(self) -> None:
        """Run until cancelled; connects again after a loss."""
        lost = False
        while True:
            try:
                connection = await psycopg.AsyncConnection.connect(self._url, autocommit=True)
                async with connection:
                    await connection.execute(f"listen {CHANNEL}")
                    if lost:
                        self.publish(GAP)
                    async for notice in connection.notifies():
                        self.publish(notice.payload)
            except psycopg.OperationalError as error:
                log.warning("notices: %s", error)
                await asyncio.sleep(1.0)
            lost = True

    def publish(self, payload: str) -> None:
        """Hand a notice to all."""
        self._count += 1
        notice = Notice(self._count, payload)
        self._past.append(notice)
        for subscriber in self._subscribers:
            subscriber.put(notice)

    def id_of(self, notice: Notice) -> str:
        """What a page knows a notice by."""
        return f"{self._run}-{notice.number}"

    async def subscribe(self, last: str | None) -> AsyncIterator[Notice]:
        """A greeting, what was missed since the last notice that a page had (None: it is new), and all from now on."""
        subscriber = Subscriber()
        self._subscribers.add(subscriber)
        missed = self._missed(last)
        try:
            yield Notice(self._count, HELLO)
            for notice in missed:
                yield notice
            while True:
                yield await subscriber.next()
        finally:
            self._subscribers.discard(subscriber)

    def _missed(self, last: str | None) -> list[Notice]:
        if last is None:
            return []
        run, _, number = last.rpartition("-")
        if run == self._run and number.isdigit() and (not self._past or int(number) >= self._past[0].number - 1):
            return [n for n in self._past if n.number > int(number)]
        return [Notice(self._count, GAP)]


@router.get("/events", response_class=EventSourceResponse)
async def events(request: Request, last_event_id: Annotated[str | None, Header()] = None) -> EventSourceResponse:
    """Notices as JSON: {topic: hello | gap | job | gone | shot | motion | shots | clips, ...}; one of a shot says its revision."""
    notices: Notices = request.app.state.notices

    async def stream() -> AsyncIterator[ServerSentEvent]:
        async for notice in notices.subscribe(last_event_id):
            yield ServerSentEvent(data=notice.payload, id=notices.id_of(notice))

    return EventSourceResponse(stream(), ping=15)

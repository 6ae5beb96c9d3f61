"""Server-sent events: what changed in the database, told to every open page."""

from __future__ import annotations

import asyncio
import contextlib
import logging
from collections.abc import AsyncIterator

import psycopg
from fastapi import APIRouter, Request
from sse_starlette import EventSourceResponse, ServerSentEvent

from wiseglove.store.jobs import CHANNEL

log = logging.getLogger(__name__)
router = APIRouter(prefix="/api", tags=["events"])


class Notices:
    """Listens on the database's channel and hands every notice to all subscribers."""

    def __init__(self, url: str) -> None:
        self._url = url
        self._subscribers: set[asyncio.Queue[str]] = set()

    async def listen(self) -> None:
        """Run until cancelled; connects again after a loss."""
        while True:
            try:
                connection = await psycopg.AsyncConnection.connect(self._url, autocommit=True)
                async with connection:
                    await connection.execute(f"listen {CHANNEL}")
                    async for notice in connection.notifies():
                        for subscriber in list(self._subscribers):
                            with contextlib.suppress(asyncio.QueueFull):
                                subscriber.put_nowait(notice.payload)
            except psycopg.OperationalError as error:
                log.warning("notices: %s", error)
                await asyncio.sleep(1.0)

    async def subscribe(self) -> AsyncIterator[str]:
        """Notices from now on."""
        queue: asyncio.Queue[str] = asyncio.Queue(1000)
        self._subscribers.add(queue)
        try:
            while True:
                yield await queue.get()
        finally:
            self._subscribers.discard(queue)


@router.get("/events", response_class=EventSourceResponse)
async def events(request: Request) -> EventSourceResponse:
    """Notices as JSON: {topic: job | shot | shots | clips, ...}."""
    notices: Notices = request.app.state.notices

    async def stream() -> AsyncIterator[ServerSentEvent]:
        yield ServerSentEvent(data='{"topic": "hello"}')
        async for payload in notices.subscribe():
            yield ServerSentEvent(data=payload)

    return EventSourceResponse(stream(), ping=15)

"""What the routers share: settings, database, queue, pictures."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Annotated

from fastapi import Depends
from starlette.requests import HTTPConnection

from wiseglove.jobs.putting import Queue
from wiseglove.settings import Settings
from wiseglove.shot.reviewing import Reviewer
from wiseglove.store.database import Database
from wiseglove.store.looks import LookCache
from wiseglove.store.pictures import DisplayPictures


@dataclass
class Context:
    """One for the whole application."""

    settings: Settings
    database: Database
    queue: Queue
    pictures: DisplayPictures
    looks: LookCache
    reviewer: Reviewer = field(default_factory=Reviewer)


def get_context(connection: HTTPConnection) -> Context:
    """The application's context."""
    context = connection.app.state.context
    assert isinstance(context, Context)
    return context


Ctx = Annotated[Context, Depends(get_context)]

"""What can be wrong with a request to the store."""

from __future__ import annotations

from wiseglove.shot.model import Shot


class StoreError(ValueError):
    """A request that cannot be done; the message says why and what to do."""


class NotFoundError(StoreError):
    """What was asked for is not there."""


class RevisionError(StoreError):
    """The shot has moved on since the page last saw it; `shot` is what it is now.

    `touched` are the elements that were changed since; None where that is not known.
    """

    def __init__(self, shot: Shot, touched: set[str] | None) -> None:
        super().__init__(
            "This shot was changed in another page meanwhile. Nothing was lost: the newer state is shown now, "
            "and your last change was not made. Make it again if it still fits."
        )
        self.shot, self.touched = shot, touched

"""What can be wrong with a request to the store."""

from __future__ import annotations

from wiseglove.shot.evaluated import EvaluatedShot


class StoreError(ValueError):
    """A request that cannot be done; the message says why and what to do."""


class NotFoundError(StoreError):
    """What was asked for is not there."""


class RevisionError(StoreError):
    """The shot has moved on since whoever asks last saw it, and what was asked for does not fit any more.

    `shot` is what it is now; `by` names the changes since that are in the way, None where that is not known any more.
    """

    def __init__(self, shot: EvaluatedShot, by: list[str] | None) -> None:
        others = "" if not by else f" by “{by[-1]}”" if len(by) == 1 else f" by “{by[-1]}” and {len(by) - 1} more"
        super().__init__(
            f"The same thing was changed meanwhile{others}. Nothing was lost: the newer state is shown now, and your last "
            "change was not made. Make it again if it still fits."
        )
        self.shot, self.by = shot, by

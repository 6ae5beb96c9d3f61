"""What can be wrong with files that come in."""

from __future__ import annotations


class MediaError(ValueError):
    """Files that cannot be taken in. The message says what is wrong, what is safe and what to do."""


class MissingClipError(MediaError):
    """A clip that is not on the disk."""

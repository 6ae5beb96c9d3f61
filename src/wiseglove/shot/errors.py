"""What can be wrong with an edit."""

from __future__ import annotations


class EditError(ValueError):
    """An edit that cannot be done. The message says what is wrong and what to do; the shot is unchanged."""

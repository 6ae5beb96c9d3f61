"""How messages are written: for people or for machines, and without passwords."""

from __future__ import annotations

import logging
import re

from pythonjsonlogger.json import JsonFormatter

from wiseglove.settings import get_settings

PASSWORD = re.compile(r"(postgres\w*://[^:/@\s]+):[^@\s]+@")


class _Handler(logging.StreamHandler):  # type: ignore[type-arg]
    """Takes passwords out of addresses of databases, wherever in a message they are."""

    def format(self, record: logging.LogRecord) -> str:
        return PASSWORD.sub(r"\1:…@", super().format(record))


def handler() -> logging.Handler:
    """What writes all messages of a process."""
    made = _Handler()
    if get_settings().log == "json":
        made.setFormatter(
            JsonFormatter("{asctime}{levelname}{name}{message}{exc_info}", style="{", json_ensure_ascii=False)
        )
    else:
        made.setFormatter(logging.Formatter("%(levelname)s %(name)s: %(message)s"))
    return made

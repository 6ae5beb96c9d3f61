"""How messages are written: for people or for machines, and without passwords."""

from __future__ import annotations

import logging
import re

from pythonjsonlogger.json import JsonFormatter

from wiseglove.settings import get_settings

PASSWORD = re.compile(r"(postgres\w*://[^:/@\s]+):[^@\s]+@")


class _NoSecrets(logging.Filter):
    """Takes passwords out of addresses of databases, wherever they are written."""

    def filter(self, record: logging.LogRecord) -> bool:
        text = record.getMessage()
        record.msg, record.args = PASSWORD.sub(r"\1:…@", text), None
        if record.exc_info and not record.exc_text:
            record.exc_text = PASSWORD.sub(r"\1:…@", logging.Formatter().formatException(record.exc_info))
        return True


def handler() -> logging.Handler:
    """What writes all messages of a process."""
    made = logging.StreamHandler()
    if get_settings().log == "json":
        made.setFormatter(JsonFormatter("{asctime}{levelname}{name}{message}{exc_info}", style="{"))
    else:
        made.setFormatter(logging.Formatter("%(levelname)s %(name)s: %(message)s"))
    made.addFilter(_NoSecrets())
    return made

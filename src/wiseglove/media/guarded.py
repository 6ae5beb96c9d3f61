"""Strangers' files are decoded in a process of its own: it may take so much memory, and must not fall silent.

The processes are forked from a server that has read the code already (multiprocessing's forkserver), so that one is there
within some milliseconds, and that no thread of the caller is in it.
"""

from __future__ import annotations

import resource
import signal
from collections.abc import Callable
from multiprocessing import get_context
from multiprocessing.connection import Connection
from typing import Any, TypeVar

from wiseglove.media.errors import MediaError

T = TypeVar("T")
Progress = Callable[[int, int], None]
SILENCE = 60.0
"""Seconds without a result, or a notice of progress, after which it is given up."""
OWN_MEMORY = 700_000_000
"""Bytes that the process has for itself before it decodes anything."""
_processes = get_context("forkserver")
_processes.set_forkserver_preload(["wiseglove.media.clip", "wiseglove.media.probe"])


def guarded(
    task: Callable[..., T], *args: Any, memory: int, progress: Progress | None = None, silence: float = SILENCE
) -> T:
    """What `task(*args)` returns, or `task(*args, report)` where progress is wanted, from a process of its own.

    task: a function of a module. memory: bytes that it may take. progress: called here with what the task reports; what it
    raises ends the process. Raises what the task raises where that is a MediaError or an OSError, and MediaError where the
    process took too much memory, was silent for too long, or died.
    """
    ours, theirs = _processes.Pipe()
    process = _processes.Process(target=_child, args=(theirs, memory, task, args, progress is not None), daemon=True)
    process.start()
    theirs.close()
    try:
        return _followed(ours, progress, silence)  # type: ignore[no-any-return]
    finally:
        process.kill()
        process.join()
        process.close()
        ours.close()


def get_ready() -> None:
    """Have the code read before the first file comes."""
    guarded(_nothing, memory=0)


def _nothing() -> None:
    pass


def _followed(ours: Connection, progress: Progress | None, silence: float) -> Any:
    while True:
        if not ours.poll(silence):
            raise MediaError(
                f"Reading the files did not go on for {silence:.0f} s and was stopped. Nothing was taken in and all shots are "
                "as they were. Export the files again, or leave out the one that hangs."
            )
        try:
            kind, content = ours.recv()
        except EOFError as error:
            raise _too_much() from error
        if kind == "progress" and progress is not None:
            progress(*content)
        elif kind == "done":
            return content
        elif kind == "memory":
            raise _too_much()
        elif kind == "raised":
            raise content


def _too_much() -> MediaError:
    return MediaError(
        "Reading the files took more memory than the server gives to it, or ended it altogether. Nothing was taken in and all "
        "shots are as they were. Export the files again, smaller or in another format."
    )


def _child(theirs: Connection, memory: int, task: Callable[..., Any], args: tuple[Any, ...], reports: bool) -> None:
    signal.signal(signal.SIGINT, signal.SIG_IGN)  # Ctrl+C is the parent's to answer
    limit = OWN_MEMORY + memory
    resource.setrlimit(resource.RLIMIT_DATA, (limit, limit))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    report = [lambda done, total: theirs.send(("progress", (done, total)))] if reports else []
    try:
        theirs.send(("done", task(*args, *report)))
    except (MediaError, OSError) as error:
        theirs.send(("raised", error))
    except MemoryError:
        theirs.send(("memory", None))

"""A whole delivery in one process, from the shot to the folder; what was rendered before a crash is not rendered again."""

from __future__ import annotations

import hashlib
import shutil
from collections.abc import Callable
from pathlib import Path
from typing import Any
from uuid import uuid4

import orjson

from wiseglove.delivery.chunk import Opened, render_chunk
from wiseglove.delivery.finish import Finishing, Remarks, finish
from wiseglove.delivery.plan import Plan
from wiseglove.delivery.readback import MANIFEST, UNFINISHED
from wiseglove.media.clip import disk_full
from wiseglove.media.durable import put_in_place, sync_below
from wiseglove.shot.evaluated import EvaluatedShot

Said = Callable[[int, int, str], None]
"""Called with frames done, all frames, and what is being written; raises to stop."""


class CannotWriteError(RuntimeError):
    """A folder that a delivery cannot be written to, in words."""


def key_of(shot: EvaluatedShot, plan: Plan) -> str:
    """What tells pieces of this very delivery from those of others: the shot and what is rendered of it."""
    document = orjson.dumps(
        [shot.document.model_dump(mode="json"), plan.preset.model_dump(mode="json"), plan.top],
        option=orjson.OPT_SORT_KEYS,
    )
    return hashlib.sha256(document).hexdigest()[:16]


def chunk_name(frames: range) -> str:
    """What a piece's folder is called."""
    return f"{frames.start:07d}-{frames.stop - 1:07d}"


def chunk_into(
    shot: EvaluatedShot, plan: Plan, frames: range, opened: Opened, home: Path, said: Callable[[int], None]
) -> None:
    """Render a piece under a name of its own and rename it when it is whole; where it is there already, nothing is done."""
    done = home / chunk_name(frames)
    if done.is_dir():
        return
    part = home / f"{chunk_name(frames)}.{uuid4().hex[:8]}.part"
    part.mkdir(parents=True)
    try:
        render_chunk(shot, plan, frames, opened, part, said)
        sync_below(part)
        put_in_place(part, done)
    finally:
        shutil.rmtree(part, ignore_errors=True)


def deliver(
    shot: EvaluatedShot,
    plan: Plan,
    remarks: Remarks,
    opened: Opened,
    out: Path,
    said: Said = lambda done, all_, what: None,
) -> dict[str, Any]:
    """Render a delivery into a folder; its manifest, which is written last.

    Raises CannotWriteError for a folder that holds something else, NotWholeError where what was written is not right.
    """
    _check_empty(out)
    home = out / UNFINISHED / key_of(shot, plan)
    total = len(plan.frames) * bool(plan.chunks)
    try:
        home.mkdir(parents=True, exist_ok=True)
        before = 0
        for frames in plan.chunks:
            chunk_into(shot, plan, frames, opened, home, lambda n, start=before: said(start + n, total, "rendering"))  # type: ignore[misc]
            before += len(frames)
        parts = [home / chunk_name(frames) for frames in plan.chunks]
        manifest = finish(Finishing(shot, plan, parts, out, remarks, opened), lambda what: said(total, total, what))
    except OSError as error:
        if disk_full(error) is not None:
            raise CannotWriteError(
                f"The disk of {out} is full. What was rendered so far is kept in {out / UNFINISHED}; nothing there counts as "
                "a delivery. Make room and give the same command again: it goes on from there."
            ) from error
        raise CannotWriteError(
            f"Nothing more can be written to {out}: {error.strerror or error}. What was rendered so far is kept. Check the "
            "folder and give the same command again."
        ) from error
    shutil.rmtree(out / UNFINISHED, ignore_errors=True)
    return manifest


def _check_empty(out: Path) -> None:
    if out.exists() and not out.is_dir():
        raise CannotWriteError(f"{out} is a file. Nothing was rendered. Name a folder.")
    found = [p.name for p in out.iterdir() if p.name != UNFINISHED] if out.is_dir() else []
    if MANIFEST in found:
        raise CannotWriteError(
            f"{out} holds a delivery already, which is left as it is. Nothing was rendered. Name another folder, or delete it."
        )
    if found and not (out / UNFINISHED).is_dir():
        raise CannotWriteError(
            f"{out} holds other files ({', '.join(sorted(found)[:3])} ...), which are left as they are. Nothing was "
            "rendered. Name an empty folder, or one that is not there yet."
        )

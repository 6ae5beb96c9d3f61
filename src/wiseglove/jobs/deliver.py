"""A delivery on the queue: cut into pieces that any worker takes, put together by the one that has the job."""

from __future__ import annotations

import os
import shutil
import socket
import time
from collections.abc import Callable
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

from sqlalchemy.exc import OperationalError

from wiseglove.delivery.chunk import render_chunk
from wiseglove.delivery.finish import Finishing, Remarks, finish, zipped
from wiseglove.delivery.plan import Plan, planned
from wiseglove.delivery.preset import Item, Preset
from wiseglove.delivery.shot_file import Media
from wiseglove.interchange.timeline import Marker
from wiseglove.jobs.abilities import abilities, lacking
from wiseglove.jobs.putting import Queue
from wiseglove.jobs.run import Outcome, Run, patiently
from wiseglove.media.durable import put_in_place, sync_file
from wiseglove.settings import Settings
from wiseglove.shot.beside import Beside
from wiseglove.shot.evaluated import EvaluatedShot
from wiseglove.shot.formats import upgraded_shot
from wiseglove.shot.model import Shot
from wiseglove.store import chunks
from wiseglove.store.database import Database
from wiseglove.store.errors import StoreError
from wiseglove.store.objects import Objects
from wiseglove.store.pictures import ExactPictures
from wiseglove.store.workers import Abilities

EVERY = 2.0
"""Seconds between two words from a worker about its piece."""
WAIT = 0.4
"""Seconds between two looks at the pieces that others are at work on."""
Payload = dict[str, Any]


class Ordered:
    """A delivery as it was ordered, on a machine that works on it."""

    def __init__(self, settings: Settings, job: str, payload: Payload) -> None:
        self.settings, self.job = settings, job
        self.shot = EvaluatedShot.of(Shot.model_validate(upgraded_shot(payload["shot"]), strict=False))
        self.remarks = _remarks(payload, self.shot)
        self.plan: Plan = planned(self.shot, preset_of(payload), self.remarks.version)
        self.objects = Objects(settings.store)

    def lacks(self, can: Abilities | None = None) -> str:
        """What a worker (this one, where none is said) has not that it needs, in words; nothing where it has all."""
        return lacking(self.plan, can or abilities([]))

    @property
    def home(self) -> Path:
        """Where pieces lie on this machine."""
        return parts_of(self.settings, self.job)

    def opened(self) -> ExactPictures:
        """A way to the clips' own pictures."""
        return ExactPictures(self.settings.media)

    def piece(self, number: int, attempt: int) -> Path:
        """The folder of an attempt's files."""
        return self.home / f"{number:05d}.{attempt}"

    def name(self, number: int, attempt: int) -> str:
        """The same in the store."""
        return f"parts/{self.job}/{number:05d}.{attempt}"


def parts_of(settings: Settings, job: str) -> Path:
    """Where the pieces of a delivery lie until it is whole."""
    return settings.deliveries / f"parts-{job}"


def preset_of(payload: Payload) -> Preset:
    """What was ordered; orders of before presets are read too."""
    if "preset" in payload:
        return Preset.model_validate(payload["preset"], strict=False)
    old, items = payload["order"], []
    if old.get("matte"):
        items.append(Item(what="union", form="png8"))
    if old.get("each_cover"):
        items += [Item(what="cover", form="png8"), Item(what="subject", form="png8")]
    if old.get("subjects"):
        items.append(Item(what="cut", form="png16"))
    if old.get("composite"):
        items.append(Item(what="composite", form="mp4"))
    if old.get("corners"):
        items.append(Item(what="motion", form="csv"))
    return Preset(name="Delivery", items=items)


def _remarks(payload: Payload, shot: EvaluatedShot) -> Remarks:
    told = payload.get("remarks", {})
    return Remarks(
        version=told.get("version") or f"r{shot.revision}",
        notes=[Marker(**m) for m in told.get("notes", [])],
        media={i: Media.model_validate(m) for i, m in told.get("media", {}).items()},
        comment=told.get("comment", ""),
        beside=Beside.model_validate(told.get("beside", {})),
    )


def work(run: Run) -> Outcome:
    """Render the shot as it was when the delivery was ordered, together with whoever helps."""
    began = time.monotonic()
    ordered = Ordered(run.settings, run.job, run.payload)
    if without := ordered.lacks():
        raise StoreError(
            f"This worker cannot make the delivery: {without}. Nothing was rendered. Start a worker that can, or leave that out."
        )
    plan = ordered.plan
    patiently(lambda: run.database.within(chunks.lay_out, run.job, len(plan.chunks)))
    queue = Queue(run.settings.database_url)
    patiently(lambda: run.database.within(queue.ask_for_help, run.job, len(plan.chunks)))
    try:
        while not _whole(run, plan):
            if not render_next(run.database, ordered, lambda: _whole(run, plan)):
                time.sleep(WAIT)  # others are still at work
        return _finished(run, ordered, began)
    except OperationalError:
        raise  # it is gone on with later, from the pieces that are there
    except BaseException:
        shutil.rmtree(ordered.home, ignore_errors=True)
        raise


def _whole(run: Run, plan: Plan) -> bool:
    """Tell how far all of it is; whether that is the end."""
    frames, _, whole = patiently(lambda: run.database.within(chunks.standing, run.job))
    run.progress(min(frames, max(len(plan.frames) - 1, 0)), len(plan.frames))
    return whole


def worker_name() -> str:
    """What this process is called among workers."""
    return f"{socket.gethostname()}:{os.getpid()}"


def help_with(database: Database, settings: Settings, job: str, payload: Payload) -> int:
    """Render pieces of a delivery that somebody else has, until there is none left; how many. None that are too much for us."""
    ordered, done = Ordered(settings, job, payload), 0
    if ordered.lacks():
        return 0
    while render_next(database, ordered):
        done += 1
    return done


def render_next(database: Database, ordered: Ordered, told: Callable[[], object] = lambda: None) -> bool:
    """Render the next free piece; False where there is none. told: called now and then meanwhile."""
    taken = patiently(lambda: database.within(chunks.take, ordered.job, worker_name()))
    if taken is None:
        return False
    number, attempt = taken
    folder = ordered.piece(number, attempt)
    shutil.rmtree(folder, ignore_errors=True)
    folder.mkdir(parents=True)
    last = 0.0

    def said(done: int) -> None:
        nonlocal last
        now = time.monotonic()
        if now - last < EVERY:
            return
        last = now
        if not patiently(lambda: database.within(chunks.heard, ordered.job, number, attempt, done)):
            raise _OvertakenError
        told()

    frames = ordered.plan.chunks[number]
    try:
        render_chunk(ordered.shot, ordered.plan, frames, ordered.opened, folder, said)
        if ordered.objects.remote:
            ordered.objects.push(folder, ordered.name(number, attempt))
        if not patiently(lambda: database.within(chunks.settle, ordered.job, number, attempt, len(frames))):
            raise _OvertakenError
    except _OvertakenError:
        shutil.rmtree(folder, ignore_errors=True)
        if ordered.objects.remote:
            ordered.objects.remove(ordered.name(number, attempt))
    except BaseException:
        shutil.rmtree(folder, ignore_errors=True)
        raise
    told()
    return True


class _OvertakenError(Exception):
    """Somebody else has taken the piece over, or nobody wants it any more."""


def _finished(run: Run, ordered: Ordered, began: float) -> Outcome:
    """The pieces put together, read back and packed."""
    settings, plan = run.settings, ordered.plan
    _, done, _ = patiently(lambda: run.database.within(chunks.standing, run.job))
    parts = []
    for number, attempt in done:
        folder = ordered.piece(number, attempt)
        if not folder.is_dir() and ordered.objects.remote:
            ordered.objects.pull(ordered.name(number, attempt), folder)
        if not folder.is_dir():
            patiently(lambda n=number: run.database.within(chunks.start_anew, run.job, n))  # type: ignore[misc]
            return work(run)
        parts.append(folder)
    final = settings.deliveries / f"{run.job}.zip"
    part = final.with_suffix(f".{run.attempt}.part")
    try:
        with TemporaryDirectory(dir=settings.deliveries, prefix=f"{run.job}.") as scratch:
            target = Path(scratch) / plan.top
            manifest = finish(
                Finishing(ordered.shot, plan, parts, target, ordered.remarks, ordered.opened),
                lambda _: run.progress(max(len(plan.frames) - 1, 0), len(plan.frames)),
            )
            zipped(target, plan.top, part)
        sync_file(part)
        put_in_place(part, final)
        if ordered.objects.remote:
            ordered.objects.push(final, f"deliveries/{final.name}")
    finally:
        part.unlink(missing_ok=True)
    files = len(manifest["files"]) + 1
    size = final.stat().st_size
    result = {
        "files": files, "bytes": size, "seconds": round(time.monotonic() - began, 2), "frames": len(plan.frames),
        "pixels": plan.size[0] * plan.size[1], "spent": _spent(manifest), "name": f"{plan.top}.zip",
    }  # fmt: skip

    def tidy() -> None:
        shutil.rmtree(ordered.home, ignore_errors=True)
        if ordered.objects.remote:
            ordered.objects.remove(f"parts/{run.job}")

    return Outcome(f"{files} files, {size / 1e6:.1f} MB, read back and whole.", result, None, tidy)


def _spent(manifest: dict[str, Any]) -> dict[str, int]:
    """Bytes by what was written and how."""
    out: dict[str, int] = {}
    for file in manifest["files"]:
        key = f"{file['what']}:{file['form']}"
        out[key] = out.get(key, 0) + file["size"]
    return out

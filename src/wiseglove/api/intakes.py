"""Taking files in: receive, understand, correct, decode."""

from __future__ import annotations

import asyncio
import errno
import hashlib
import shutil
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any, Literal

from fastapi import APIRouter, Request, Response
from pydantic import BaseModel, ConfigDict, Field
from sqlalchemy import select
from sqlalchemy.orm import Session
from starlette.requests import ClientDisconnect

from wiseglove.api.context import Context, Ctx
from wiseglove.api.paging import LINKED, Page
from wiseglove.api.schemas import Answer
from wiseglove.media import clip
from wiseglove.media.encode import jpeg
from wiseglove.media.errors import MediaError
from wiseglove.media.info import Understood
from wiseglove.media.probe import probe
from wiseglove.shot.basics import new_id
from wiseglove.store.errors import NotFoundError, StoreError
from wiseglove.store.jobs import Job, as_job
from wiseglove.store.tables import IntakeRow, JobRow, ShotRow

router = APIRouter(prefix="/api/intakes", tags=["intakes"])
MOST_BYTES = 1 << 62
"""No limit of its own for a file's body: each is held to the size that was announced, and that to the settings."""
ABANDONED = timedelta(minutes=20)
"""An intake whose files stopped coming is removed after this."""


class FileClaim(BaseModel):
    """A file that is going to be sent."""

    name: str = Field(min_length=1, max_length=255)
    size: int = Field(ge=0)


class IntakeRequest(BaseModel):
    """Which files come, and what for."""

    purpose: Literal["plate", "insert"] = "plate"
    shot: str | None = None
    files: list[FileClaim] = Field(min_length=1, max_length=50_000)


class Correction(BaseModel):
    """What the artist says about the files; gaps are held only when it says so."""

    model_config = ConfigDict(extra="forbid")

    name: str = Field(min_length=1, max_length=80)
    first: int = Field(ge=0, le=9_999_999)
    rate_num: int = Field(ge=1, le=1_000_000)
    rate_den: int = Field(ge=1, le=1_000_000)
    pixel_aspect: float = Field(ge=0.1, le=10, allow_inf_nan=False)
    hold_gaps: bool = False


class Intake(Answer):
    """An intake as the page sees it."""

    id: str
    purpose: str
    shot: str | None
    state: str
    understood: Understood | None
    message: str
    job: Job | None = None


def _as_intake(session: Session, row: IntakeRow) -> Intake:
    job = session.scalars(
        select(JobRow).where(JobRow.intake == row.id).order_by(JobRow.made_at.desc()).limit(1)
    ).first()
    return Intake(
        id=row.id,
        purpose=row.purpose,
        shot=row.shot,
        state=row.state,
        understood=Understood.model_validate(row.understood) if row.understood else None,
        message=row.message,
        job=as_job(job) if job else None,
    )


def _row(session: Session, intake_id: str, lock: bool = False) -> IntakeRow:
    row = session.get(IntakeRow, intake_id, with_for_update=lock)
    if row is None:
        raise NotFoundError("This intake does not exist any more. Drop the files again.")
    return row


@router.post("", status_code=201)
def begin(request: IntakeRequest, context: Ctx) -> Intake:
    """Announce files. Refused where one is too large or there is no room for them."""
    names = [Path(f.name).name for f in request.files]
    if len(set(names)) != len(names):
        raise StoreError("Two of the files have the same name. Nothing was taken in. Rename one of them.")
    for claim in request.files:
        if claim.size > context.settings.largest_file:
            raise StoreError(
                f"“{claim.name}” has {claim.size / 1e9:.1f} GB; this server takes at most "
                f"{context.settings.largest_file / 1e9:.1f} GB in one file. Nothing was taken in. Make it smaller."
            )
    total = sum(f.size for f in request.files)
    free = shutil.disk_usage(context.settings.intakes).free
    if total > free:
        raise StoreError(
            f"The files need {total / 1e9:.1f} GB, but {free / 1e9:.1f} GB are free on the server's disk. "
            "Nothing was taken in. Make room there, then try again."
        )
    with context.database.transaction() as session:
        if request.purpose == "insert" and session.get(ShotRow, request.shot or "") is None:
            raise NotFoundError("The shot that this insert is for does not exist any more.")
        files: dict[str, Any] = {n: {"size": f.size} for n, f in zip(names, request.files, strict=True)}
        row = IntakeRow(
            id=new_id(), purpose=request.purpose, shot=request.shot, state="receiving", files=files, message=""
        )
        session.add(row)
        session.flush()
        (context.settings.intakes / row.id / "source").mkdir(parents=True)
        return _as_intake(session, row)


@router.put("/{intake_id}/files/{name}", status_code=204, max_body_size=MOST_BYTES)
async def receive(intake_id: str, name: str, request: Request, context: Ctx) -> Response:
    """The bytes of one file. A file that is cut short leaves nothing behind and can be sent again."""
    size = await asyncio.to_thread(_expected_size, context, intake_id, name)
    folder = context.settings.intakes / intake_id / "source"
    part = context.settings.intakes / intake_id / f"{new_id()}.part"
    digest, received = hashlib.sha256(), 0
    try:
        with part.open("wb") as file:
            async for chunk in request.stream():
                received += len(chunk)
                if received > size:
                    raise StoreError(f"“{name}” is larger than was announced. Nothing was kept; send it again.")
                digest.update(chunk)
                await asyncio.to_thread(file.write, chunk)
        if received != size:
            raise StoreError(
                f"“{name}” was cut off after {received} of {size} bytes. Nothing was kept of it; send it again."
            )
        part.replace(folder / name)
    except ClientDisconnect:
        return Response(status_code=204)
    except OSError as error:
        if error.errno in (errno.ENOSPC, errno.EDQUOT):
            raise StoreError(
                f"The server's disk is full, so “{name}” could not be stored. Your file and all shots are as they were. "
                "Make room there, then send it again."
            ) from error
        raise
    finally:
        part.unlink(missing_ok=True)
    await asyncio.to_thread(_note_received, context, intake_id, name, digest.hexdigest())
    return Response(status_code=204)


def _expected_size(context: Context, intake_id: str, name: str) -> int:
    with context.database.transaction() as session:
        row = _row(session, intake_id)
        if row.state != "receiving" or name not in row.files:
            raise StoreError(f"“{name}” was not announced for this intake. Drop the files again.")
        row.touched_at = datetime.now(UTC)
        return int(row.files[name]["size"])


def _note_received(context: Context, intake_id: str, name: str, sha256: str) -> None:
    with context.database.transaction() as session:
        row = _row(session, intake_id, lock=True)
        row.files = {**row.files, name: {**row.files[name], "sha256": sha256}}
        row.touched_at = datetime.now(UTC)


@router.post("/{intake_id}/understand")
def understand(intake_id: str, context: Ctx) -> Intake:
    """Say what the files are. Where they cannot be taken in, the intake is removed and the reason told."""
    with context.database.transaction() as session:
        row = _row(session, intake_id)
        missing = [n for n, f in row.files.items() if "sha256" not in f]
        names = list(row.files)
    if missing:
        raise StoreError(f"“{missing[0]}” has not arrived yet. Send it first.")
    folder = context.settings.intakes / intake_id / "source"
    try:
        understood = probe([folder / n for n in names], context.settings.limits)
        if understood.kind == "still" and row.purpose == "plate" and understood.count < 1:
            raise MediaError("A plate needs at least one picture.")
    except MediaError:
        _remove(context, intake_id)
        raise
    with context.database.transaction() as session:
        row = _row(session, intake_id, lock=True)
        row.understood, row.state = understood.model_dump(mode="json"), "understood"
        return _as_intake(session, row)


@router.post("/{intake_id}/accept")
def accept(intake_id: str, correction: Correction, context: Ctx) -> Intake:
    """Take the corrections and start decoding."""
    with context.database.transaction() as session:
        row = _row(session, intake_id, lock=True)
        if row.state not in ("understood", "failed") or row.understood is None:
            raise StoreError("This intake is being decoded already, or its files have not all come.")
        understood = Understood.model_validate(row.understood)
        if understood.gaps and not correction.hold_gaps:
            raise StoreError(
                "Some frames are missing from this sequence. Nothing was taken in yet. Add the missing files, or "
                "choose to hold the frame before each gap."
            )
        corrected = understood.model_copy(update=correction.model_dump(exclude={"hold_gaps"}))
        row.understood = corrected.model_dump(mode="json")
        row.state, row.message = "decoding", ""
        context.queue.put(session, "take-in", f"Decoding {corrected.name}", {}, shot=row.shot, intake=row.id)
        return _as_intake(session, row)


@router.get("", responses=LINKED)
def list_intakes(context: Ctx, page: Page) -> list[Intake]:
    """Intakes of plates that are not finished, oldest first."""
    with context.database.transaction() as session:
        unfinished = IntakeRow.state.in_(["understood", "decoding", "failed"]) & (IntakeRow.purpose == "plate")
        rows = page.rows(session, select(IntakeRow).where(unfinished).order_by(IntakeRow.touched_at, IntakeRow.id))
        return [_as_intake(session, row) for row in rows]


@router.get("/{intake_id}")
def read_intake(intake_id: str, context: Ctx) -> Intake:
    """One intake."""
    with context.database.transaction() as session:
        return _as_intake(session, _row(session, intake_id))


@router.get("/{intake_id}/picture.jpg", response_class=Response)
def read_first_picture(intake_id: str, context: Ctx) -> Response:
    """The first picture of what came, at most 680 pixels wide, to see whether it is the right one."""
    with context.database.transaction() as session:
        row = _row(session, intake_id)
        if row.understood is None or row.state == "done":
            raise NotFoundError("These files are not here: not looked at yet, or taken in already.")
        understood = Understood.model_validate(row.understood)
    pixels = clip.first_picture(context.settings.intakes / intake_id / "source", understood)
    return Response(jpeg(pixels, 88), media_type="image/jpeg", headers={"Cache-Control": "private, max-age=600"})


@router.delete("/{intake_id}", status_code=204)
def discard(intake_id: str, context: Ctx) -> Response:
    """Forget the intake and its files; a decoding that runs stops by itself."""
    with context.database.transaction() as session:
        _row(session, intake_id)
    _remove(context, intake_id)
    return Response(status_code=204)


def _remove(context: Context, intake_id: str) -> None:
    with context.database.transaction() as session:
        row = session.get(IntakeRow, intake_id)
        if row is not None:
            session.delete(row)
    shutil.rmtree(context.settings.intakes / intake_id, ignore_errors=True)


def sweep(context: Context) -> None:
    """Remove intakes whose files stopped coming, finished ones, and folders that belong to none."""
    border = datetime.now(UTC) - ABANDONED
    with context.database.transaction() as session:
        stale = session.scalars(
            select(IntakeRow.id).where(
                ((IntakeRow.state == "receiving") & (IntakeRow.touched_at < border))
                | ((IntakeRow.state == "done") & (IntakeRow.touched_at < border))
            )
        ).all()
    for intake_id in stale:
        _remove(context, intake_id)
    with context.database.transaction() as session:
        known = set(session.scalars(select(IntakeRow.id)))
    for folder in context.settings.intakes.iterdir():
        old = datetime.fromtimestamp(folder.stat().st_mtime, UTC) < border
        if folder.name not in known and old:
            shutil.rmtree(folder, ignore_errors=True)

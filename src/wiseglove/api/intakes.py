"""Taking files in: receive, understand, correct, decode."""

from __future__ import annotations

import contextlib
import shutil
from collections.abc import Sequence
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Annotated, Literal

from fastapi import APIRouter, Query, Response
from pydantic import BaseModel, ConfigDict, Field
from sqlalchemy import insert, select
from sqlalchemy.orm import Session

from wiseglove.api.context import Context, Ctx
from wiseglove.api.paging import LINKED, Page
from wiseglove.api.schemas import Answer
from wiseglove.media import clip
from wiseglove.media.encode import jpeg
from wiseglove.media.errors import MediaError
from wiseglove.media.guarded import guarded
from wiseglove.media.info import Understood
from wiseglove.media.light import Light
from wiseglove.media.probe import probe
from wiseglove.shot.basics import new_id
from wiseglove.store.errors import NotFoundError, StoreError
from wiseglove.store.jobs import Job, as_job
from wiseglove.store.tables import IntakeFileRow, IntakeRow, JobRow, ShotRow

router = APIRouter(prefix="/api/intakes", tags=["intakes"])
ABANDONED = timedelta(minutes=20)
"""An intake whose files stopped coming is removed after this."""
FORGOTTEN = timedelta(days=1)
"""An insert that was never accepted is removed after this."""


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
    layer: str = Field(default="", max_length=255)
    light: Light = "usual"
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


def as_intake(session: Session, row: IntakeRow) -> Intake:
    """An intake with its newest job."""
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


def row_of(session: Session, intake_id: str, lock: bool = False) -> IntakeRow:
    """An intake's row. Raises NotFoundError."""
    row = session.get(IntakeRow, intake_id, with_for_update=lock)
    if row is None:
        raise NotFoundError("This intake does not exist any more. Drop the files again.")
    return row


@router.post("", status_code=201)
def begin(request: IntakeRequest, context: Ctx) -> Intake:
    """Announce files. Refused where one is too large or there is no room for them."""
    names = [Path(f.name.replace("\0", "")).name or "unnamed" for f in request.files]
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
        shot = request.shot if request.purpose == "insert" else None
        row = IntakeRow(id=new_id(), purpose=request.purpose, shot=shot, state="receiving", message="")
        session.add(row)
        session.flush()
        files = [
            {"intake": row.id, "number": i, "name": name, "kept_as": clip.kept_as(i, name), "size": claim.size}
            for i, (name, claim) in enumerate(zip(names, request.files, strict=True))
        ]
        session.execute(insert(IntakeFileRow), files)
        (context.settings.intakes / row.id / "source").mkdir(parents=True)
        return as_intake(session, row)


def _files(session: Session, intake_id: str) -> Sequence[IntakeFileRow]:
    of_it = select(IntakeFileRow).where(IntakeFileRow.intake == intake_id)
    return session.scalars(of_it.order_by(IntakeFileRow.number)).all()


@router.post("/{intake_id}/understand")
def understand(intake_id: str, context: Ctx) -> Intake:
    """Say what the files are. Where they cannot be taken in, the intake is removed and the reason told."""
    with context.database.transaction() as session:
        row = row_of(session, intake_id)
        if row.state in ("decoding", "done"):
            return as_intake(session, row)
        files = _files(session, intake_id)
        purpose = row.purpose
    missing = next((f for f in files if f.sha256 is None), None)
    if missing is not None:
        raise StoreError(f"“{missing.name}” has not arrived yet. Send it first.")
    folder = context.settings.intakes / intake_id / "source"
    limits = context.settings.limits
    try:
        understood = guarded(
            probe, [folder / f.kept_as for f in files], limits, [f.name for f in files], memory=limits.memory
        )
        if understood.kind == "still" and purpose == "plate" and understood.count < 1:
            raise MediaError("A plate needs at least one picture.")
    except MediaError:
        _remove(context, intake_id)
        raise
    with context.database.transaction() as session:
        row = row_of(session, intake_id, lock=True)
        if row.state in ("receiving", "understood", "failed"):
            row.understood, row.state = understood.model_dump(mode="json"), "understood"
        return as_intake(session, row)


@router.post("/{intake_id}/accept")
def accept(intake_id: str, correction: Correction, context: Ctx) -> Intake:
    """Take the corrections and start decoding."""
    with context.database.transaction() as session:
        row = row_of(session, intake_id, lock=True)
        if row.state not in ("understood", "failed") or row.understood is None:
            raise StoreError("This intake is being decoded already, or its files have not all come.")
        understood = Understood.model_validate(row.understood)
        if understood.gaps and not correction.hold_gaps:
            raise StoreError(
                "Some frames are missing from this sequence. Nothing was taken in yet. Add the missing files, or "
                "choose to hold the frame before each gap."
            )
        _check_reading(understood, correction.layer, correction.light)
        corrected = understood.model_copy(update=correction.model_dump(exclude={"hold_gaps"}))
        row.understood = corrected.model_dump(mode="json")
        row.state, row.message = "decoding", ""
        context.queue.put(session, "take-in", f"Decoding {corrected.name}", {}, shot=row.shot, intake=row.id)
        return as_intake(session, row)


def _check_reading(understood: Understood, layer: str, light: Light) -> None:
    if layer and layer not in understood.layers:
        raise StoreError(f"These files have no layer “{layer}”. Nothing was taken in yet. Choose another layer.")
    if light == "lut" and not understood.lut:
        raise StoreError(
            "No look-up table came for these files. Nothing was taken in yet. Choose one, or another light."
        )


@router.get("", responses=LINKED)
def list_intakes(context: Ctx, page: Page) -> list[Intake]:
    """Intakes of plates that are not finished, oldest first."""
    with context.database.transaction() as session:
        unfinished = IntakeRow.state.in_(["understood", "decoding", "failed"]) & (IntakeRow.purpose == "plate")
        rows = page.rows(session, select(IntakeRow).where(unfinished).order_by(IntakeRow.touched_at, IntakeRow.id))
        return [as_intake(session, row) for row in rows]


@router.get("/{intake_id}")
def read_intake(intake_id: str, context: Ctx) -> Intake:
    """One intake."""
    with context.database.transaction() as session:
        return as_intake(session, row_of(session, intake_id))


@router.get("/{intake_id}/picture.jpg", response_class=Response)
def read_first_picture(
    intake_id: str,
    context: Ctx,
    layer: Annotated[str, Query(max_length=255)] = "",
    light: Annotated[Light | None, Query()] = None,
) -> Response:
    """The first picture of what came, at most 680 pixels wide, to see whether it is the right one, layer and light included."""
    with context.database.transaction() as session:
        row = row_of(session, intake_id)
        if row.understood is None or row.state == "done":
            raise NotFoundError("These files are not here: not looked at yet, or taken in already.")
        understood = Understood.model_validate(row.understood)
    _check_reading(understood, layer, light or understood.light)
    understood = understood.model_copy(update={"layer": layer or understood.layer, "light": light or understood.light})
    source = context.settings.intakes / intake_id / "source"
    pixels = guarded(clip.first_picture, source, understood, memory=context.settings.limits.memory)
    return Response(jpeg(pixels, 88), media_type="image/jpeg", headers={"Cache-Control": "private, max-age=600"})


@router.delete("/{intake_id}", status_code=204)
def discard(intake_id: str, context: Ctx) -> Response:
    """Forget the intake and its files; a decoding that runs stops by itself."""
    with context.database.transaction() as session:
        row_of(session, intake_id)
    _remove(context, intake_id)
    return Response(status_code=204)


def _remove(context: Context, intake_id: str) -> None:
    with context.database.transaction() as session:
        row = session.get(IntakeRow, intake_id)
        if row is not None:
            session.delete(row)
    shutil.rmtree(context.settings.intakes / intake_id, ignore_errors=True)


def sweep(context: Context) -> None:
    """Remove intakes whose files stopped coming, finished ones, inserts that nobody accepted, and folders of none."""
    now = datetime.now(UTC)
    still, forgotten = IntakeRow.touched_at < now - ABANDONED, IntakeRow.touched_at < now - FORGOTTEN
    waiting = IntakeRow.state.in_(["understood", "failed"]) & (IntakeRow.purpose == "insert")
    with context.database.transaction() as session:
        stale = session.scalars(
            select(IntakeRow.id).where((IntakeRow.state.in_(["receiving", "done"]) & still) | (waiting & forgotten))
        ).all()
    for intake_id in stale:
        _remove(context, intake_id)
    folders = [(folder, folder.stat().st_mtime) for folder in context.settings.intakes.iterdir()]
    with context.database.transaction() as session:
        known = set(session.scalars(select(IntakeRow.id)))
    for folder, changed in folders:
        if folder.name not in known and datetime.fromtimestamp(changed, UTC) < now - ABANDONED:
            shutil.rmtree(folder, ignore_errors=True)
        for part in folder.glob("*.part"):  # left by a server that was killed
            with contextlib.suppress(FileNotFoundError):
                if datetime.fromtimestamp(part.stat().st_mtime, UTC) < now - FORGOTTEN:
                    part.unlink()

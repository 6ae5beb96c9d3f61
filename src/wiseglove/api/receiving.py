"""Receiving the files of an intake: one by one, many small ones at once, and a look-up table for them."""

from __future__ import annotations

import asyncio
import contextlib
import errno
import hashlib
from collections.abc import Collection, Iterator, Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Annotated

from fastapi import APIRouter, File, Query, Request, Response, UploadFile
from fastapi import Path as PathParameter
from sqlalchemy import func, select, text
from sqlalchemy.orm import Session
from starlette.requests import ClientDisconnect

from wiseglove.api.context import Context, Ctx
from wiseglove.api.intakes import Intake, as_intake, row_of
from wiseglove.media.clip import kept_as
from wiseglove.media.info import Understood
from wiseglove.media.light import LARGEST_LUT, LUT_SUFFIX, check_lut
from wiseglove.shot.basics import new_id
from wiseglove.store.errors import NotFoundError, StoreError
from wiseglove.store.tables import IntakeFileRow

router = APIRouter(prefix="/api/intakes", tags=["intakes"])
MOST_BYTES = 1 << 62
"""No limit of its own for a file's body: each is held to the size that was announced, and that to the settings."""
SMALL = 4_000_000
"""Bytes up to which a file is kept in memory until all of it is there, which saves a way to the database."""
TOGETHER, TOGETHER_BYTES = 500, 32_000_000
"""Files and bytes that come in one request."""
FileNumber = Annotated[int, PathParameter(ge=0, le=50_000)]


@router.put("/{intake_id}/files/{number}", status_code=204, max_body_size=MOST_BYTES)
async def receive(intake_id: str, number: FileNumber, request: Request, context: Ctx) -> Response:
    """The bytes of one file, by its number in the announcement (0-based).

    A file that is cut short leaves nothing behind and can be sent again.
    """
    length = request.headers.get("content-length", "")
    if length.isdigit() and int(length) <= SMALL:
        try:
            content = await request.body()
        except ClientDisconnect:
            return Response(status_code=204)
        await asyncio.to_thread(_keep, context, intake_id, {number: content})
        return Response(status_code=204)
    claim = (await asyncio.to_thread(context.database.within, _claims, intake_id, [number]))[number]
    part = context.settings.intakes / intake_id / f"{new_id()}.part"
    digest, received = hashlib.sha256(), 0
    with _in_words(claim, part):
        try:
            with part.open("wb") as file:
                async for chunk in request.stream():
                    received += len(chunk)
                    claim.check(received, whole=False)
                    digest.update(chunk)
                    await asyncio.to_thread(file.write, chunk)
        except ClientDisconnect:
            return Response(status_code=204)
        claim.check(received, whole=True)
        part.replace(part.parent / "source" / claim.kept_as)
    await asyncio.to_thread(context.database.within, _note_received, intake_id, {number: digest.hexdigest()})
    return Response(status_code=204)


@router.post("/{intake_id}/files", status_code=204, max_body_size=TOGETHER_BYTES)
def receive_together(
    intake_id: str,
    files: Annotated[list[UploadFile], File(max_length=TOGETHER, description="Each named by its number.")],
    context: Ctx,
) -> Response:
    """Several small files at once, which is quicker than one by one; the file name of each is its number (0-based).

    Either all of them are kept or none; what was refused or cut off can be sent again.
    """
    contents: dict[int, bytes] = {}
    for file in files:
        name = file.filename or ""
        if not (name.isascii() and name.isdigit() and len(name) < 6) or int(name) in contents:
            raise StoreError(
                "The files sent together are not told apart by their numbers. Nothing was kept; send them again."
            )
        contents[int(name)] = file.file.read()
    _keep(context, intake_id, contents)
    return Response(status_code=204)


def _keep(context: Context, intake_id: str, contents: Mapping[int, bytes]) -> None:
    """Put files that are all there into their places, by number. Raises StoreError; then none of them counts as come."""
    source = context.settings.intakes / intake_id / "source"
    part = source.parent / f"{new_id()}.part"
    with context.database.transaction() as session:
        claims = _claims(session, intake_id, contents)
        for number, content in contents.items():
            claims[number].check(len(content), whole=True)
        for number, content in contents.items():
            with _in_words(claims[number], part):
                part.write_bytes(content)
                part.replace(source / claims[number].kept_as)
        _note_received(session, intake_id, {n: hashlib.sha256(c).hexdigest() for n, c in contents.items()})


@router.put("/{intake_id}/lut", max_body_size=LARGEST_LUT)
async def receive_lut(
    intake_id: str, name: Annotated[str, Query(min_length=1, max_length=255)], request: Request, context: Ctx
) -> Intake:
    """The look-up table (.cube) that brings these files to the display; its bytes are the body. It replaces an earlier one."""
    called = Path(name.replace("\0", "")).name or "table.cube"
    if Path(called).suffix.lower() != LUT_SUFFIX:
        raise StoreError(
            f"“{called}” is no .cube file. Nothing was changed. Choose a look-up table that ends in {LUT_SUFFIX}."
        )
    content = await request.body()
    return await asyncio.to_thread(_keep_lut, context, intake_id, called, content)


def _keep_lut(context: Context, intake_id: str, called: str, content: bytes) -> Intake:
    source = context.settings.intakes / intake_id / "source"
    part = source.parent / f"{new_id()}{LUT_SUFFIX}"
    with context.database.transaction() as session:
        row = row_of(session, intake_id, lock=True)
        if row.state not in ("understood", "failed") or row.understood is None:
            raise StoreError(
                "This intake is being decoded already, or its files have not all come. Nothing was changed."
            )
        last = session.scalar(select(func.max(IntakeFileRow.number)).where(IntakeFileRow.intake == intake_id))
        number = (last or 0) + 1
        claim = _Claim(called, len(content), kept_as(number, called))
        with _in_words(claim, part):
            part.write_bytes(content)
            check_lut(part, called)
            part.replace(source / claim.kept_as)
        digest = hashlib.sha256(content).hexdigest()
        session.add(
            IntakeFileRow(
                intake=intake_id, number=number, name=called, kept_as=claim.kept_as, size=len(content), sha256=digest
            )
        )
        row.understood = (
            Understood.model_validate(row.understood).with_lut(claim.kept_as, called).model_dump(mode="json")
        )
        session.flush()
        return as_intake(session, row)


@contextlib.contextmanager
def _in_words(claim: _Claim, part: Path) -> Iterator[None]:
    """What goes wrong with a file on its way to the disk, in words; what was written of it is removed."""
    try:
        yield
    except FileNotFoundError as error:
        raise NotFoundError("This intake was discarded meanwhile. Drop the files again.") from error
    except OSError as error:
        if error.errno in (errno.ENOSPC, errno.EDQUOT):
            raise StoreError(
                f"The server's disk is full, so “{claim.name}” could not be stored. Your file and all shots are as they "
                "were. Make room there, then send it again."
            ) from error
        raise
    finally:
        part.unlink(missing_ok=True)


@dataclass(frozen=True)
class _Claim:
    """What was announced of a file, and the name that it gets."""

    name: str
    size: int
    kept_as: str

    def check(self, received: int, whole: bool) -> None:
        """Raise StoreError for more bytes than were announced, or, of the whole file, for fewer."""
        if received > self.size:
            raise StoreError(f"“{self.name}” is larger than was announced. Nothing was kept; send it again.")
        if whole and received < self.size:
            raise StoreError(
                f"“{self.name}” was cut off after {received} of {self.size} bytes. Nothing was kept of it; send it again."
            )


CLAIMS = text(
    "select f.number, f.name, f.size, f.kept_as, i.state from intake_files f join intakes i on i.id = f.intake "
    "where f.intake = :intake and f.number = any(:numbers)"
)
RECEIVED = text(
    "update intake_files f set sha256 = came.sha256 from unnest(cast(:numbers as integer[]), cast(:digests as text[])) "
    "as came(number, sha256) where f.intake = :intake and f.number = came.number"
)
TOUCHED = text("update intakes set touched_at = now() where id = :intake and touched_at < now() - interval '1 minute'")
"""As text, for they are sent for each of very many files."""


def _claims(session: Session, intake_id: str, numbers: Collection[int]) -> dict[int, _Claim]:
    found = session.execute(CLAIMS, {"intake": intake_id, "numbers": list(numbers)}).all()
    if not found:
        row_of(session, intake_id)
    claims = {row.number: _Claim(row.name, row.size, row.kept_as) for row in found if row.state == "receiving"}
    unknown = [number for number in numbers if number not in claims]
    if unknown:
        raise StoreError(f"File {unknown[0]} was not announced for this intake. Drop the files again.")
    return claims


def _note_received(session: Session, intake_id: str, digests: Mapping[int, str]) -> None:
    came = {"intake": intake_id, "numbers": list(digests), "digests": list(digests.values())}
    session.execute(RECEIVED, came)
    session.execute(TOUCHED, {"intake": intake_id})

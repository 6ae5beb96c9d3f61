"""Clips: where their folders are, and the rows that say what they are."""

from __future__ import annotations

import shutil
from pathlib import Path

from sqlalchemy import select
from sqlalchemy.orm import Session

from wiseglove.media.info import MediaInfo
from wiseglove.shot.basics import Plate
from wiseglove.store.errors import NotFoundError
from wiseglove.store.tables import ClipRow, ShotClipRow, ShotRow


def info(session: Session, clip_id: str) -> MediaInfo:
    """What is known about a clip. Raises NotFoundError."""
    row = session.get(ClipRow, clip_id)
    if row is None:
        raise NotFoundError("This clip does not exist any more.")
    return MediaInfo.model_validate(row.info)


def add(session: Session, clip_id: str, about: MediaInfo) -> None:
    """Store what a clip is; the same clip may be stored again."""
    if session.get(ClipRow, clip_id) is None:
        session.add(ClipRow(id=clip_id, info=about.model_dump(mode="json")))
        session.flush()


def plate_of(clip_id: str, about: MediaInfo) -> Plate:
    """A clip as a plate."""
    return Plate(
        media=clip_id,
        width=about.width,
        height=about.height,
        first=about.first,
        count=about.count,
        rate_num=about.rate_num,
        rate_den=about.rate_den,
        pixel_aspect=about.pixel_aspect,
    )


def remove_unused(session: Session, media: Path) -> None:
    """Delete the clips that no shot uses any more, rows and files."""
    used = set(session.scalars(select(ShotRow.clip))) | set(session.scalars(select(ShotClipRow.clip)))
    for row in session.scalars(select(ClipRow).where(ClipRow.id.not_in(used))):
        session.delete(row)
        shutil.rmtree(media / row.id, ignore_errors=True)

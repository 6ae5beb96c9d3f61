"""Clips: where their folders are, and the rows that say what they are."""

from __future__ import annotations

import logging
import shutil
from collections.abc import Iterable
from pathlib import Path

from sqlalchemy import Select, delete, exists, func, select, update
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session

from wiseglove.media import clip
from wiseglove.media.info import MediaInfo
from wiseglove.shot.basics import Plate
from wiseglove.store.database import Database
from wiseglove.store.errors import NotFoundError, StoreError
from wiseglove.store.locks import may_delete
from wiseglove.store.objects import Objects
from wiseglove.store.tables import ClipRow, ShotClipRow, ShotRow

log = logging.getLogger(__name__)


def info(session: Session, clip_id: str) -> MediaInfo:
    """What is known about a clip. Raises NotFoundError."""
    row = session.get(ClipRow, clip_id)
    if row is None:
        raise NotFoundError("This clip does not exist any more.")
    return MediaInfo.model_validate(row.info)


def add(session: Session, clip_id: str, about: MediaInfo, room: int | None = None) -> None:
    """Store what a clip is and how many bytes it takes; the same clip may be stored again."""
    if session.get(ClipRow, clip_id) is None:
        session.add(ClipRow(id=clip_id, info=about.model_dump(mode="json"), room=room))
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


def hold(session: Session, clip_id: str) -> None:
    """Have a clip's row and files to oneself until the transaction ends: whoever brings or removes them does."""
    session.execute(select(func.pg_advisory_xact_lock(func.hashtextextended(f"clip {clip_id}", 0))))


def unused() -> Select[str]:
    """The query for clips that nothing refers to."""
    used = exists().where(ShotRow.clip == ClipRow.id) | exists().where(ShotClipRow.clip == ClipRow.id)
    return select(ClipRow.id).where(~used)


def bring_from(store: str, media: Path, shown: bool) -> None:
    """Have clips that are not on this machine brought from the store when they are looked for, if there is one.

    shown: with their display copies (see `Objects.bring_clips`).
    """
    objects = Objects(store)
    if objects.remote:
        clip.bring_missing(media, lambda clip_id: objects.bring_clips(media, [clip_id], shown))


def sweep(database: Database, media: Path, which: Iterable[str] | None = None, objects: Objects | None = None) -> int:
    """Delete clips that nothing refers to, their rows first and then their files; how many.

    which: those to look at; None is all there are, and folders that belong to none. What is being brought in at the same time
    is looked at again under its lock, so that nothing goes that a shot needs; a folder whose row could be deleted and that is
    still there after a crash goes the next time. objects: a store where they go as well.
    """
    if which is None:
        with database.transaction() as session:
            known = set(session.scalars(unused()))
            listed = set(session.scalars(select(ClipRow.id)))
        folders = {folder.name for folder in media.iterdir()}
        which = sorted(known | (folders - listed))
    return sum(_sweep(database, media, clip_id, objects) for clip_id in which)


def _sweep(database: Database, media: Path, clip_id: str, objects: Objects | None) -> bool:
    try:
        with database.transaction() as session:
            hold(session, clip_id)
            if not may_delete(session):
                return False
            session.execute(delete(ClipRow).where(ClipRow.id.in_(unused().where(ClipRow.id == clip_id))))
    except IntegrityError:  # a shot that refers to it came in between
        return False
    gone = media / f"{GOING}{clip_id.removeprefix(GOING)}"
    with database.transaction() as session:
        hold(session, clip_id.removeprefix(GOING))
        if not may_delete(session):
            return False
        if session.get(ClipRow, clip_id) is not None:
            return False
        if objects is not None and objects.remote and gone.name != clip_id:
            try:
                objects.remove(f"media/{clip_id}")
            except StoreError as error:
                log.warning("clip %s stays in the store: %s", clip_id, error)
        if not (media / clip_id).exists():
            return False
        if gone.name != clip_id:
            shutil.rmtree(gone, ignore_errors=True)
            (media / clip_id).rename(gone)
    shutil.rmtree(gone, ignore_errors=True)
    return True


def weigh(database: Database, media: Path) -> None:
    """Count the bytes of clips of which that is not known."""
    with database.transaction() as session:
        unknown = session.scalars(select(ClipRow.id).where(ClipRow.room.is_(None))).all()
    for clip_id in unknown:
        room = room_of(media / clip_id)
        with database.transaction() as session:
            session.execute(update(ClipRow).where(ClipRow.id == clip_id).values(room=room))


def room_of(folder: Path) -> int:
    """Bytes of the files below a folder."""
    return sum(entry.stat().st_size for entry in folder.rglob("*") if entry.is_file())


def rooms(session: Session, shots: Iterable[str]) -> dict[str, int]:
    """Bytes of the clips of each of some shots, plate and inserts; a clip that several use counts for each."""
    wanted = list(shots)
    plates = select(ShotRow.id, ClipRow.room).join(ClipRow, ClipRow.id == ShotRow.clip).where(ShotRow.id.in_(wanted))
    inserts = select(ShotClipRow.shot, ClipRow.room).join(ClipRow, ClipRow.id == ShotClipRow.clip)
    found = dict.fromkeys(wanted, 0)
    for shot, room in [*session.execute(plates), *session.execute(inserts.where(ShotClipRow.shot.in_(wanted)))]:
        found[shot] += room or 0
    return found


GOING = "going-"
"""Before the name of a folder whose files are being deleted."""

"""Decoding an accepted intake into a clip, and making a shot or an insert of it."""

from __future__ import annotations

import hashlib
import os
import shutil
from pathlib import Path
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from wiseglove.jobs.run import Outcome, Run
from wiseglove.media import clip
from wiseglove.media.durable import put_in_place, sync_below
from wiseglove.media.guarded import guarded
from wiseglove.media.identity import content_id
from wiseglove.media.info import MediaInfo, Understood
from wiseglove.media.probe import probe
from wiseglove.store import clips, jobs, shots
from wiseglove.store.errors import StoreError
from wiseglove.store.objects import Objects
from wiseglove.store.tables import IntakeFileRow, IntakeRow, ShotClipRow


def work(run: Run) -> Outcome:
    """Decode, move the clip to its place, and store it; all or nothing."""
    folder = run.settings.intakes / str(run.intake)
    with run.database.transaction() as session:
        intake = session.get(IntakeRow, run.intake)
        if intake is None or intake.understood is None:
            raise StoreError("The files of this intake are gone. Take them in again.")
        understood = Understood.model_validate(intake.understood)
        files = select(IntakeFileRow.kept_as, IntakeFileRow.sha256).where(IntakeFileRow.intake == run.intake)
        hashes = {kept_as: sha256 for kept_as, sha256 in session.execute(files)}
    clip_id = content_id(understood, hashes)
    home = run.settings.media / clip_id
    target = folder / f"attempt-{run.attempt}"
    if (home / "clip.json").exists():
        decoded = clip.read_info(home)
    else:
        for left in folder.glob("attempt-*"):  # by a worker that was killed
            shutil.rmtree(left, ignore_errors=True)
        decoded = decode(run, folder / "source", target, understood)
        share(run, target, clip_id)
    about = decoded.model_copy(update={name: getattr(understood, name) for name in _CORRECTABLE})

    def settle(session: Session) -> dict[str, Any]:
        bring_in(session, home, target, about)
        return _store(session, run.intake, clip_id, about, understood)

    said = f"Took in {about.count} frames of {about.name}."
    return Outcome(said, {}, settle, lambda: shutil.rmtree(folder, ignore_errors=True))


def decode(run: Run, source: Path, target: Path, understood: Understood) -> MediaInfo:
    """Decode in a process of its own, and put the source files beside what came of them."""
    try:
        info = guarded(
            clip.decode, source, target, understood, memory=run.settings.limits.memory, progress=run.progress
        )
        shutil.copytree(source, target / "source", copy_function=_link)
        sync_below(target)
        return info
    except BaseException as error:
        shutil.rmtree(target, ignore_errors=True)
        if isinstance(error, OSError) and (full := clip.disk_full(error)) is not None:
            raise full from error
        raise


def take_made(run: Run, files: dict[str, Path], target: Path, name: str, **facts: int) -> tuple[str, MediaInfo]:
    """A clip of pictures that a job has written, decoded and shared, to be brought in; its id and what it is.

    files: by the names that tell their numbers, all in one folder that holds nothing else. facts: rate and first frame, where
    they are to be others than the files' own.
    """
    found = probe(list(files.values()), run.settings.limits, list(files))
    understood = found.model_copy(update={"name": name[:80], **facts})
    digests = {path.name: hashlib.sha256(path.read_bytes()).hexdigest() for path in files.values()}
    clip_id = content_id(understood, {kept: digests[kept] for kept in understood.files})
    source = next(iter(files.values())).parent
    about = decode(run, source, target, understood).model_copy(update={"name": understood.name})
    share(run, target, clip_id)
    return clip_id, about


def share(run: Run, target: Path, clip_id: str) -> None:
    """Put a decoded clip where other machines find it, before its row says that it is there."""
    objects = Objects(run.settings.store)
    if objects.remote and target.exists():
        objects.push(target, f"media/{clip_id}")


def bring_in(session: Session, home: Path, target: Path, about: MediaInfo) -> None:
    """Move a decoded clip to its home, which is named by its id, and store what it is. Raises StoreError."""
    clips.hold(session, home.name)
    if not (home / "clip.json").exists():
        if not target.exists():
            raise StoreError("The same files were deleted in the same moment. Nothing was taken in; try again.")
        put_in_place(target, home)
    clips.add(session, home.name, about, clips.room_of(home))


def belongs(session: Session, shot: str, clip_id: str) -> dict[str, Any]:
    """Make a clip one of a shot's, and tell the pages; what a job's result says of it."""
    session.merge(ShotClipRow(shot=shot, clip=clip_id))
    jobs.announce(session, "clips", {"shot": shot})
    return {"clip": clip_id}


_CORRECTABLE = ("name", "first", "rate_num", "rate_den", "pixel_aspect")


def _link(source: str, target: str) -> None:
    try:
        os.link(source, target)
    except OSError:
        shutil.copy2(source, target)


def _store(
    session: Session, intake_id: str | None, clip_id: str, about: MediaInfo, understood: Understood
) -> dict[str, Any]:
    intake = session.get(IntakeRow, intake_id, with_for_update=True)
    if intake is None:
        raise StoreError("This intake was discarded meanwhile. Nothing was taken in.")
    intake.state, intake.message = "done", ""
    if intake.purpose == "insert":
        return belongs(session, str(intake.shot), clip_id)
    shot = shots.create(session, understood.name, clips.plate_of(clip_id, about))
    jobs.announce(session, "shots", {})
    return {"clip": clip_id, "shot": shot.id}


def failed(session: Session, run: Run, message: str) -> None:
    """The intake keeps its files, so that it can be tried again; an empty message means cancelled."""
    intake = session.get(IntakeRow, run.intake)
    if intake is not None:
        intake.state, intake.message = ("failed" if message else "understood"), message

"""Decoding an accepted intake into a clip, and making a shot or an insert of it."""

from __future__ import annotations

import hashlib
import os
import shutil
from pathlib import Path
from typing import Any

from sqlalchemy.orm import Session

from wiseglove.jobs.run import Outcome, Run
from wiseglove.media import clip
from wiseglove.media.info import MediaInfo, Understood
from wiseglove.store import clips, jobs, shots
from wiseglove.store.errors import StoreError
from wiseglove.store.tables import IntakeRow, ShotClipRow


def work(run: Run) -> Outcome:
    """Decode, move the clip to its place, and store it; all or nothing."""
    folder = run.settings.intakes / str(run.intake)
    with run.database.transaction() as session:
        intake = session.get(IntakeRow, run.intake)
        if intake is None or intake.understood is None:
            raise StoreError("The files of this intake are gone. Take them in again.")
        understood = Understood.model_validate(intake.understood)
        hashes = intake.files
    clip_id = content_id(understood, hashes)
    home = run.settings.media / clip_id
    if (home / "clip.json").exists():
        decoded = clip.read_info(home)
    else:
        target = folder / f"attempt-{run.attempt}"
        decoded = clip.decode(folder / "source", target, understood, run.progress)
        _settle(folder / "source", target, home)
    about = decoded.model_copy(update={name: getattr(understood, name) for name in _CORRECTABLE})
    result = _store(run, clip_id, about, understood)
    shutil.rmtree(folder, ignore_errors=True)
    return Outcome(f"Took in {about.count} frames of {about.name}.", result)


_CORRECTABLE = ("name", "first", "rate_num", "rate_den", "pixel_aspect")


def content_id(understood: Understood, files: dict[str, Any]) -> str:
    """An id made from the files' contents and how they follow each other."""
    digest = hashlib.sha256()
    for name in understood.files:
        digest.update(files[name]["sha256"].encode())
    digest.update(repr((understood.kind, understood.numbers)).encode())
    return digest.hexdigest()[:24]


def _settle(source: Path, target: Path, home: Path) -> None:
    """Put the decoded clip in its place in one step; if another job was quicker, its copy stays."""
    shutil.copytree(source, target / "source", copy_function=_link)
    try:
        os.replace(target, home)
    except OSError:
        if not (home / "clip.json").exists():
            raise
        shutil.rmtree(target, ignore_errors=True)


def _link(source: str, target: str) -> None:
    try:
        os.link(source, target)
    except OSError:
        shutil.copy2(source, target)


def _store(run: Run, clip_id: str, about: MediaInfo, understood: Understood) -> dict[str, Any]:
    with run.database.transaction() as session:
        intake = session.get(IntakeRow, run.intake, with_for_update=True)
        if intake is None:
            raise StoreError("This intake was discarded meanwhile. Nothing was taken in.")
        clips.add(session, clip_id, about)
        intake.state, intake.message = "done", ""
        if intake.purpose == "insert":
            session.merge(ShotClipRow(shot=str(intake.shot), clip=clip_id))
            jobs.announce(session, "clips", {"shot": intake.shot})
            return {"clip": clip_id}
        shot = shots.create(session, understood.name, clips.plate_of(clip_id, about))
        jobs.announce(session, "shots", {})
        return {"clip": clip_id, "shot": shot.id}


def failed(session: Session, run: Run, message: str) -> None:
    """The intake keeps its files, so that it can be tried again; an empty message means cancelled."""
    intake = session.get(IntakeRow, run.intake)
    if intake is not None:
        intake.state, intake.message = ("failed" if message else "understood"), message

"""Makes a cover of mattes that came in as a clip of the shot: outlines that follow them over the frames, as one edit."""

from __future__ import annotations

from typing import Any, cast

from sqlalchemy.orm import Session

from wiseglove.delivery.bring_in import COVERAGE, Mattes, mattes_of
from wiseglove.jobs.run import Outcome, Run
from wiseglove.media.clip import ClipReader, folder_of, read_info
from wiseglove.shot.edits import Edit
from wiseglove.store import jobs, shots

KIND = "mattes"


def work(run: Run) -> Outcome:
    """Trace them and bring the cover in, whatever was changed meanwhile; all or nothing."""
    clip_id = str(run.payload["clip"])
    with run.database.transaction() as session:
        shot = shots.load(session, str(run.shot))
    folder = folder_of(run.settings.media, clip_id)
    info = read_info(folder)
    reader = ClipReader(folder / "source", info.model_copy(update={"light": COVERAGE.light}))
    try:
        mattes = Mattes(
            info.name,
            info.name,
            info.first,
            info.count,
            (info.width, info.height),
            lambda f: reader.read(f - info.first),
        )
        edit, told = mattes_of(shot, mattes, run.progress)
    finally:
        reader.close()

    def settle(session: Session) -> dict[str, Any]:
        return {**applied(session, run, cast(Edit, edit)), "clip": clip_id}

    return Outcome(f"Brought in {' '.join(told)}. Undo takes it back.", {}, settle)


def applied(session: Session, run: Run, edit: Edit) -> dict[str, Any]:
    """Make an edit in a job's name, whatever was changed meanwhile, and tell the pages; the new revision."""
    changed = shots.apply(session, str(run.shot), None, edit, run.job)
    jobs.announce_change(session, changed, by=changed.label)
    return {"revision": changed.shot.revision}

"""Versions of shots: made once, never changed, opened again."""

from __future__ import annotations

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from wiseglove.shot.basics import LONGEST_NAME
from wiseglove.shot.evaluated import EvaluatedShot
from wiseglove.shot.formats import upgraded_shot
from wiseglove.shot.model import Shot
from wiseglove.store import shots
from wiseglove.store.errors import NotFoundError
from wiseglove.store.recent import recent_versions
from wiseglove.store.tables import ShotRow, VersionRow


def label(number: int) -> str:
    """How a version is numbered: v001 and on."""
    return f"v{number:03d}"


def make(session: Session, shot_id: str, name: str, comment: str, frame: int, author: str | None) -> VersionRow:
    """Keep the shot as it is now as its next version. Raises NotFoundError."""
    row = session.get(ShotRow, shot_id, with_for_update=True)  # so that two at a time do not get the same number
    if row is None:
        raise NotFoundError("This shot does not exist any more. Go back to the list of shots.")
    shot = shots.load(session, shot_id)
    last = session.scalar(select(func.max(VersionRow.number)).where(VersionRow.shot == shot_id)) or 0
    plate = shot.plate
    made = VersionRow(
        shot=shot_id,
        number=last + 1,
        name=name.strip()[:LONGEST_NAME] or label(last + 1),
        comment=comment.strip(),
        frame=min(max(frame, plate.first), plate.last),
        revision=shot.revision,
        document=shot.document.model_dump(mode="json"),
        author=author,
    )
    session.add(made)
    session.flush()
    session.refresh(made, ["made_at"])  # not the document, which is large
    recent_versions(session).keep_when_committed(session, made.number, shot)
    return made


def find(session: Session, shot_id: str, number: int) -> VersionRow:
    """A version's row. Raises NotFoundError."""
    row = session.get(VersionRow, (shot_id, number))
    if row is None:
        raise NotFoundError(f"This shot has no version {label(number)}. Choose one from its list.")
    return row


def opened(session: Session, shot_id: str, number: int) -> EvaluatedShot:
    """The shot as it was then; as quick as the shot itself when it was opened or made before. Raises NotFoundError."""
    row, at_hand = find(session, shot_id, number), recent_versions(session)
    found = at_hand.find(shot_id, number)
    if found is None:
        found = EvaluatedShot.of(Shot.model_validate(upgraded_shot(row.document), strict=False))
        at_hand.keep_when_committed(session, number, found)
    return found

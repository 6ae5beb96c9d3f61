"""Shots in the database: loading, and edits, undo and redo through the journal.

Every change runs in one transaction that holds the shot's row. An edit of an older revision is made on the newest state
where none of the changes since is about the same places; else it is refused with what is in the way.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any

from pydantic import ValidationError
from sqlalchemy import Select, delete, func, select, update
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from wiseglove.shot import places
from wiseglove.shot.basics import LONGEST_NAME, Plate, new_id
from wiseglove.shot.changes import Span, changed_frames
from wiseglove.shot.edits import Applied, Edit
from wiseglove.shot.errors import EditError
from wiseglove.shot.evaluated import EvaluatedShot
from wiseglove.shot.formats import CHANGES, ELEMENTS, FORMAT, upgraded
from wiseglove.shot.model import Element, Shot, media_of, new_shot
from wiseglove.shot.patch import diff, patched
from wiseglove.store.errors import NotFoundError, RevisionError, StoreError
from wiseglove.store.recent import keep_when_committed, recent
from wiseglove.store.shapes import joined, parsed, split, uncollected
from wiseglove.store.tables import ElementRow, JournalRow, RevisionRow, ShotClipRow, ShotRow

Bodies = dict[str, Any]
REMEMBERED = 5000
"""Revisions back to which it is known what they changed."""


@dataclass(frozen=True)
class Missed:
    """What changed between two revisions: elements that are other or seen elsewhere, and frames that look otherwise."""

    elements: set[str] = field(default_factory=set)
    frames: Span | None = None

    def and_also(self, elements: set[str], frames: Span | None) -> Missed:
        """One more change."""
        spans = [s for s in (self.frames, frames) if s is not None]
        joint = (min(s[0] for s in spans), max(s[1] for s in spans)) if spans else None
        return Missed(self.elements | elements, joint)


@dataclass(frozen=True)
class Changed:
    """What whoever asked has to take over: the shot now, and all that differs from the revision that it knew."""

    shot: EvaluatedShot
    since: int
    label: str
    made: str | None
    missed: Missed
    others: list[str] = field(default_factory=list)
    """What others did in between, oldest first."""


@dataclass(frozen=True)
class History:
    """What undo and redo would do, None where there is nothing."""

    undo: str | None
    redo: str | None


def create(session: Session, name: str, plate: Plate) -> EvaluatedShot:
    """A new shot with nothing drawn. A name that is too long is cut."""
    name = name.replace("\0", "")[:LONGEST_NAME].strip() or "Shot"
    shot = new_shot(new_id(), name, plate)
    session.add(ShotRow(id=shot.id, name=name, clip=plate.media, plate=plate.model_dump(mode="json"), revision=0))
    session.flush()
    _store_elements(session, shot.id, {i: _body(e) for i, e in shot.elements.items()})
    return EvaluatedShot.of(shot)


def load(session: Session, shot_id: str) -> EvaluatedShot:
    """The shot as it is now. Raises NotFoundError."""
    row = session.get(ShotRow, shot_id)
    if row is None:
        raise NotFoundError("This shot does not exist any more. Go back to the list of shots.")
    return _read(session, row)


def _read(session: Session, row: ShotRow) -> EvaluatedShot:
    found = recent(session).find(row.id, row.revision)
    if found is None:
        columns = select(ElementRow.id, ElementRow.body, ElementRow.format, ElementRow.shapes)
        elements, shapes = {}, {}
        with uncollected():
            for element_id, body, written_as, numbers in session.execute(columns.where(ElementRow.shot == row.id)):
                elements[element_id], points = joined(upgraded(body, written_as, ELEMENTS), numbers)
                if points is not None:
                    shapes[element_id] = points
        plate = Plate.model_validate(row.plate)
        found = EvaluatedShot.of(Shot(id=row.id, revision=row.revision, plate=plate, elements=elements), shapes)
    keep_when_committed(session, found)
    return found


def apply(
    session: Session, shot_id: str, known: int | None, edit: Edit, edit_id: str | None = None, author: str | None = None
) -> Changed:
    """Apply an edit that was made on a revision, unless one of that id has been applied already.

    known: the revision; None for one that replaces whatever is there. author: who made it, where that is known.

    Raises EditError, RevisionError or NotFoundError; then nothing is changed.
    """
    # What the edit computes is computed on what is seen before the lock, so that nobody else waits for it; it counts
    # where nothing has come in between.
    seen = load(session, shot_id)
    early = _tried(session, seen, known, edit, edit_id)
    row, shot = _locked(session, shot_id, seen)
    revision = shot.revision if known is None else known
    done = _applied_already(session, shot_id, edit_id)
    if done is not None:
        return _again(session, shot, revision, done)
    others = _since(session, shot, revision)
    applied = early if early is not None and shot is seen else _applied(edit, shot)
    old = {i: _body(e) for i in applied.after if (e := shot.elements.get(i)) is not None}
    new = {i: _checked(e) for i, e in applied.after.items() if e is not None}
    _check_media(session, shot, applied)
    about = places.places_of(old, new)
    _check_apart(shot, others, about)
    session.execute(delete(JournalRow).where(JournalRow.shot == shot_id, JournalRow.undone))
    change = {"undo": diff(new, old), "redo": None}
    session.add(JournalRow(shot=shot_id, label=applied.label, kind=edit.type, change=change, format=FORMAT))
    after = shot.advanced(shot.document.with_elements(applied.after, shot.revision + 1))
    bodies = {i: new.get(i) for i in applied.after}
    return _stored(
        session, row, shot, after, _Step(applied.label, bodies, about, applied.made, edit_id, author), others, revision
    )


def _tried(session: Session, seen: EvaluatedShot, known: int | None, edit: Edit, edit_id: str | None) -> Applied | None:
    """What an edit does to a shot that is not locked; None where it has been applied already, or is behind."""
    if known not in (None, seen.revision) or _applied_already(session, seen.id, edit_id) is not None:
        return None
    return _applied(edit, seen)


def _check_media(session: Session, shot: EvaluatedShot, applied: Applied) -> None:
    """Raise EditError where an element is to show a clip that was not taken in for this shot."""
    for element_id, element in applied.after.items():
        if element is None:
            continue
        before = shot.elements.get(element_id)
        wanted = media_of(element) - (media_of(before) if before else set()) - {shot.plate.media}
        if wanted and not wanted <= set(session.scalars(clips_of(shot.id))):
            raise EditError(
                "That clip was not taken in for this shot, or is gone. Nothing was changed; take it in, or choose another."
            )


def _applied(edit: Edit, shot: EvaluatedShot) -> Applied:
    try:
        return edit.apply(shot)
    except ValidationError as error:
        raise _unopenable(error) from error


def undo(
    session: Session, shot_id: str, revision: int, edit_id: str | None = None, author: str | None = None
) -> Changed:
    """Take the last edit back. Raises StoreError where there is none, RevisionError for an older revision."""
    return _step(session, shot_id, revision, edit_id, author, back=True)


def redo(
    session: Session, shot_id: str, revision: int, edit_id: str | None = None, author: str | None = None
) -> Changed:
    """Do the edit again that was undone last. Raises as `undo` does."""
    return _step(session, shot_id, revision, edit_id, author, back=False)


def _step(
    session: Session, shot_id: str, revision: int, edit_id: str | None, author: str | None, back: bool
) -> Changed:
    row, shot = _locked(session, shot_id)
    done = _applied_already(session, shot_id, edit_id)
    if done is not None:
        return _again(session, shot, revision, done)
    if others := _since(session, shot, revision):
        raise RevisionError(shot, [o.label for o in others])
    entries = select(JournalRow).where(JournalRow.shot == shot_id, JournalRow.undone.is_(not back))
    entry = session.scalars(entries.order_by(JournalRow.id.desc() if back else JournalRow.id).limit(1)).first()
    if entry is None:
        raise StoreError(f"There is nothing to {'undo' if back else 'redo'}.")
    change = upgraded(entry.change, entry.format, CHANGES)
    patch = change["undo" if back else "redo"]
    touched = {operation["path"].split("/")[1] for operation in patch}
    old = {i: _body(e) for i in touched if (e := shot.elements.get(i)) is not None}
    new = patched(old, patch)
    entry.change, entry.format = ({**change, "redo": diff(new, old)} if back else change), FORMAT
    entry.undone = back
    bodies = {i: new.get(i) for i in touched}
    elements = {i: None if body is None else parsed(body) for i, body in bodies.items()}
    after = shot.advanced(shot.document.with_elements(elements, shot.revision + 1))
    label = f"{'Undid' if back else 'Redid'}: {entry.label}"
    step = _Step(label, bodies, places.places_of(old, new), None, edit_id, author)
    return _stored(session, row, shot, after, step, others, revision)


def changes(session: Session, shot_id: str, since: int) -> Changed:
    """What a page that knows a revision has missed. Raises RevisionError where that is not known any more."""
    shot = load(session, shot_id)
    others = _since(session, shot, since)
    labels = [o.label for o in others]
    return Changed(shot, since, labels[-1] if labels else "", None, _missed(others), labels)


def history(session: Session, shot_id: str) -> History:
    """Labels of what undo and redo would do."""
    session.flush()
    entries = select(JournalRow.label).where(JournalRow.shot == shot_id).limit(1)
    last_done = entries.where(JournalRow.undone.is_(False)).order_by(JournalRow.id.desc())
    first_undone = entries.where(JournalRow.undone.is_(True)).order_by(JournalRow.id)
    return History(session.scalar(last_done), session.scalar(first_undone))


# -- what others did meanwhile ---------------------------------------------------------------------------------


def _applied_already(session: Session, shot_id: str, edit_id: str | None) -> RevisionRow | None:
    if edit_id is None:
        return None
    same = select(RevisionRow).where(RevisionRow.shot == shot_id, RevisionRow.edit == edit_id)
    return session.scalars(same).first()


def _again(session: Session, shot: EvaluatedShot, known: int, done: RevisionRow) -> Changed:
    """The answer to what is sent a second time: nothing is done, and all that whoever asks has missed."""
    rows = _since(session, shot, known)
    others = [r.label for r in rows if r.revision != done.revision]
    return Changed(shot, known, done.label, done.made, _missed(rows), others)


def _since(session: Session, shot: EvaluatedShot, revision: int) -> Sequence[RevisionRow]:
    """The changes after a revision, oldest first. Raises RevisionError where they are not all known."""
    if revision == shot.revision:
        return []
    later = select(RevisionRow).where(RevisionRow.shot == shot.id, RevisionRow.revision > revision)
    rows = session.scalars(later.order_by(RevisionRow.revision)).all()
    if len(rows) != shot.revision - revision:
        raise RevisionError(shot, None)
    return rows


def _check_apart(shot: EvaluatedShot, others: Sequence[RevisionRow], about: list[places.Place]) -> None:
    """Raise RevisionError where one of the changes is about the same places."""
    if others and (by := [o.label for o in others if places.overlap(about, places.read(o.places))]):
        raise RevisionError(shot, by)


def _missed(rows: Sequence[RevisionRow]) -> Missed:
    missed = Missed()
    for row in rows:
        frames = None if row.first is None or row.last is None else (row.first, row.last)
        missed = missed.and_also(set(row.elements), frames)
    return missed


# -- writing ---------------------------------------------------------------------------------------------------


def _locked(session: Session, shot_id: str, seen: EvaluatedShot | None = None) -> tuple[ShotRow, EvaluatedShot]:
    """The shot's row for this transaction alone, and the shot: the one that was seen before, where it is still that."""
    now = select(ShotRow).where(ShotRow.id == shot_id).with_for_update().execution_options(populate_existing=True)
    row = session.scalars(now).first()
    if row is None:
        raise NotFoundError("This shot does not exist any more. Go back to the list of shots.")
    return row, seen if seen is not None and seen.revision == row.revision else _read(session, row)


@dataclass(frozen=True)
class _Step:
    """One change as it is written: its label, bodies afterwards (None: gone), places, what was made, the edit's id."""

    label: str
    bodies: Bodies
    about: list[places.Place]
    made: str | None
    edit_id: str | None
    author: str | None


def _stored(
    session: Session,
    row: ShotRow,
    before: EvaluatedShot,
    after: EvaluatedShot,
    step: _Step,
    others: Sequence[RevisionRow],
    since: int,
) -> Changed:
    _store_elements(session, after.id, step.bodies)
    row.revision, row.name = after.revision, after.settings.name
    session.execute(update(ShotRow).where(ShotRow.id == after.id).values(changed_at=func.now()))
    differing, frames = before.differing(after), changed_frames(before, after)
    session.add(
        RevisionRow(
            shot=after.id, revision=after.revision, label=step.label, edit=step.edit_id, made=step.made, author=step.author,
            places=places.written(step.about), elements=sorted(differing),
            first=frames[0] if frames else None, last=frames[1] if frames else None,
        )
    )  # fmt: skip
    forgotten = after.revision - REMEMBERED
    if forgotten > 0 and forgotten % 100 == 0:
        session.execute(delete(RevisionRow).where(RevisionRow.shot == after.id, RevisionRow.revision <= forgotten))
    keep_when_committed(session, after)
    missed = _missed(others).and_also(differing, frames)
    return Changed(after, since, step.label, step.made, missed, [o.label for o in others])


def _store_elements(session: Session, shot_id: str, bodies: Bodies) -> None:
    gone = [i for i, body in bodies.items() if body is None]
    if gone:
        session.execute(delete(ElementRow).where(ElementRow.shot == shot_id, ElementRow.id.in_(gone)))
    rows = []
    for element_id, whole_body in bodies.items():
        if whole_body is not None:
            body, shapes = split(whole_body)
            written = {"kind": body["kind"], "body": body, "format": FORMAT, "shapes": shapes}
            rows.append({"shot": shot_id, "id": element_id, **written})
    if rows:
        statement = insert(ElementRow)
        session.execute(
            statement.on_conflict_do_update(
                index_elements=[ElementRow.shot, ElementRow.id],
                set_={c: statement.excluded[c] for c in ("kind", "body", "format", "shapes")},
            ),
            rows,
        )


def _body(element: Element) -> Any:
    return element.model_dump(mode="json")


def _checked(element: Element) -> Any:
    """The body of an element that an edit made, if whoever opens the shot next can read it. Raises EditError."""
    body = _body(element)
    try:
        parsed(body)
    except ValidationError as error:
        raise _unopenable(error, 1) from error
    return body


def _unopenable(error: ValidationError, beyond: int = 0) -> EditError:
    first = error.errors()[0]
    where = ".".join(str(part) for part in first["loc"][beyond:] if not isinstance(part, int)) or "it"
    return EditError(
        f"That would make something that could not be opened again: {where}: {first['msg']}. Nothing was changed; "
        "make a smaller change."
    )


def clips_of(shot_id: str) -> Select[str]:
    """The query for clips that the shot can use as inserts."""
    return select(ShotClipRow.clip).where(ShotClipRow.shot == shot_id).order_by(ShotClipRow.clip)

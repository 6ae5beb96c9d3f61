"""Shots in the database: loading, and edits, undo and redo through the journal.

Every change runs in one transaction that holds the shot's row and checks its revision first.
"""

from __future__ import annotations

from collections import OrderedDict, deque
from dataclasses import dataclass
from threading import Lock
from typing import Any

from pydantic import TypeAdapter
from sqlalchemy import delete, func, select, update
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from wiseglove.shot.basics import Plate, new_id
from wiseglove.shot.edits import Edit
from wiseglove.shot.model import Element, Shot, new_shot
from wiseglove.shot.riding import bound
from wiseglove.store.errors import NotFoundError, RevisionError, StoreError
from wiseglove.store.shapes import apart, together, uncollected
from wiseglove.store.shapes import parsed as whole
from wiseglove.store.tables import ElementRow, JournalRow, ShotClipRow, ShotRow

_edit: TypeAdapter[Edit] = TypeAdapter(Edit)

Bodies = dict[str, Any]


@dataclass(frozen=True)
class Changed:
    """A change that was stored: the shot before and after it, its label, and what was newly made."""

    before: Shot
    after: Shot
    label: str
    made: str | None = None

    @property
    def touched(self) -> set[str]:
        """Ids of the elements that differ."""
        old, new = self.before.elements, self.after.elements
        return {i for i in old.keys() | new.keys() if old.get(i) is not new.get(i)}


@dataclass(frozen=True)
class History:
    """What undo and redo would do, None where there is nothing."""

    undo: str | None
    redo: str | None


class _Recent:
    """The last few shots, parsed; valid while their revision is the database's."""

    def __init__(self, size: int) -> None:
        self._held: OrderedDict[str, Shot] = OrderedDict()
        self._size, self._lock = size, Lock()

    def get(self, shot_id: str, revision: int) -> Shot | None:
        with self._lock:
            shot = self._held.get(shot_id)
            return shot if shot is not None and shot.revision == revision else None

    def put(self, shot: Shot) -> None:
        with self._lock:
            self._held[shot.id] = shot
            self._held.move_to_end(shot.id)
            while len(self._held) > self._size:
                self._held.popitem(last=False)


_recent = _Recent(16)


class _Touches:
    """Which elements the last changes of each shot were about, for pages that are behind."""

    def __init__(self, size: int) -> None:
        self._held: dict[str, deque[tuple[int, frozenset[str]]]] = {}
        self._size, self._lock = size, Lock()

    def put(self, changed: Changed) -> None:
        with self._lock:
            held = self._held.setdefault(changed.after.id, deque(maxlen=self._size))
            held.append((changed.after.revision, frozenset(changed.touched)))

    def since(self, shot_id: str, revision: int, now: int) -> set[str] | None:
        with self._lock:
            held = {r: ids for r, ids in self._held.get(shot_id, ()) if revision < r <= now}
        if len(held) < now - revision:
            return None
        return set().union(*held.values())


_touches = _Touches(200)


def note(changed: Changed) -> None:
    """Keep what a committed change was about, and the shot parsed."""
    remember(changed.after)
    _touches.put(changed)


def touched_since(shot: Shot, revision: int) -> set[str] | None:
    """Elements that were changed after a revision; None where that is not known any more."""
    return _touches.since(shot.id, revision, shot.revision)


def create(session: Session, name: str, plate: Plate) -> Shot:
    """A new shot with nothing drawn."""
    shot = new_shot(new_id(), name, plate)
    session.add(ShotRow(id=shot.id, name=name, clip=plate.media, plate=plate.model_dump(mode="json"), revision=0))
    session.flush()
    _store_elements(session, shot.id, {i: _body(e) for i, e in shot.elements.items()})
    return shot


def load(session: Session, shot_id: str) -> Shot:
    """The shot as it is now. Raises NotFoundError."""
    row = session.get(ShotRow, shot_id)
    if row is None:
        raise NotFoundError("This shot does not exist any more. Go back to the list of shots.")
    return _parsed(session, row)


def _parsed(session: Session, row: ShotRow) -> Shot:
    held = _recent.get(row.id, row.revision)
    if held is None:
        parts = select(ElementRow.id, ElementRow.body, ElementRow.shapes).where(ElementRow.shot == row.id)
        with uncollected():
            elements = {i: together(body, shapes) for i, body, shapes in session.execute(parts).all()}
        plate = Plate.model_validate(row.plate)
        held = Shot(id=row.id, revision=row.revision, plate=plate, elements=bound(elements, plate))
    return held


def remember(shot: Shot) -> None:
    """Keep a committed shot parsed, for the next call."""
    _recent.put(shot)


def apply(session: Session, shot_id: str, revision: int, edit: Edit) -> Changed:
    """Apply an edit. Raises EditError, RevisionError or NotFoundError; then nothing is changed."""
    row, shot = _locked(session, shot_id, revision)
    applied = edit.apply(shot)
    before = {i: _body(shot.elements.get(i)) for i in applied.after}
    after = {i: _body(e) for i, e in applied.after.items()}
    session.execute(delete(JournalRow).where(JournalRow.shot == shot_id, JournalRow.undone))
    session.add(
        JournalRow(
            shot=shot_id, label=applied.label, edit=_edit.dump_python(edit, mode="json"), before=before, after=after
        )
    )
    return _stored(session, row, shot, after, dict(applied.after), applied.label, applied.made)


def undo(session: Session, shot_id: str, revision: int) -> Changed:
    """Take the last edit back. Raises StoreError where there is none."""
    row, shot = _locked(session, shot_id, revision)
    entry = session.scalars(
        select(JournalRow).where(JournalRow.shot == shot_id, ~JournalRow.undone).order_by(JournalRow.id.desc()).limit(1)
    ).first()
    if entry is None:
        raise StoreError("There is nothing to undo.")
    entry.undone = True
    return _stored(session, row, shot, entry.before, None, f"Undid: {entry.label}")


def redo(session: Session, shot_id: str, revision: int) -> Changed:
    """Do the edit again that was undone last. Raises StoreError where there is none."""
    row, shot = _locked(session, shot_id, revision)
    entry = session.scalars(
        select(JournalRow).where(JournalRow.shot == shot_id, JournalRow.undone).order_by(JournalRow.id).limit(1)
    ).first()
    if entry is None:
        raise StoreError("There is nothing to redo.")
    entry.undone = False
    return _stored(session, row, shot, entry.after, None, f"Redid: {entry.label}")


def history(session: Session, shot_id: str) -> History:
    """Labels of what undo and redo would do."""
    session.flush()
    last_done = (
        select(JournalRow.label)
        .where(JournalRow.shot == shot_id, ~JournalRow.undone)
        .order_by(JournalRow.id.desc())
        .limit(1)
    )
    first_undone = (
        select(JournalRow.label).where(JournalRow.shot == shot_id, JournalRow.undone).order_by(JournalRow.id).limit(1)
    )
    return History(session.scalar(last_done), session.scalar(first_undone))


def _locked(session: Session, shot_id: str, revision: int) -> tuple[ShotRow, Shot]:
    row = session.scalars(select(ShotRow).where(ShotRow.id == shot_id).with_for_update()).first()
    if row is None:
        raise NotFoundError("This shot does not exist any more. Go back to the list of shots.")
    shot = _parsed(session, row)
    if row.revision != revision:
        raise RevisionError(shot, touched_since(shot, revision))
    return row, shot


def _stored(
    session: Session,
    row: ShotRow,
    shot: Shot,
    bodies: Bodies,
    parsed: dict[str, Element | None] | None,
    label: str,
    made: str | None = None,
) -> Changed:
    if parsed is None:
        parsed = {i: None if b is None else whole(b) for i, b in bodies.items()}
    elements = dict(shot.elements)
    for element_id, element in parsed.items():
        if element is None:
            elements.pop(element_id, None)
        else:
            elements[element_id] = element
    _store_elements(session, shot.id, bodies)
    elements = bound(elements, shot.plate)
    after = Shot(id=shot.id, revision=shot.revision + 1, plate=shot.plate, elements=elements)
    row.revision, row.name = after.revision, after.settings.name
    session.execute(update(ShotRow).where(ShotRow.id == shot.id).values(changed_at=func.now()))
    return Changed(shot, after, label, made)


def _store_elements(session: Session, shot_id: str, bodies: Bodies) -> None:
    gone = [i for i, body in bodies.items() if body is None]
    if gone:
        session.execute(delete(ElementRow).where(ElementRow.shot == shot_id, ElementRow.id.in_(gone)))
    rows = []
    for element_id, whole_body in bodies.items():
        if whole_body is not None:
            body, shapes = apart(whole_body)
            rows.append({"shot": shot_id, "id": element_id, "kind": body["kind"], "body": body, "shapes": shapes})
    if rows:
        statement = insert(ElementRow)
        session.execute(
            statement.on_conflict_do_update(
                index_elements=[ElementRow.shot, ElementRow.id],
                set_={c: statement.excluded[c] for c in ("kind", "body", "shapes")},
            ),
            rows,
        )


def _body(element: Element | None) -> Any:
    return None if element is None else element.model_dump(mode="json")


def clips_of(session: Session, shot_id: str) -> list[str]:
    """Clips that the shot can use as inserts."""
    return list(session.scalars(select(ShotClipRow.clip).where(ShotClipRow.shot == shot_id)))

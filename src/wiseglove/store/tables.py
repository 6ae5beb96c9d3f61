"""Tables. An element's body is a JSON document of the shot model, and a change is what differs between two of them."""

from __future__ import annotations

import zlib
from datetime import datetime
from typing import Any

from pydantic_core import from_json, to_json
from sqlalchemy import (
    BigInteger,
    Boolean,
    DateTime,
    Dialect,
    Float,
    ForeignKey,
    Index,
    Integer,
    LargeBinary,
    Text,
    TypeDecorator,
    func,
    text,
)
from sqlalchemy.dialects.postgresql import ARRAY, JSONB
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column

Json = dict[str, Any]


class Packed(TypeDecorator[Json]):
    """JSON that nobody searches in, compressed: kept in half of the time that JSONB takes or less, in at most half of the room."""

    impl = LargeBinary
    cache_ok = True

    def process_bind_param(self, value: Json | None, dialect: Dialect) -> bytes | None:
        """As it is kept."""
        return None if value is None else zlib.compress(to_json(value), 1)

    def process_result_value(self, value: bytes | None, dialect: Dialect) -> Json | None:
        """As it was given."""
        return None if value is None else dict(from_json(zlib.decompress(value)))


class Base(DeclarativeBase):
    """Base of all tables."""

    type_annotation_map = {Json: JSONB, str: Text, datetime: DateTime(timezone=True)}  # noqa: RUF012


class ClipRow(Base):
    """A decoded clip; the id is made from its contents."""

    __tablename__ = "clips"

    id: Mapped[str] = mapped_column(primary_key=True)
    info: Mapped[Json]
    room: Mapped[int | None] = mapped_column(BigInteger)
    """Bytes on disk; None until they are counted."""
    made_at: Mapped[datetime] = mapped_column(server_default=func.now())


class ShotRow(Base):
    """A shot and the clip it is drawn on."""

    __tablename__ = "shots"

    id: Mapped[str] = mapped_column(primary_key=True)
    name: Mapped[str]
    clip: Mapped[str] = mapped_column(ForeignKey("clips.id"))
    plate: Mapped[Json]
    revision: Mapped[int] = mapped_column(Integer, default=0)
    made_at: Mapped[datetime] = mapped_column(server_default=func.now())
    changed_at: Mapped[datetime] = mapped_column(server_default=func.now())
    seconds: Mapped[float] = mapped_column(Float, default=0.0)
    """For how long hands were on it."""
    budget: Mapped[float] = mapped_column(Float, default=900.0)
    """For how long they should be, in seconds. A quarter of an hour: common practice, no source."""


class ElementRow(Base):
    """One element of a shot."""

    __tablename__ = "elements"

    shot: Mapped[str] = mapped_column(ForeignKey("shots.id", ondelete="CASCADE"), primary_key=True)
    id: Mapped[str] = mapped_column(primary_key=True)
    kind: Mapped[str]
    body: Mapped[Json]
    format: Mapped[int] = mapped_column(Integer)
    """The format of the document that the body is written in (see `shot.formats`)."""
    shapes: Mapped[bytes | None] = mapped_column(LargeBinary)
    """The points of an outline's keys, which its body leaves out (see `shapes`)."""


class JournalRow(Base):
    """An edit that can be undone, as what it changed; `redo` of the change is there once it was undone."""

    __tablename__ = "journal"
    __table_args__ = (Index("ix_journal_next", "shot", "undone", "id"),)

    id: Mapped[int] = mapped_column(BigInteger, primary_key=True)
    shot: Mapped[str] = mapped_column(ForeignKey("shots.id", ondelete="CASCADE"))
    label: Mapped[str]
    kind: Mapped[str]
    change: Mapped[Json]
    format: Mapped[int] = mapped_column(Integer)
    undone: Mapped[bool] = mapped_column(Boolean, default=False)
    made_at: Mapped[datetime] = mapped_column(server_default=func.now())


class RevisionRow(Base):
    """What a revision of a shot changed, so that pages and edits that are behind can be told what they missed."""

    __tablename__ = "revisions"
    __table_args__ = (Index("ix_revisions_edit", "shot", "edit", unique=True),)

    shot: Mapped[str] = mapped_column(ForeignKey("shots.id", ondelete="CASCADE"), primary_key=True)
    revision: Mapped[int] = mapped_column(Integer, primary_key=True)
    label: Mapped[str]
    edit: Mapped[str | None]
    """The id that whoever sent it gave the edit, by which one that is sent twice is known."""
    made: Mapped[str | None]
    author: Mapped[str | None]
    """Who made it, where people sign in."""
    places: Mapped[list[str]] = mapped_column(ARRAY(Text))
    """What of the document it changed (see `shot.places`)."""
    elements: Mapped[list[str]] = mapped_column(ARRAY(Text))
    """The elements that are other, or seen elsewhere, since."""
    first: Mapped[int | None] = mapped_column(Integer)
    last: Mapped[int | None] = mapped_column(Integer)
    made_at: Mapped[datetime] = mapped_column(server_default=func.now())


class VersionRow(Base):
    """A shot as it was at a time, for good: named, numbered from 1, never changed."""

    __tablename__ = "versions"

    shot: Mapped[str] = mapped_column(ForeignKey("shots.id", ondelete="CASCADE"), primary_key=True)
    number: Mapped[int] = mapped_column(Integer, primary_key=True, autoincrement=False)
    name: Mapped[str]
    comment: Mapped[str]
    frame: Mapped[int] = mapped_column(Integer)
    """The frame that its picture shows."""
    revision: Mapped[int] = mapped_column(Integer)
    document: Mapped[Json] = mapped_column(Packed, deferred=True)
    """The whole shot; it says its own format. Read when it is asked for: a list of versions does without."""
    author: Mapped[str | None]
    made_at: Mapped[datetime] = mapped_column(server_default=func.now())


class NoteRow(Base):
    """Something that was said about a frame, and where on it; open until it is done."""

    __tablename__ = "notes"

    id: Mapped[str] = mapped_column(primary_key=True)
    shot: Mapped[str] = mapped_column(ForeignKey("shots.id", ondelete="CASCADE"), index=True)
    version: Mapped[int | None] = mapped_column(Integer)
    """The version that was looked at; None for the shot as it is worked on."""
    frame: Mapped[int] = mapped_column(Integer)
    x: Mapped[float | None] = mapped_column(Float)
    y: Mapped[float | None] = mapped_column(Float)
    text: Mapped[str]
    done: Mapped[bool] = mapped_column(Boolean, default=False)
    author: Mapped[str | None]
    made_at: Mapped[datetime] = mapped_column(server_default=func.now())


class ShotClipRow(Base):
    """Clips that a shot can use as inserts."""

    __tablename__ = "shot_clips"

    shot: Mapped[str] = mapped_column(ForeignKey("shots.id", ondelete="CASCADE"), primary_key=True)
    clip: Mapped[str] = mapped_column(ForeignKey("clips.id"), primary_key=True)


class IntakeRow(Base):
    """Files on their way in: `receiving`, `understood`, `decoding`, `done` or `failed`."""

    __tablename__ = "intakes"

    id: Mapped[str] = mapped_column(primary_key=True)
    purpose: Mapped[str]
    shot: Mapped[str | None] = mapped_column(ForeignKey("shots.id", ondelete="CASCADE"))
    state: Mapped[str]
    understood: Mapped[Json | None]
    message: Mapped[str] = mapped_column(default="")
    touched_at: Mapped[datetime] = mapped_column(server_default=func.now())


class IntakeFileRow(Base):
    """One of an intake's files; it is there once its hash is."""

    __tablename__ = "intake_files"

    intake: Mapped[str] = mapped_column(ForeignKey("intakes.id", ondelete="CASCADE"), primary_key=True)
    number: Mapped[int] = mapped_column(Integer, primary_key=True, autoincrement=False)
    name: Mapped[str]
    """What whoever sent it calls it."""
    kept_as: Mapped[str]
    """Its name on disk, which is made here."""
    size: Mapped[int] = mapped_column(BigInteger)
    sha256: Mapped[str | None]


class JobRow(Base):
    """Long work: `queued`, `running`, `done`, `failed` or `cancelled`. `attempt` is the fence of its results."""

    __tablename__ = "jobs"
    __table_args__ = (
        Index("ix_jobs_intake_open", "intake", unique=True, postgresql_where=text("state in ('queued', 'running')")),
    )

    id: Mapped[str] = mapped_column(primary_key=True)
    kind: Mapped[str]
    title: Mapped[str]
    shot: Mapped[str | None] = mapped_column(ForeignKey("shots.id", ondelete="CASCADE"))
    intake: Mapped[str | None] = mapped_column(ForeignKey("intakes.id", ondelete="CASCADE"))
    payload: Mapped[Json]
    state: Mapped[str] = mapped_column(default="queued")
    done: Mapped[int] = mapped_column(Integer, default=0)
    total: Mapped[int] = mapped_column(Integer, default=0)
    message: Mapped[str] = mapped_column(default="")
    result: Mapped[Json | None]
    stop: Mapped[bool] = mapped_column(Boolean, default=False)
    attempt: Mapped[int] = mapped_column(Integer, default=0)
    made_at: Mapped[datetime] = mapped_column(server_default=func.now())
    ended_at: Mapped[datetime | None]


class ChunkRow(Base):
    """A piece of a delivery: `todo`, `doing` or `done`. `attempt` is the fence: only the newest attempt's files count."""

    __tablename__ = "chunks"

    job: Mapped[str] = mapped_column(ForeignKey("jobs.id", ondelete="CASCADE"), primary_key=True)
    number: Mapped[int] = mapped_column(Integer, primary_key=True, autoincrement=False)
    state: Mapped[str] = mapped_column(default="todo")
    attempt: Mapped[int] = mapped_column(Integer, default=0)
    done: Mapped[int] = mapped_column(Integer, default=0)
    """Frames of it that are rendered."""
    worker: Mapped[str | None]
    seen_at: Mapped[datetime | None]
    """When its worker was last heard of."""


class WorkerRow(Base):
    """A worker process and what it can do."""

    __tablename__ = "workers"

    name: Mapped[str] = mapped_column(primary_key=True)
    can: Mapped[Json]
    seen_at: Mapped[datetime] = mapped_column(server_default=func.now())


class PresetRow(Base):
    """A delivery preset that somebody kept."""

    __tablename__ = "presets"

    name: Mapped[str] = mapped_column(primary_key=True)
    preset: Mapped[Json]
    changed_at: Mapped[datetime] = mapped_column(server_default=func.now())


class UserRow(Base):
    """Somebody who may sign in."""

    __tablename__ = "users"

    name: Mapped[str] = mapped_column(primary_key=True)
    role: Mapped[str]
    password: Mapped[str]
    failures: Mapped[int] = mapped_column(Integer, default=0)
    """Wrong passwords since the last right one."""
    failed_at: Mapped[datetime | None]
    made_at: Mapped[datetime] = mapped_column(server_default=func.now())


class SessionRow(Base):
    """Somebody who is signed in, by a hash of the token that the browser keeps."""

    __tablename__ = "sessions"

    token: Mapped[str] = mapped_column(primary_key=True)
    person: Mapped[str] = mapped_column(ForeignKey("users.name", ondelete="CASCADE"))
    made_at: Mapped[datetime] = mapped_column(server_default=func.now())
    used_at: Mapped[datetime] = mapped_column(server_default=func.now())

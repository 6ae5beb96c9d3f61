"""Tables. An element's body and every edit are JSON documents of the shot model."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from sqlalchemy import BigInteger, Boolean, DateTime, ForeignKey, Integer, LargeBinary, Text, func
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column

Json = dict[str, Any]


class Base(DeclarativeBase):
    """Base of all tables."""

    type_annotation_map = {Json: JSONB, str: Text, datetime: DateTime(timezone=True)}  # noqa: RUF012


class ClipRow(Base):
    """A decoded clip; the id is made from its contents."""

    __tablename__ = "clips"

    id: Mapped[str] = mapped_column(primary_key=True)
    info: Mapped[Json]
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


class ElementRow(Base):
    """One element of a shot."""

    __tablename__ = "elements"

    shot: Mapped[str] = mapped_column(ForeignKey("shots.id", ondelete="CASCADE"), primary_key=True)
    id: Mapped[str] = mapped_column(primary_key=True)
    kind: Mapped[str]
    body: Mapped[Json]
    shapes: Mapped[bytes | None] = mapped_column(LargeBinary)
    """The points of an outline's keys, which its body leaves out (see `shapes`)."""


class JournalRow(Base):
    """An edit, with what its elements were before and after (null: not there)."""

    __tablename__ = "journal"

    id: Mapped[int] = mapped_column(BigInteger, primary_key=True)
    shot: Mapped[str] = mapped_column(ForeignKey("shots.id", ondelete="CASCADE"), index=True)
    label: Mapped[str]
    edit: Mapped[Json]
    before: Mapped[Json]
    after: Mapped[Json]
    undone: Mapped[bool] = mapped_column(Boolean, default=False)
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
    files: Mapped[Json]
    understood: Mapped[Json | None]
    message: Mapped[str] = mapped_column(default="")
    touched_at: Mapped[datetime] = mapped_column(server_default=func.now())


class JobRow(Base):
    """Long work: `queued`, `running`, `done`, `failed` or `cancelled`. `attempt` is the fence of its results."""

    __tablename__ = "jobs"

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

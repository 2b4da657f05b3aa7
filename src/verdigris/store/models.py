"""Tables."""

import datetime as dt
import uuid
from typing import Any

from sqlalchemy import BigInteger, Boolean, Float, ForeignKey, ForeignKeyConstraint, Integer, String, Text, Uuid, func
from sqlalchemy.dialects.postgresql import ARRAY, JSONB, TIMESTAMP
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column


class Base(DeclarativeBase):
    """Base of all tables."""


Key = uuid.UUID


def _key() -> Mapped[Key]:
    return mapped_column(Uuid, primary_key=True, default=uuid.uuid4)


def _now() -> Mapped[dt.datetime]:
    return mapped_column(TIMESTAMP(timezone=True), server_default=func.clock_timestamp())


def _removed() -> Mapped[dt.datetime | None]:
    """When it was put into the bin; None while it is in use."""
    return mapped_column(TIMESTAMP(timezone=True))


class Project(Base):
    """A group of shots."""

    __tablename__ = "projects"
    id: Mapped[Key] = _key()
    name: Mapped[str] = mapped_column(Text)
    created: Mapped[dt.datetime] = _now()
    removed: Mapped[dt.datetime | None] = _removed()


class Media(Base):
    """A film, still or sequence, by content hash. `state`: reading, ready, stopped, or failed with its `problem`.

    `derived` ones were made here, like a light field, and are on no list.
    """

    __tablename__ = "media"
    hash: Mapped[str] = mapped_column(String(64), primary_key=True)
    name: Mapped[str] = mapped_column(Text)
    ending: Mapped[str] = mapped_column(String(8))
    bytes: Mapped[int] = mapped_column(BigInteger)
    state: Mapped[str] = mapped_column(String(16), default="reading")
    facts: Mapped[dict[str, Any] | None] = mapped_column(JSONB)
    proxies: Mapped[int] = mapped_column(Integer, default=0)
    problem: Mapped[str] = mapped_column(Text, default="")
    created: Mapped[dt.datetime] = _now()
    removed: Mapped[dt.datetime | None] = _removed()
    derived: Mapped[bool] = mapped_column(Boolean, default=False)


class ShotRow(Base):
    """A shot; `head` is the revision people see."""

    __tablename__ = "shots"
    id: Mapped[Key] = _key()
    project_id: Mapped[Key] = mapped_column(ForeignKey("projects.id", ondelete="CASCADE"), index=True)
    head: Mapped[int] = mapped_column(Integer, default=1)
    created: Mapped[dt.datetime] = _now()
    removed: Mapped[dt.datetime | None] = _removed()


class Revision(Base):
    """One state of a shot document, kept for ever; `parent` is what undo goes back to.

    `stroke` names one movement of the hand: what is made in one takes the place of what it made before.
    """

    __tablename__ = "revisions"
    shot_id: Mapped[Key] = mapped_column(ForeignKey("shots.id", ondelete="CASCADE"), primary_key=True)
    number: Mapped[int] = mapped_column(Integer, primary_key=True)
    parent: Mapped[int | None] = mapped_column(Integer)
    document: Mapped[dict[str, Any]] = mapped_column(JSONB)
    label: Mapped[str] = mapped_column(Text)
    stroke: Mapped[str | None] = mapped_column(Text)
    created: Mapped[dt.datetime] = _now()


class Slot(Base):
    """A place for artwork in a project, by a short `key`; `current` is the version that shots show."""

    __tablename__ = "slots"
    project_id: Mapped[Key] = mapped_column(ForeignKey("projects.id", ondelete="CASCADE"), primary_key=True)
    key: Mapped[str] = mapped_column(String(64), primary_key=True)
    name: Mapped[str] = mapped_column(Text)
    current: Mapped[int] = mapped_column(Integer, default=1)
    created: Mapped[dt.datetime] = _now()


class SlotVersion(Base):
    """One version of a slot, kept for ever; `artwork` is a part of a shot document."""

    __tablename__ = "slot_versions"
    __table_args__ = (ForeignKeyConstraint(["project_id", "key"], ["slots.project_id", "slots.key"], ondelete="CASCADE"),)
    project_id: Mapped[Key] = mapped_column(Uuid, primary_key=True)
    key: Mapped[str] = mapped_column(String(64), primary_key=True)
    number: Mapped[int] = mapped_column(Integer, primary_key=True)
    revision: Mapped[str] = mapped_column(Text, default="")
    language: Mapped[str] = mapped_column(Text, default="")
    note: Mapped[str] = mapped_column(Text, default="")
    artwork: Mapped[dict[str, Any]] = mapped_column(JSONB)
    created: Mapped[dt.datetime] = _now()


class Take(Base):
    """One run of following a surface; `key` is the fingerprint of what it was computed from, `settings` what that was.

    `camera` is what following found of it, as tracks in files have it.
    `mended` tells that smoothing, held and carried frames are in its frames already, as in a track that was handed out.
    """

    __tablename__ = "takes"
    id: Mapped[Key] = _key()
    shot_id: Mapped[Key] = mapped_column(ForeignKey("shots.id", ondelete="CASCADE"), index=True)
    surface: Mapped[str] = mapped_column(Text)
    label: Mapped[str] = mapped_column(Text)
    key: Mapped[str] = mapped_column(String(32))
    reference_frame: Mapped[int] = mapped_column(Integer)
    motion: Mapped[str] = mapped_column(String(16))
    name: Mapped[str] = mapped_column(Text, default="")
    settings: Mapped[dict[str, Any] | None] = mapped_column(JSONB(none_as_null=True))
    mended: Mapped[bool] = mapped_column(Boolean, default=False)
    camera: Mapped[dict[str, Any] | None] = mapped_column(JSONB(none_as_null=True))
    created: Mapped[dt.datetime] = _now()


class TakeFrame(Base):
    """One frame of a take; `points` are single points by id, each with x, y, sigma_px and status."""

    __tablename__ = "take_frames"
    take_id: Mapped[Key] = mapped_column(ForeignKey("takes.id", ondelete="CASCADE"), primary_key=True)
    frame: Mapped[int] = mapped_column(Integer, primary_key=True)
    status: Mapped[str] = mapped_column(String(16))
    homography: Mapped[list[float] | None] = mapped_column(ARRAY(Float))
    corners: Mapped[list[float] | None] = mapped_column(ARRAY(Float))
    sigma_px: Mapped[list[float] | None] = mapped_column(ARRAY(Float))
    residual_px: Mapped[float | None] = mapped_column(Float)
    share_used: Mapped[float] = mapped_column(Float)
    margin_px: Mapped[float | None] = mapped_column(Float)
    through: Mapped[int | None] = mapped_column(Integer)
    defocus_px2: Mapped[float | None] = mapped_column(Float)
    smear_px: Mapped[float | None] = mapped_column(Float)
    noise: Mapped[float | None] = mapped_column(Float)
    first_look: Mapped[bool] = mapped_column(Boolean, default=False)
    points: Mapped[dict[str, Any] | None] = mapped_column(JSONB(none_as_null=True))
    reason: Mapped[str] = mapped_column(Text, default="")


class Proposals(Base):
    """What was last measured of how a surface sits; `key` stands for what it was measured from."""

    __tablename__ = "proposals"
    shot_id: Mapped[Key] = mapped_column(ForeignKey("shots.id", ondelete="CASCADE"), primary_key=True)
    surface: Mapped[str] = mapped_column(Text, primary_key=True)
    key: Mapped[str] = mapped_column(String(32))
    found: Mapped[list[dict[str, Any]]] = mapped_column(JSONB)
    created: Mapped[dt.datetime] = _now()


class Delivery(Base):
    """One handing over of a revision. `state`: running, done, failed, stopped.

    `content` says what is handed over; `fingerprint` stands for everything its pictures were computed from.
    """

    __tablename__ = "deliveries"
    id: Mapped[Key] = _key()
    shot_id: Mapped[Key] = mapped_column(ForeignKey("shots.id", ondelete="CASCADE"), index=True)
    revision: Mapped[int] = mapped_column(Integer)
    form: Mapped[str] = mapped_column(String(8))
    state: Mapped[str] = mapped_column(String(16), default="running")
    file: Mapped[str] = mapped_column(Text, default="")
    bytes: Mapped[int] = mapped_column(BigInteger, default=0)
    frames_without_track: Mapped[list[int]] = mapped_column(ARRAY(Integer), default=list)
    content: Mapped[str] = mapped_column(Text, default="result")
    fingerprint: Mapped[str] = mapped_column(String(16), default="")
    created: Mapped[dt.datetime] = _now()


class Job(Base):
    """Something long that runs. `state`: waiting, running, done, failed, stopped.

    `task` is what was put into the queue for it, so that it can be put there again. `deaths` counts workers that died
    over it one after the other without its getting further than `done_at_death`.
    """

    __tablename__ = "jobs"
    id: Mapped[Key] = _key()
    kind: Mapped[str] = mapped_column(String(16))
    title: Mapped[str] = mapped_column(Text)
    state: Mapped[str] = mapped_column(String(16), default="waiting", index=True)
    done: Mapped[int] = mapped_column(Integer, default=0)
    total: Mapped[int] = mapped_column(Integer, default=0)
    message: Mapped[str] = mapped_column(Text, default="")
    stop_asked: Mapped[bool] = mapped_column(default=False)
    phase: Mapped[str] = mapped_column(Text, default="")
    seconds_left: Mapped[float | None] = mapped_column(Float)
    task: Mapped[dict[str, Any] | None] = mapped_column(JSONB(none_as_null=True))
    deaths: Mapped[int] = mapped_column(Integer, default=0)
    done_at_death: Mapped[int] = mapped_column(Integer, default=-1)
    shot_id: Mapped[Key | None] = mapped_column(ForeignKey("shots.id", ondelete="CASCADE"))
    take_id: Mapped[Key | None] = mapped_column(ForeignKey("takes.id", ondelete="CASCADE"))
    delivery_id: Mapped[Key | None] = mapped_column(ForeignKey("deliveries.id", ondelete="CASCADE"))
    media_hash: Mapped[str | None] = mapped_column(String(64))
    created: Mapped[dt.datetime] = _now()
    finished: Mapped[dt.datetime | None] = mapped_column(TIMESTAMP(timezone=True))


class Lease(Base):
    """Which attempt may write a part of a job: the last that took it up. A worker that was asleep meanwhile may not."""

    __tablename__ = "leases"
    job_id: Mapped[Key] = mapped_column(ForeignKey("jobs.id", ondelete="CASCADE"), primary_key=True)
    part: Mapped[int] = mapped_column(Integer, primary_key=True)
    attempt: Mapped[Key] = mapped_column(Uuid)

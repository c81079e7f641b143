"""The tables. Every change of them comes with a migration in `migrations/versions`."""

from __future__ import annotations

import uuid
from datetime import UTC, datetime
from typing import Any

from sqlalchemy import JSON, BigInteger, Float, ForeignKey, Index, String, Text, UniqueConstraint
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column

# What kept files, checkpoints and open windows of a removed row know it by must not come to mean another one.
NEVER_AGAIN = {"sqlite_autoincrement": True}


class Base(DeclarativeBase):
    pass


def now() -> datetime:
    return datetime.now(UTC).replace(tzinfo=None)


def new_job() -> str:
    """A name that nobody can guess and nothing else has."""
    return uuid.uuid4().hex


class StudyRow(Base):
    """A study: its address, the document as it is now, and which revision that is.

    `changes` counts every step, undoing and redoing included.
    """

    __tablename__ = "studies"
    __table_args__ = (NEVER_AGAIN,)
    id: Mapped[int] = mapped_column(primary_key=True)
    slug: Mapped[str] = mapped_column(String(80), unique=True)
    document: Mapped[str] = mapped_column(Text)
    revision: Mapped[int] = mapped_column(default=1)
    changes: Mapped[int] = mapped_column(default=1, server_default="1")
    changed: Mapped[datetime] = mapped_column(default=now)


class RevisionRow(Base):
    """One change of a study: what was done, by whom, and the document after it.

    `parent` is the revision it was made from; `onward` the one that redoing goes to.
    """

    __tablename__ = "revisions"
    __table_args__ = (UniqueConstraint("study_id", "number"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    study_id: Mapped[int] = mapped_column(ForeignKey("studies.id", ondelete="CASCADE"))
    number: Mapped[int]
    what: Mapped[str] = mapped_column(String(200))
    document: Mapped[str] = mapped_column(Text)
    who: Mapped[str] = mapped_column(String(60), default="", server_default="")
    parent: Mapped[int | None]
    onward: Mapped[int | None]
    at: Mapped[datetime] = mapped_column(default=now)


class StepRow(Base):
    """One step through the history: which revision the study came to, by whom and from which window."""

    __tablename__ = "steps"
    __table_args__ = (UniqueConstraint("study_id", "number"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    study_id: Mapped[int] = mapped_column(ForeignKey("studies.id", ondelete="CASCADE"))
    number: Mapped[int]
    revision: Mapped[int]
    what: Mapped[str] = mapped_column(String(240))
    who: Mapped[str] = mapped_column(String(60), default="")
    window: Mapped[str] = mapped_column(String(40), default="")
    at: Mapped[datetime] = mapped_column(default=now)


class RunRow(Base):
    """A job in the queue, under way, paused or ended: bringing a variant up to date as its document was then.

    `start_from` is the run from whose checkpoint it goes on, `begin_with` the key of the one with whose fields it begins, `enough` what
    may be left open of each reading; `interruptions` counts how often it had to; `job` is its name
    in the queue. Waiting ones stand by their `place` (their number where there is none) and begin `not_before` a time; `cells` is how many it is expected
    to have; `cpu` in seconds and `memory` in bytes is what it took of a `machine`.
    """

    __tablename__ = "runs"
    __table_args__ = (Index("runs_of_study", "study_id", "variant"), NEVER_AGAIN)
    id: Mapped[int] = mapped_column(primary_key=True)
    study_id: Mapped[int] = mapped_column(ForeignKey("studies.id", ondelete="CASCADE"))
    variant: Mapped[str] = mapped_column(String(60))
    document: Mapped[str] = mapped_column(Text)
    until: Mapped[str] = mapped_column(String(20), default="readings")
    start_from: Mapped[int | None]
    begin_with: Mapped[str] = mapped_column(String(40), default="", server_default="")
    enough: Mapped[dict[str, float]] = mapped_column(JSON, default=dict, server_default="{}")
    state: Mapped[str] = mapped_column(String(20), default="queued")
    message: Mapped[str] = mapped_column(Text, default="")
    iterations: Mapped[int] = mapped_column(default=0)
    interruptions: Mapped[int] = mapped_column(default=0, server_default="0")
    job: Mapped[str] = mapped_column(String(32), default=new_job, server_default="")
    place: Mapped[float | None] = mapped_column(Float)
    not_before: Mapped[datetime | None]
    cells: Mapped[int] = mapped_column(default=0, server_default="0")
    cpu: Mapped[float] = mapped_column(Float, default=0.0, server_default="0")
    memory: Mapped[int] = mapped_column(BigInteger, default=0, server_default="0")
    machine: Mapped[str] = mapped_column(String(60), default="", server_default="")
    queued: Mapped[datetime] = mapped_column(default=now)
    started: Mapped[datetime | None]
    ended: Mapped[datetime | None]


class ResultRow(Base):
    """What a stage made from the inputs of its key."""

    __tablename__ = "results"
    key: Mapped[str] = mapped_column(String(40), primary_key=True)
    stage: Mapped[str] = mapped_column(String(20))
    summary: Mapped[dict[str, Any]] = mapped_column(JSON)
    at: Mapped[datetime] = mapped_column(default=now)


class MadeRow(Base):
    """A study that a result was made for, or that has shown it: with the last of them the result goes."""

    __tablename__ = "made"
    study_id: Mapped[int] = mapped_column(ForeignKey("studies.id", ondelete="CASCADE"), primary_key=True)
    key: Mapped[str] = mapped_column(String(40), primary_key=True)


class LatestRow(Base):
    """The key of the newest result of a variant's stage, up to date or not."""

    __tablename__ = "latest"
    study_id: Mapped[int] = mapped_column(ForeignKey("studies.id", ondelete="CASCADE"), primary_key=True)
    variant: Mapped[str] = mapped_column(String(60), primary_key=True)
    stage: Mapped[str] = mapped_column(String(60), primary_key=True)
    key: Mapped[str] = mapped_column(String(40))


class AimRow(Base):
    """What a study is computed for over several runs: as it was `said`, with the runs `tried` by the name of their case, and in `words` what it came to."""

    __tablename__ = "aims"
    __table_args__ = (Index("aims_of_study", "study_id"), NEVER_AGAIN)
    id: Mapped[int] = mapped_column(primary_key=True)
    study_id: Mapped[int] = mapped_column(ForeignKey("studies.id", ondelete="CASCADE"))
    kind: Mapped[str] = mapped_column(String(20))
    said: Mapped[dict[str, Any]] = mapped_column(JSON)
    tried: Mapped[dict[str, int]] = mapped_column(JSON, default=dict)
    state: Mapped[str] = mapped_column(String(20), default="under way")
    words: Mapped[str] = mapped_column(Text, default="", server_default="")
    begun: Mapped[datetime] = mapped_column(default=now)
    ended: Mapped[datetime | None]


class MaterialRow(Base):
    """A material of one's own as JSON, as a set-up says it; for all studies."""

    __tablename__ = "materials"
    id: Mapped[int] = mapped_column(primary_key=True)
    title: Mapped[str] = mapped_column(String(120), unique=True)
    said: Mapped[str] = mapped_column(Text)
    who: Mapped[str] = mapped_column(String(60), default="", server_default="")
    at: Mapped[datetime] = mapped_column(default=now)


class PersonRow(Base):
    """Somebody who may sign in; one who `administers` sees every study and keeps the list of people."""

    __tablename__ = "people"
    __table_args__ = (NEVER_AGAIN,)
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(60), unique=True)
    password: Mapped[str] = mapped_column(String(200))
    administers: Mapped[bool] = mapped_column(default=False, server_default="0")
    created: Mapped[datetime] = mapped_column(default=now)


class SessionRow(Base):
    """A browser in which somebody is signed in, by the hash of its secret."""

    __tablename__ = "sessions"
    secret: Mapped[str] = mapped_column(String(64), primary_key=True)
    person_id: Mapped[int] = mapped_column(ForeignKey("people.id", ondelete="CASCADE"))
    begun: Mapped[datetime] = mapped_column(default=now)
    ends: Mapped[datetime]


class TokenRow(Base):
    """A secret of a program that works as somebody, by its hash, and the most that it may do."""

    __tablename__ = "tokens"
    __table_args__ = (NEVER_AGAIN,)
    id: Mapped[int] = mapped_column(primary_key=True)
    secret: Mapped[str] = mapped_column(String(64), unique=True)
    person_id: Mapped[int] = mapped_column(ForeignKey("people.id", ondelete="CASCADE"))
    title: Mapped[str] = mapped_column(String(60))
    role: Mapped[str] = mapped_column(String(12))
    created: Mapped[datetime] = mapped_column(default=now)
    used: Mapped[datetime | None]


class ShareRow(Base):
    """What a person may do with a study; of person 0 what everybody may who is signed in."""

    __tablename__ = "shares"
    study_id: Mapped[int] = mapped_column(ForeignKey("studies.id", ondelete="CASCADE"), primary_key=True)
    person_id: Mapped[int] = mapped_column(primary_key=True)
    role: Mapped[str] = mapped_column(String(12))


class AuditRow(Base):
    """A line of what was done: by whom, from where, and with which study."""

    __tablename__ = "audit"
    __table_args__ = (NEVER_AGAIN,)
    id: Mapped[int] = mapped_column(primary_key=True)
    at: Mapped[datetime] = mapped_column(default=now)
    who: Mapped[str] = mapped_column(String(60))
    from_where: Mapped[str] = mapped_column(String(60), default="", server_default="")
    what: Mapped[str] = mapped_column(String(200))
    study: Mapped[str] = mapped_column(String(80), default="", server_default="")

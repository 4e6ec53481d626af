"""The database: names, recipes, history, jobs. Never pixels."""

from __future__ import annotations

import json
import time
import uuid
from collections.abc import Iterator
from contextlib import contextmanager, nullcontext
from contextvars import ContextVar
from contextvars import Token as Token_
from typing import Any

from peewee import (
    AutoField,
    BooleanField,
    CharField,
    DatabaseProxy,
    FloatField,
    ForeignKeyField,
    IntegerField,
    Model,
    SqliteDatabase,
    TextField,
)

# The database that a thread, or a request, works on; several may be open in one process.
_using: ContextVar[SqliteDatabase | None] = ContextVar("database", default=None)


class CurrentDatabase(DatabaseProxy):
    """The database of the context, and outside of any the one that was opened last: that of a command, or of a test."""

    _opened_last: SqliteDatabase | None = None

    @property
    def obj(self) -> SqliteDatabase | None:
        return _using.get() or CurrentDatabase._opened_last

    @obj.setter
    def obj(self, database: SqliteDatabase | None) -> None:
        CurrentDatabase._opened_last = database


current_database = CurrentDatabase()


@contextmanager
def using(database: SqliteDatabase) -> Iterator[None]:
    """Within it, models are those of a database, connected for as long where it was not."""
    token = _using.set(database)
    try:
        with database.connection_context() if database.is_closed() else nullcontext():
            yield
    finally:
        _using.reset(token)


def use(database: SqliteDatabase) -> Token_[SqliteDatabase | None]:
    """From here on models are those of a database, until stop_using()."""
    return _using.set(database)


def stop_using(token: Token_[SqliteDatabase | None]) -> None:
    _using.reset(token)


class Base(Model):
    class Meta:
        database = current_database


class JsonField(TextField):
    """Plain JSON values."""

    def db_value(self, value: Any) -> str:
        return json.dumps(value)

    def python_value(self, value: str | None) -> Any:
        return None if value is None else json.loads(value)


def new_id() -> str:
    return uuid.uuid4().hex[:16]


class Material(Base):
    """One surface: its source, its newest recipe, and a counter that rises with every change."""

    id = CharField(primary_key=True, default=new_id)
    name = CharField()
    created = FloatField(default=time.time)
    changed = FloatField(default=time.time)
    archived = BooleanField(default=False)
    revision = IntegerField(default=1)
    head = IntegerField(null=True)
    forward = IntegerField(null=True)
    source = JsonField(default=dict)
    thumbnail = CharField(null=True)

    @classmethod
    def listed(cls, *, archived: bool) -> list[Material]:
        """The library, newest change last in time first."""
        return list(cls.select().where(cls.archived == archived).order_by(cls.created))


class Step(Base):
    """One state in a material's history. parent: the state before it. Steps are never deleted."""

    id = AutoField()
    material = ForeignKeyField(Material, backref="steps", on_delete="CASCADE", index=True)
    parent = IntegerField(null=True)
    recipe = JsonField()
    label = CharField(default="")
    gesture = CharField(default="")
    created = FloatField(default=time.time)


class Snapshot(Base):
    """A named state of a material. step: the state's id."""

    id = AutoField()
    material = ForeignKeyField(Material, backref="snapshots", on_delete="CASCADE", index=True)
    name = CharField()
    step = IntegerField()
    created = FloatField(default=time.time)


class Job(Base):
    """Long work. attempt names one queueing of it, so that what an earlier one says is not mistaken for it; deaths: how
    often a worker ended while it had it."""

    id = CharField(primary_key=True, default=new_id)
    kind = CharField()
    material = ForeignKeyField(Material, null=True, backref="jobs", on_delete="CASCADE", index=True)
    title = CharField()
    state = CharField(default="queued", index=True)
    progress = FloatField(default=0.0)
    message = CharField(default="")
    payload = JsonField(default=dict)
    result = JsonField(null=True)
    attempt = IntegerField(default=1)
    deaths = IntegerField(default=0)
    created = FloatField(default=time.time)

    OPEN = ("queued", "running")
    NEXT = 32

    @classmethod
    def unfinished(cls) -> list[Job]:
        return list(cls.select().where(cls.state.in_(cls.OPEN)).order_by(cls.created))

    @classmethod
    def followed(cls, at: int) -> list[Job]:
        """Open jobs without what they are to do, which may be much: all that run, and of those that wait the oldest,
        which are next, with some others from number `at` on."""
        told: Any = cls.select(*(field for field in cls._meta.sorted_fields if field.name != "payload"))
        waiting = told.where(cls.state == "queued").order_by(cls.created)
        running = list(told.where(cls.state == "running"))
        return [*running, *waiting.limit(cls.NEXT), *waiting.offset(cls.NEXT + at).limit(cls.NEXT)]

    @classmethod
    def recent(cls, limit: int = 30) -> list[Job]:
        return list(cls.select().order_by(cls.created.desc()).limit(limit))


class CameraProfile(Base):
    """What a colour target said of a camera in a light. matrix: nine numbers, row by row, for linear RGB. before,
    after: mean ΔE00 of its patches."""

    id = AutoField()
    name = CharField(unique=True)
    matrix = JsonField()
    before = FloatField()
    after = FloatField()
    created = FloatField(default=time.time)


class KeptProfile(Base):
    """A pack profile of one's own that every material may take. profile: as recipes hold it."""

    id = AutoField()
    name = CharField(unique=True)
    profile = JsonField()
    created = FloatField(default=time.time)


class Start(Base):
    """A recipe that captures may begin with. recipe: of settings that fit any capture, as recipes are stored."""

    id = AutoField()
    name = CharField(unique=True)
    note = TextField(default="")
    recipe = JsonField()
    created = FloatField(default=time.time)


class Batch(Base):
    """Materials that were settled and packed in one go. asked: how, as they were begun."""

    id = AutoField()
    name = CharField()
    asked = JsonField(default=dict)
    created = FloatField(default=time.time)


class BatchRow(Base):
    """A material of a batch, with the job that does it. head: the state that came of it, and was packed; null until
    then, and where the material was changed meanwhile."""

    id = AutoField()
    batch = ForeignKeyField(Batch, backref="rows", on_delete="CASCADE", index=True)
    material = ForeignKeyField(Material, backref="batch_rows", on_delete="CASCADE", index=True)
    job = ForeignKeyField(Job, null=True, on_delete="SET NULL", index=True)
    head = IntegerField(null=True)


class Token(Base):
    """An access token of one person. digest: its SHA-256; the token itself is kept nowhere."""

    name = CharField(primary_key=True)
    digest = CharField(unique=True)
    created = FloatField(default=time.time)
    used = FloatField(null=True)


TABLES = (Material, Step, Job)
LATER = (Snapshot,)
PEOPLE = (Token,)
CAMERAS = (CameraProfile,)
PROFILES = (KeptProfile,)
STARTS = (Start,)
BATCHES = (Batch, BatchRow)

"""The tables: users and their sessions, projects, revisions of their recipes, files, jobs, grid summaries."""

from __future__ import annotations

import sqlite3
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from threading import RLock
from typing import Any

from peewee import (
    CharField,
    CompositeKey,
    DatabaseProxy,
    FloatField,
    ForeignKeyField,
    IntegerField,
    Model,
    PeeweeException,
    SqliteDatabase,
    TextField,
)
from playhouse.sqlite_ext import AutoIncrementField

from plodek.core.errors import BadFile, NotReady
from plodek.server.store import contents

#: The file of the database in a data folder.
DATABASE = "plodek.db"
#: Raised with every change of the tables; `open_database` brings older files up to it.
VERSION = 5

database = DatabaseProxy()
_one_writes = RLock()
#: Milliseconds that a process waits for its turn where another one writes.
_WAIT = 60_000


@contextmanager
def writing() -> Iterator[None]:
    """Write in one transaction. Those of this process write one after the other, in their order of coming.

    SQLite alone would let them try again and again: one of eight waited a second for its turn.
    """
    with _one_writes, database.atomic("IMMEDIATE"):
        yield


class Table(Model):  # type: ignore[misc]  # its stubs are passed over
    """What all tables share."""

    class Meta:
        database = database


class Project(Table):
    """A project; ``revision`` is the number of the revision it stands at, an ``owner`` of "" is nobody.

    No ``id`` is ever given to another one.
    """

    id: Any = AutoIncrementField()
    name: Any = CharField(max_length=120)
    created: Any = FloatField()
    changed: Any = FloatField()
    deleted: Any = FloatField(null=True)
    revision: Any = IntegerField(default=0)
    owner: Any = CharField(max_length=64, default="", index=True)
    #: What its grid was last cut with, as JSON.
    sections: Any = TextField(default='{"sections": []}')


class Share(Table):
    """What a user may do with somebody else's project; the user "" is everyone."""

    project: Any = ForeignKeyField(Project, backref="shares", on_delete="CASCADE")
    user: Any = CharField(max_length=64, index=True)
    role: Any = CharField(max_length=8)

    class Meta:
        primary_key = CompositeKey("project", "user")


class Revision(Table):
    """A kept state of a recipe. Undo and redo move to and from its parent; nothing is overwritten."""

    project: Any = ForeignKeyField(Project, backref="revisions", on_delete="CASCADE")
    number: Any = IntegerField()
    parent: Any = IntegerField(null=True)
    document: Any = TextField()
    created: Any = FloatField()
    #: What is told of it without reading it: how many steps it has, and characters.
    steps: Any = IntegerField(default=0)
    size: Any = IntegerField(default=0)

    class Meta:
        primary_key = CompositeKey("project", "number")


class GeometryFile(Table):
    """A file of a project, whose name and contents never change; `contents` keeps the bytes by their hash."""

    project: Any = ForeignKeyField(Project, backref="files", on_delete="CASCADE")
    name: Any = CharField(max_length=120)
    hash: Any = CharField(max_length=64, index=True)
    size: Any = IntegerField()

    class Meta:
        primary_key = CompositeKey("project", "name")


class Job(Table):
    """A piece of long work: what is asked, where it stands, and how it ended."""

    id: Any = CharField(max_length=32, primary_key=True)
    project: Any = ForeignKeyField(Project, backref="jobs", on_delete="CASCADE")
    kind: Any = CharField(max_length=20)
    asked: Any = TextField()
    state: Any = CharField(max_length=12, default="waiting")
    progress: Any = TextField(default="{}")
    result: Any = TextField(default="{}")
    stop: Any = IntegerField(default=0)
    #: What tells that another job is for the same.
    key: Any = TextField(default="")
    created: Any = FloatField()
    started: Any = FloatField(null=True)
    changed: Any = FloatField()
    #: The process that runs it.
    worker: Any = IntegerField(null=True)
    #: The user who asked for it first.
    asker: Any = CharField(max_length=64, default="")


class GridSummary(Table):
    """The facts about the grid of a revision: derived, and may be thrown away."""

    project: Any = ForeignKeyField(Project, backref="summaries", on_delete="CASCADE")
    revision: Any = IntegerField()
    facts: Any = TextField()

    class Meta:
        primary_key = CompositeKey("project", "revision")


class User(Table):
    """Somebody who may come in."""

    name: Any = CharField(max_length=64, primary_key=True)
    hash: Any = CharField(max_length=200)
    created: Any = FloatField()


class Session(Table):
    """A browser that has come in: the hash of what its cookie holds, and when it came and was here last.

    ``about`` is what the browser says of itself.
    """

    key: Any = CharField(max_length=64, primary_key=True)
    user: Any = ForeignKeyField(User, backref="sessions", on_delete="CASCADE")
    created: Any = FloatField()
    seen: Any = FloatField()
    about: Any = CharField(max_length=200, default="")


TABLES = (User, Session, Project, Share, Revision, GeometryFile, Job, GridSummary)


def _documents(found: SqliteDatabase) -> None:
    """Let revisions hold whole recipes, of the format they had then, where they held the steps alone."""
    found.execute_sql("ALTER TABLE revision RENAME COLUMN steps TO document")
    found.execute_sql("UPDATE revision SET document = '{\"plodek\": 1, \"steps\": ' || document || '}'")


def _jobs(found: SqliteDatabase) -> None:
    """Let the table of jobs be the queue: when each was started, by which worker, and what tells the same."""
    found.execute_sql("ALTER TABLE job RENAME COLUMN beat TO changed")
    found.execute_sql("ALTER TABLE job ADD COLUMN key TEXT NOT NULL DEFAULT ''")
    found.execute_sql("ALTER TABLE job ADD COLUMN started REAL")
    found.execute_sql("ALTER TABLE job ADD COLUMN worker INTEGER")


def _owners(found: SqliteDatabase) -> None:
    """Let projects belong to somebody and keep sections, and jobs tell who asked: there is nobody yet."""
    found.execute_sql("ALTER TABLE project ADD COLUMN owner VARCHAR(64) NOT NULL DEFAULT ''")
    found.execute_sql("ALTER TABLE project ADD COLUMN sections TEXT NOT NULL DEFAULT '{\"sections\": []}'")
    found.execute_sql("CREATE INDEX IF NOT EXISTS project_owner ON project (owner)")
    found.execute_sql("ALTER TABLE job ADD COLUMN asker VARCHAR(64) NOT NULL DEFAULT ''")


def _contents(found: SqliteDatabase) -> None:
    """Let files lie beside the database, ids of projects be given once, and revisions tell their size."""
    contents.take_out(found)
    found.execute_sql("DROP TABLE gridsummary")
    found.execute_sql("ALTER TABLE revision ADD COLUMN steps INTEGER NOT NULL DEFAULT 0")
    found.execute_sql("ALTER TABLE revision ADD COLUMN size INTEGER NOT NULL DEFAULT 0")
    found.execute_sql(
        "UPDATE revision SET size = length(document), "
        "steps = coalesce(json_array_length(document, '$.steps'), 0)"
    )
    columns = "id, name, created, changed, deleted, revision, owner, sections"
    found.execute_sql("ALTER TABLE project RENAME TO project_before")
    found.execute_sql("DROP INDEX IF EXISTS project_owner")
    found.create_tables([Project])
    found.execute_sql(f"INSERT INTO project ({columns}) SELECT {columns} FROM project_before")
    found.execute_sql("DROP TABLE project_before")


#: What brings the tables of a version up to the next.
_BROUGHT_UP = {1: _documents, 2: _jobs, 3: _owners, 4: _contents}


def open_database(path: Path) -> SqliteDatabase:
    """Open the database of a data folder, making or migrating it as needed.

    Raises NotReady for one of a newer program, BadFile for one that cannot be read or written. What is
    written has reached the disk once it is acknowledged.
    """
    pragmas = {"journal_mode": "wal", "foreign_keys": 1, "busy_timeout": _WAIT, "synchronous": "full"}
    found = SqliteDatabase(path, pragmas=pragmas)
    database.initialize(found)
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        with found.connection_context():
            _bring_up(found, path)
    except (PeeweeException, OSError) as error:
        raise BadFile(
            f"it cannot be used as Plodek's database ({error})",
            where=str(path),
            remedy="see that the folder can be written to and its disk has room; a damaged file is "
            "replaced by a backup (plodek restore)",
        ) from error
    return found


def held_open(found: SqliteDatabase) -> sqlite3.Connection:
    """Open a connection that keeps the files beside a database there, whoever else comes and goes."""
    connection = sqlite3.connect(found.database, check_same_thread=False)
    connection.execute("SELECT count(*) FROM project").fetchone()
    return connection


def _bring_up(found: SqliteDatabase, path: Path) -> None:
    version = found.user_version
    if version > VERSION:
        raise NotReady(
            f"{path} was written by a newer Plodek (tables {version}, this one knows {VERSION})",
            remedy="start that one, or give another --data",
        )
    if version == VERSION:
        return
    # Tables are made anew under the names that others refer to: that is no change of what these refer to.
    found.execute_sql("PRAGMA foreign_keys = off")
    found.execute_sql("PRAGMA legacy_alter_table = on")
    with found.atomic("IMMEDIATE"):
        if version:
            for older in range(version, VERSION):
                _BROUGHT_UP[older](found)
        found.create_tables(TABLES)
        found.user_version = VERSION
    found.execute_sql("PRAGMA legacy_alter_table = off")
    found.execute_sql("PRAGMA foreign_keys = on")

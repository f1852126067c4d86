"""The tables: projects, their recipe revisions, geometry files, jobs and grid summaries."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from peewee import (
    AutoField,
    BlobField,
    CharField,
    CompositeKey,
    DatabaseProxy,
    FloatField,
    ForeignKeyField,
    IntegerField,
    Model,
    SqliteDatabase,
    TextField,
)

#: Raised with every change of the tables; `open_database` brings older files up to it.
VERSION = 2

database = DatabaseProxy()


class Table(Model):  # type: ignore[misc]  # its stubs are passed over
    """What all tables share."""

    class Meta:
        database = database


class Project(Table):
    """A project; ``revision`` is the number of the revision it stands at."""

    id: Any = AutoField()
    name: Any = CharField(max_length=120)
    created: Any = FloatField()
    changed: Any = FloatField()
    deleted: Any = FloatField(null=True)
    revision: Any = IntegerField(default=0)


class Revision(Table):
    """A kept state of a recipe. Undo and redo move to and from its parent; nothing is overwritten."""

    project: Any = ForeignKeyField(Project, backref="revisions", on_delete="CASCADE")
    number: Any = IntegerField()
    parent: Any = IntegerField(null=True)
    document: Any = TextField()
    created: Any = FloatField()

    class Meta:
        primary_key = CompositeKey("project", "number")


class GeometryFile(Table):
    """A geometry file of a project; its name and contents never change once stored."""

    project: Any = ForeignKeyField(Project, backref="files", on_delete="CASCADE")
    name: Any = CharField(max_length=120)
    hash: Any = CharField(max_length=64)
    data: Any = BlobField()

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
    created: Any = FloatField()
    beat: Any = FloatField()


class GridSummary(Table):
    """The facts about a grid, by the hash of the recipe that made it: derived, and may be thrown away."""

    key: Any = CharField(max_length=80, primary_key=True)
    facts: Any = TextField()


TABLES = (Project, Revision, GeometryFile, Job, GridSummary)


def _documents(found: SqliteDatabase) -> None:
    """Let revisions hold whole recipes, of the format they had then, where they held the steps alone."""
    found.execute_sql("ALTER TABLE revision RENAME COLUMN steps TO document")
    found.execute_sql("UPDATE revision SET document = '{\"plodek\": 1, \"steps\": ' || document || '}'")


def open_database(path: Path) -> SqliteDatabase:
    """Open the database of a data folder, making or migrating it as needed."""
    path.parent.mkdir(parents=True, exist_ok=True)
    pragmas = {"journal_mode": "wal", "foreign_keys": 1, "busy_timeout": 10_000, "synchronous": "normal"}
    found = SqliteDatabase(path, pragmas=pragmas)
    database.initialize(found)
    with found.connection_context(), found.atomic():
        version = found.user_version
        if version > VERSION:
            raise RuntimeError(f"{path} was written by a newer Plodek (tables {version}); start that one")
        if version == 1:
            _documents(found)
        if version < VERSION:
            found.create_tables(TABLES)
            found.user_version = VERSION
    return found

"""Backups of a data folder: one file with all projects, their revisions and their files."""

from __future__ import annotations

import shutil
import sqlite3
import time
from contextlib import closing, suppress
from pathlib import Path

from plodek.core.errors import BadFile, NothingFound
from plodek.server.store.contents import FILES, Contents
from plodek.server.store.tables import DATABASE, TABLES, VERSION

#: The table that holds the bytes of files in a backup.
_FILES = "file_contents"


def back_up(data: Path, target: Path) -> int:
    """Write a backup of a data folder, which a server may be working on; give how many projects it holds.

    It is whole or not there at all. Raises NothingFound without a database, BadFile where the target cannot
    be written.
    """
    source = data / DATABASE
    if not source.is_file():
        raise NothingFound(f"there is no {DATABASE} in {data}", remedy="give the data folder with --data")
    part = target.with_name(f"{target.name}.part")
    try:
        part.unlink(missing_ok=True)
        with closing(sqlite3.connect(source)) as found, closing(sqlite3.connect(part)) as written:
            found.backup(written)
            written.execute("PRAGMA journal_mode = delete")
            _put_files_in(written, Contents(data / FILES))
        count = look(part)
        part.replace(target)
    except (sqlite3.Error, OSError) as error:
        raise BadFile(
            f"the backup cannot be written ({error})",
            where=str(target),
            remedy="give another place with --to",
        ) from error
    finally:
        part.unlink(missing_ok=True)
    return count


def restore(file: Path, data: Path) -> tuple[int, Path | None]:
    """Put a backup into a data folder; give how many projects it holds, and where what was there lies now.

    Raises BadFile for a file that is no backup, or a damaged one; nothing is changed then.
    """
    count = look(file)
    data.mkdir(parents=True, exist_ok=True)
    part, target = data / f"{DATABASE}.part", data / DATABASE
    shutil.copyfile(file, part)
    _take_files_out(part, Contents(data / FILES), file)
    before = None
    if target.exists():
        before = data / f"{DATABASE}.before-{time.strftime('%Y%m%d-%H%M%S')}"
        with suppress(sqlite3.Error), closing(sqlite3.connect(target)) as found:  # perhaps it is damaged
            found.execute("PRAGMA wal_checkpoint(TRUNCATE)")
        target.replace(before)
    for ending in ("-wal", "-shm"):
        target.with_name(DATABASE + ending).unlink(missing_ok=True)
    part.replace(target)
    return count, before


def _put_files_in(written: sqlite3.Connection, files: Contents) -> None:
    """Put the bytes of all files beside a database into a backup of it."""
    written.execute(f"CREATE TABLE {_FILES} (hash TEXT PRIMARY KEY, data BLOB NOT NULL)")
    for (key,) in written.execute("SELECT DISTINCT hash FROM geometryfile").fetchall():
        with suppress(NothingFound):  # it is gone already: the backup can be no better
            written.execute(f"INSERT INTO {_FILES} VALUES (?, ?)", (key, files.read(key)))
    written.commit()


def _take_files_out(part: Path, files: Contents, file: Path) -> None:
    """Put the bytes in a backup beside the database that it becomes. Raises BadFile where one is damaged."""
    with closing(sqlite3.connect(part)) as found:
        if not found.execute("SELECT 1 FROM sqlite_master WHERE name = ?", (_FILES,)).fetchone():
            return  # it is of a version that had them in the table of files
        for (key,) in found.execute(f"SELECT hash FROM {_FILES}").fetchall():
            (data,) = found.execute(f"SELECT data FROM {_FILES} WHERE hash = ?", (key,)).fetchone()
            if files.keep(data).hash != key:
                raise BadFile("a file in this backup is damaged", where=str(file), remedy="choose another")
        found.execute(f"DROP TABLE {_FILES}")
        found.commit()
        found.execute("VACUUM")


def look(file: Path) -> int:
    """Give how many projects a database holds that is whole. Raises BadFile."""
    if not file.is_file():
        raise BadFile("there is no such file", where=str(file), remedy="check the path")
    try:
        with closing(sqlite3.connect(f"{file.absolute().as_uri()}?mode=ro", uri=True)) as found:
            said = found.execute("PRAGMA integrity_check").fetchone()[0]
            version = found.execute("PRAGMA user_version").fetchone()[0]
            names = {name for (name,) in found.execute("SELECT name FROM sqlite_master WHERE type = 'table'")}
            wanted = {table._meta.table_name for table in TABLES} - ({"session"} if version < 5 else set())
            fine = said == "ok" and wanted <= names and 1 <= version <= VERSION
            count = found.execute("SELECT count(*) FROM project").fetchone()[0] if fine else 0
    except sqlite3.Error as error:
        raise BadFile(
            f"it is no backup of Plodek ({error})", where=str(file), remedy="choose another"
        ) from error
    if version > VERSION and wanted <= names:
        raise BadFile("it was written by a newer Plodek", where=str(file), remedy="restore it with that one")
    if not fine:
        raise BadFile(f"it is no whole backup of Plodek ({said})", where=str(file), remedy="choose another")
    return int(count)

"""The bytes of files, kept once by their hash in a folder beside the database."""

from __future__ import annotations

import errno
import hashlib
import os
import shutil
import tempfile
import time
from contextlib import suppress
from pathlib import Path
from typing import TYPE_CHECKING, NamedTuple

from plodek.core.errors import NothingFound

if TYPE_CHECKING:
    from peewee import SqliteDatabase

#: The folder, in a data folder.
FILES = "files"
#: The share of the disk that files leave free: edits need room too.
_LEFT_FREE = 0.02
#: Seconds for which what no project has is kept: a project that will have it may be about to be made.
_YOUNG = 3600.0


class Kept(NamedTuple):
    """Bytes that are kept: their hash, and how many."""

    hash: str
    size: int


def digest(data: bytes) -> str:
    """Give the hash that tells a file's contents from others."""
    return hashlib.sha256(data).hexdigest()


class Contents:
    """The bytes of all files of a data folder."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder

    @staticmethod
    def of(database: SqliteDatabase) -> Contents:
        """Give those beside a database."""
        return Contents(Path(database.database).parent / FILES)

    def keep(self, data: bytes) -> Kept:
        """Keep bytes, on the disk once this returns. Raises OSError where there is no room."""
        kept = Kept(digest(data), len(data))
        self._folder.mkdir(exist_ok=True)
        disk = shutil.disk_usage(self._folder)
        if disk.free - len(data) < disk.total * _LEFT_FREE:
            raise OSError(errno.ENOSPC, os.strerror(errno.ENOSPC))
        path = self._path(kept.hash)
        if path.is_file():
            with suppress(OSError):
                os.utime(path)  # so that it is not swept out meanwhile
            return kept
        path.parent.mkdir(parents=True, exist_ok=True)
        handle, part = tempfile.mkstemp(dir=path.parent, suffix=".part")
        try:
            with os.fdopen(handle, "wb") as file:
                file.write(data)
                file.flush()
                os.fsync(file.fileno())
            Path(part).replace(path)
        except OSError:
            Path(part).unlink(missing_ok=True)
            raise
        folder = os.open(path.parent, os.O_RDONLY)
        try:
            os.fsync(folder)
        finally:
            os.close(folder)
        return kept

    def read(self, key: str) -> bytes:
        """Give the bytes of a hash. Raises NothingFound where they are gone."""
        try:
            return self._path(key).read_bytes()
        except FileNotFoundError as error:
            raise NothingFound(
                "the bytes of this file are gone from the data folder", remedy="bring the file in again"
            ) from error

    def sweep_out(self, used: set[str]) -> None:
        """Throw away what is not used, unless it is young."""
        old = time.time() - _YOUNG
        for path in self._folder.glob("*/*"):
            with suppress(FileNotFoundError):
                if path.name not in used and path.stat().st_mtime < old:
                    path.unlink()

    def _path(self, key: str) -> Path:
        return self._folder / key[:2] / key


def take_out(found: SqliteDatabase) -> None:
    """Take the bytes of files out of a database that holds them itself, as those of earlier versions do."""
    there = Contents.of(found)
    found.execute_sql("ALTER TABLE geometryfile ADD COLUMN size INTEGER NOT NULL DEFAULT 0")
    for (row,) in found.execute_sql("SELECT rowid FROM geometryfile").fetchall():
        (data,) = found.execute_sql("SELECT data FROM geometryfile WHERE rowid = ?", (row,)).fetchone()
        kept = there.keep(bytes(data))
        found.execute_sql(
            "UPDATE geometryfile SET hash = ?, size = ? WHERE rowid = ?", (kept.hash, kept.size, row)
        )
    found.execute_sql("ALTER TABLE geometryfile DROP COLUMN data")

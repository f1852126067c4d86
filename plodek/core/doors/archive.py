"""The one door through which ZIP archives are read: counted before and while they are unpacked."""

from __future__ import annotations

import errno
import shutil
import zipfile
import zlib
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import IO

from plodek.core.budget import need
from plodek.core.errors import BadFile

#: Files in an archive at most; a hand-off of many blocks as files has one for each.
MOST_FILES = 50_000
#: How many times its own size an archive may unpack to, where that is more than a little.
_MOST_TIMES, _LITTLE = 400, 32 * 1024**2
_MB = 1024**2
#: Bytes that are unpacked at a time: what comes of other ways of packing is not bounded by what is asked for.
_PIECE = 1 << 20
_WAYS = (zipfile.ZIP_STORED, zipfile.ZIP_DEFLATED)
_ENCRYPTED = 0x1
_BROKEN = (zipfile.BadZipFile, zlib.error, RuntimeError, NotImplementedError, EOFError, ValueError)
#: Errors of the disk that is written to, which say nothing of the archive.
_OF_DISK = (errno.ENOSPC, errno.EDQUOT, errno.EROFS, errno.EACCES)


class Archive:
    """The files of an archive by their names, with slashes."""

    def __init__(self, archive: zipfile.ZipFile, infos: dict[str, zipfile.ZipInfo]) -> None:
        self._archive, self._infos = archive, infos

    @property
    def names(self) -> list[str]:
        """The names, in their order in the archive."""
        return list(self._infos)

    def read(self, name: str) -> bytes:
        """Unpack one file."""
        with self._archive.open(self._infos[name]) as file:
            return b"".join(iter(lambda: file.read(_PIECE), b""))

    def extract(self, folder: Path) -> None:
        """Unpack all files below a folder."""
        for name, info in self._infos.items():
            target = folder / name
            target.parent.mkdir(parents=True, exist_ok=True)
            with self._archive.open(info) as file, target.open("wb") as out:
                shutil.copyfileobj(file, out, _PIECE)


@contextmanager
def opened(source: Path | IO[bytes], name: str) -> Iterator[Archive]:
    """Open an archive that came under a name.

    Raises BadFile for what is none, is damaged, packed otherwise than by deflate, or leads out of its
    folder, also where that is met within the context; OverBudget for more than may be unpacked.
    """
    try:
        with zipfile.ZipFile(source) as archive:
            yield Archive(archive, _looked_at(archive, name))
    except _BROKEN as error:
        raise _refused(name, f"it is no ZIP file that can be read ({error})") from error
    except OSError as error:
        if error.errno in _OF_DISK:
            raise
        raise _refused(name, f"it is no ZIP file that can be read ({error})") from error


def _looked_at(archive: zipfile.ZipFile, name: str) -> dict[str, zipfile.ZipInfo]:
    """Give the files of an archive by name, once all that its list says of them can be taken."""
    infos = [info for info in archive.infolist() if not info.is_dir()]
    if len(infos) > MOST_FILES:
        raise _refused(name, f"it holds {len(infos)} files", f"pack {MOST_FILES} at most")
    size, packed = sum(info.file_size for info in infos), sum(info.compress_size for info in infos)
    need("unpacked_mb", size / _MB, where=name)
    if size > max(_LITTLE, _MOST_TIMES * packed):
        raise _refused(name, f"it would unpack to {size / max(packed, 1):.0f} times its size")
    found: dict[str, zipfile.ZipInfo] = {}
    for info in infos:
        inside = info.filename.replace("\\", "/")
        if info.compress_type not in _WAYS or info.flag_bits & _ENCRYPTED:
            how = (
                "locked by a password"
                if info.flag_bits & _ENCRYPTED
                else "packed by another way than deflate"
            )
            raise _refused(name, f"“{inside[-60:]}” in it is {how}")
        if inside.startswith("/") or ".." in inside.split("/") or ":" in inside.split("/")[0]:
            raise _refused(name, f"“{inside[-60:]}” in it leads out of its folder")
        if inside in found:
            raise _refused(name, f"two files in it are called “{inside[-60:]}”", "give one another name")
        found[inside] = info
    return found


def _refused(name: str, what: str, remedy: str = "pack it again, as a plain ZIP file") -> BadFile:
    return BadFile(what, where=name, remedy=remedy)

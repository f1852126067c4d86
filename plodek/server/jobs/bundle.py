"""The files of a hand-off as one: packed alike to the byte wherever they are alike, with a digest."""

from __future__ import annotations

import hashlib
import shutil
import zipfile
from collections.abc import Iterable, Mapping
from pathlib import Path

#: When all files in a bundle are said to be from: the earliest that the format knows.
_THEN = (1980, 1, 1, 0, 0, 0)
#: Grids hardly get smaller by packing: little effort.
_EFFORT = 1
_CHUNK = 1 << 20


def pack(bundle: Path, files: Mapping[str, Path]) -> None:
    """Pack files by their names in the bundle, which is there when all of it is."""
    part = bundle.with_suffix(".part")
    with zipfile.ZipFile(part, "w", zipfile.ZIP_DEFLATED, compresslevel=_EFFORT) as archive:
        for name, file in sorted(files.items()):
            about = zipfile.ZipInfo(name, _THEN)
            about.compress_type = zipfile.ZIP_DEFLATED
            about.file_size = file.stat().st_size
            with file.open("rb") as source, archive.open(about, "w") as target:
                shutil.copyfileobj(source, target, _CHUNK)
    part.replace(bundle)


def unpack(bundle: Path, names: Iterable[str], folder: Path) -> None:
    """Unpack some of the files of a bundle into a folder. Raises KeyError for one that is not in it."""
    with zipfile.ZipFile(bundle) as archive:
        for name in names:
            archive.extract(name, folder)


def digest_of(files: Mapping[str, Path]) -> str:
    """Give the SHA-256 of the names and contents of files, as hexadecimal digits."""
    found = hashlib.sha256()
    for name, file in sorted(files.items()):
        found.update(f"{name}\0{file.stat().st_size}\0".encode())
        with file.open("rb") as source:
            while data := source.read(_CHUNK):
                found.update(data)
    return found.hexdigest()

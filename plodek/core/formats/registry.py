"""The file formats of grids: each folder here registers one, and everything else learns it from here."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import cache
from importlib import import_module
from pathlib import Path
from pkgutil import iter_modules
from typing import TypeAlias

from plodek.core.errors import BadFile, BadValue
from plodek.core.grid.grid import Grid

#: Writes a grid, its coordinates in a unit, to a path; gives all files written.
Write: TypeAlias = Callable[[Path, Grid, str], list[Path]]
#: Reads a grid and its length unit, "" where the file does not say.
Read: TypeAlias = Callable[[Path], tuple[Grid, str]]


@dataclass(frozen=True)
class Format:
    """A file format: its ``key`` and ``label``, the ending of its files, the first for writing.

    ``plane`` says that a grid of the plane can leave as it is, ``poles`` that cells with a shrunk edge are
    told as what they are.
    """

    key: str
    label: str
    endings: tuple[str, ...]
    about: str
    write: Write | None = None
    read: Read | None = None
    plane: bool = False
    poles: bool = False


@cache
def formats() -> dict[str, Format]:
    """Give all formats by their keys: the ``FORMAT`` of every folder beside this file."""
    package = import_module("plodek.core.formats")
    names = [one.name for one in iter_modules(package.__path__) if one.ispkg]
    found = [import_module(f"{package.__name__}.{name}").FORMAT for name in sorted(names)]
    return {one.key: one for one in found}


def written() -> dict[str, Format]:
    """Give the formats that grids can be written in."""
    return {key: one for key, one in formats().items() if one.write is not None}


def writers(keys: list[str] | tuple[str, ...]) -> list[Format]:
    """Find formats to write by their keys. Raises BadValue for one that is none, or none at all."""
    there = written()
    unknown = [key for key in keys if key not in there]
    if unknown or not keys:
        what = f"“{unknown[0]}” is no format that grids are written in" if unknown else "no format is chosen"
        raise BadValue(what, remedy=f"use {', '.join(there)}")
    return [one for key, one in there.items() if key in keys]


def read(path: Path) -> tuple[Grid, str]:
    """Read a grid from a file, by its ending. Raises BadFile."""
    readers = [one for one in formats().values() if one.read is not None]
    for one in readers:
        if one.read is not None and path.suffix.lower() in one.endings:
            return one.read(path)
    endings = ", ".join(ending for one in readers for ending in one.endings)
    raise BadFile(
        f"files that end in “{path.suffix}” are not read as grids",
        where=path.name,
        remedy=f"give one that ends in {endings}",
    )

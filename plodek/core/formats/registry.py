"""The file formats of grids: each folder here registers one, and everything else learns it from here."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, replace
from functools import cache
from importlib import import_module
from pathlib import Path
from pkgutil import iter_modules
from tempfile import TemporaryDirectory
from typing import TypeAlias

from plodek.core.errors import BadFile, BadValue
from plodek.core.formats import block_map
from plodek.core.formats.cargo import Cargo
from plodek.core.formats.mesh import Mesh
from plodek.core.formats.regular import blocks_of
from plodek.core.grid.grid import Grid
from plodek.core.grid.touching import seams_in
from plodek.core.grid.window import PatchType
from plodek.core.telling import Tell, unheard_of

#: What is chosen of each option of a format, by its key.
Choices: TypeAlias = Mapping[str, str]
#: Writes to a path; gives all files written.
Write: TypeAlias = Callable[[Path, Cargo, Choices], list[Path]]
#: Reads blocks or cells and their length unit, "" where the file does not say.
Read: TypeAlias = Callable[[Path], tuple[Grid | Mesh, str]]


@dataclass(frozen=True)
class Option:
    """Something to choose about a format; the first of its ``choices`` is the usual one."""

    key: str
    title: str
    choices: tuple[str, ...]


@dataclass(frozen=True)
class Format:
    """A file format: its ``key`` and ``label``, the endings of its files, and those ``read_too`` only.

    ``plane`` says that a grid of the plane can leave as it is, ``periodic`` that files tell which sides are
    periodic with which; ``most`` how many characters a name of a patch or region has at most. ``types`` gives
    what its files say instead of the patch types that it has no word for; None where they tell no types.
    """

    key: str
    label: str
    endings: tuple[str, ...]
    about: str
    write: Write | None = None
    read: Read | None = None
    plane: bool = False
    periodic: bool = False
    options: tuple[Option, ...] = ()
    most: int = 32
    types: Mapping[PatchType, str] | None = None
    read_too: tuple[str, ...] = ()

    def choices(self, given: Choices | None = None) -> dict[str, str]:
        """Give what holds of every option. Raises BadValue for an option or a choice that is none."""
        found = {option.key: option.choices[0] for option in self.options}
        for key, choice in (given or {}).items():
            option = next((o for o in self.options if o.key == key), None)
            if option is None:
                there = ", ".join(found) or "none"
                raise BadValue(f"{self.label} has no option “{key}”", remedy=f"its options are: {there}")
            if choice not in option.choices:
                raise BadValue(
                    f"“{choice}” is no choice for {key} of {self.label}",
                    remedy=f"use {', '.join(option.choices)}",
                )
            found[key] = choice
        return found


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


def fitting(grid: Grid) -> list[str]:
    """Give the keys of the formats that a grid can leave in."""
    return [key for key, one in written().items() if grid.dim == 3 or one.plane]


def writers(keys: Iterable[str]) -> list[Format]:
    """Find formats to write by their keys. Raises BadValue for one that is none, or none at all."""
    there, wished = written(), list(keys)
    unknown = [key for key in wished if key not in there]
    if unknown or not wished:
        what = f"“{unknown[0]}” is no format that grids are written in" if unknown else "no format is chosen"
        raise BadValue(what, remedy=f"use {', '.join(there)}")
    return [one for key, one in there.items() if key in wished]


def types_told(chosen: Iterable[Format], grid: Grid) -> list[str]:
    """Say which formats cannot tell the types of a grid's patches, or say something else for some."""
    found = []
    for one in chosen:
        if one.types is None:
            if grid.patches:
                found.append(f"{one.label} names the patches, and says nothing of their types")
            continue
        for kind, word in one.types.items():
            names = [patch.name for patch in grid.patches if patch.type == kind]
            if names:
                found.append(f"{one.label} has no type for “{kind}” ({', '.join(names)}): it says {word}")
    return found


def readers() -> list[Format]:
    """Give the formats that grids are read in."""
    return [one for one in formats().values() if one.read is not None]


def writer_of(path: Path) -> Format:
    """Find the format that a file is to be written in by its ending. Raises BadValue."""
    found = next((one for one in written().values() if path.suffix.lower() in one.endings), None)
    if found is None:
        endings = ", ".join(ending for one in written().values() for ending in one.endings)
        raise BadValue(f"“{path.name}” ends as no grid is written", remedy=f"give it one of {endings}")
    return found


def read(path: Path, tell: Tell = unheard_of) -> tuple[Grid, str]:
    """Read a grid of blocks from a file, by its ending; cells are put into blocks. Raises BadFile."""
    tell(0.0, "reading the file")
    found, unit = opened(path)
    if isinstance(found, Mesh):
        tell(0.2, f"finding the blocks of {found.cells} cells")
        found = replace(blocks_of(found, path.name), notes=found.notes)
    return replace(found, seams=seams_in(found)), unit


def is_grid(name: str) -> bool:
    """Whether a file of a name is read as a grid."""
    ending = Path(name).suffix.lower()
    return any(ending in (*one.endings, *one.read_too) for one in readers())


def read_of(data: bytes, name: str, told: bytes | None = None, tell: Tell = unheard_of) -> tuple[Grid, str]:
    """Read a grid of blocks from the bytes of a file, with those of the map beside it. Raises BadFile."""
    with TemporaryDirectory() as folder:
        path = Path(folder) / Path(name).name
        path.write_bytes(data)
        if told is not None:
            block_map.map_path(path).write_bytes(told)
        return read(path, tell)


def opened(path: Path) -> tuple[Grid | Mesh, str]:
    """Read blocks or cells from a file, by its ending. Raises BadFile."""
    if not path.is_file():
        raise BadFile("there is no such file", where=str(path), remedy="check the path")
    for one in readers():
        if one.read is not None and path.suffix.lower() in (*one.endings, *one.read_too):
            return one.read(path)
    endings = ", ".join(ending for one in readers() for ending in (*one.endings, *one.read_too))
    raise BadFile(
        f"files that end in “{path.suffix}” are not read as grids",
        where=path.name,
        remedy=f"give one that ends in {endings}",
    )

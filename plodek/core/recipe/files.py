"""The files that a recipe reads: their bytes, what is packed of geometry files, and their hashes."""

from __future__ import annotations

import hashlib
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from plodek.core.errors import BadFile, NothingFound
from plodek.core.telling import Tell, unheard_of

if TYPE_CHECKING:
    from plodek.core.grid.grid import Grid


class Reading:
    """Reading in place; readers are imported only where they are wanted."""

    def geometry(self, data: bytes, name: str, tell: Tell = unheard_of) -> bytes:
        """Read a CAD, STL, OBJ or DXF file as packed contents. Raises BadFile, OverBudget."""
        from plodek.core.shape.files import geometry_file

        return geometry_file.read(data, name, tell)

    def grid(
        self, data: bytes, name: str, beside: bytes | None = None, tell: Tell = unheard_of
    ) -> tuple[Grid, str]:
        """Read a grid, with the map ``beside`` it, and give its length unit. Raises BadFile, OverBudget."""
        from plodek.core.formats import registry

        return registry.read_of(data, name, beside, tell)


class Files:
    """Files by their names, through a function that gives their bytes; each is read as geometry once."""

    def __init__(self, read: Callable[[str], bytes]) -> None:
        self.read = read
        self._reading = Reading()
        self._geometry: dict[str, bytes] = {}

    def geometry(self, name: str) -> bytes:
        """Give what `geometry_file.read` makes of a file. Raises BadFile."""
        if name not in self._geometry:
            self._geometry[name] = self._reading.geometry(self.read(name), name)
        return self._geometry[name]

    def grid(self, name: str, beside: str | None = None) -> tuple[Grid, str]:
        """Read a grid, with the map ``beside`` it, and give its length unit. Raises BadFile."""
        return self._reading.grid(self.read(name), name, None if beside is None else self.read(beside))

    def hash(self, name: str) -> str:
        """Give what tells a file's contents from others."""
        return hashlib.sha256(self.read(name)).hexdigest()


def beside(recipe: Path) -> Files:
    """Give the files that lie beside a recipe, or where the command was called."""

    def read(name: str) -> bytes:
        path = recipe.parent / name
        return bytes_of(path if path.is_file() else Path(name))

    return Files(read)


def bytes_of(path: Path) -> bytes:
    """Read a file. Raises BadFile."""
    try:
        return path.read_bytes()
    except OSError as error:
        raise BadFile("it cannot be read", where=str(path), remedy="check the path") from error


def in_memory(data: dict[str, bytes]) -> Files:
    """Give files whose bytes are at hand."""

    def read(name: str) -> bytes:
        if name not in data:
            had = ", ".join(data) or "none"
            raise NothingFound(f"there is no file “{name}”", remedy=f"files there are: {had}")
        return data[name]

    return Files(read)

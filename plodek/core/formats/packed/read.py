"""Reading a grid from a ZIP file of the files that it consists of."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from tempfile import TemporaryDirectory

from plodek.core.doors import archive
from plodek.core.errors import BadFile
from plodek.core.formats import registry
from plodek.core.formats.mesh import Mesh
from plodek.core.grid.grid import Grid


def read(path: Path) -> tuple[Grid | Mesh, str]:
    """Read the grid in a ZIP file: of several formats the first there is, in the order of the registry.

    Raises BadFile for no grid or several in it, OverBudget for more than may be unpacked.
    """
    with TemporaryDirectory() as folder:
        target = Path(folder)
        with archive.opened(path, path.name) as packed:
            packed.extract(target)
        found = next((files for files in _by_format(target) if files), [])
        names = ", ".join(str(file.relative_to(target)) for file in found[:3])
        if len(found) != 1:
            what = f"it holds {len(found)} grids ({names} …)" if found else "there is no grid in it"
            raise BadFile(what, where=path.name, remedy="pack the files of one grid")
        try:
            return registry.opened(found[0])
        except BadFile as error:
            raise BadFile(
                error.what, where=f"{path.name}, {error.where or names}", remedy=error.remedy
            ) from error


def _by_format(folder: Path) -> Iterator[list[Path]]:
    """Give the files of each format that can be a grid: those that gather others before those gathered.

    Hidden ones are what some systems put beside each file when they pack it.
    """
    files = sorted(file for file in folder.rglob("*") if file.is_file() and not file.name.startswith("."))
    for one in registry.readers():
        if ".zip" not in one.endings:
            for endings in (one.endings, one.read_too):
                yield [file for file in files if file.suffix.lower() in endings]

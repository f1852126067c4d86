"""Turning a grid in one file format into another."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace
from pathlib import Path

from plodek.core.errors import BadValue
from plodek.core.formats import registry
from plodek.core.formats.cargo import Cargo
from plodek.core.formats.handoff import write_all
from plodek.core.grid.grid import Grid
from plodek.core.grid.window import PatchFaces
from plodek.core.telling import Tell, unheard_of
from plodek.core.units import METRES, factor

#: The patch of outer faces that a file names nothing.
REST = "unnamed"
_ODD = re.compile(r"[^A-Za-z0-9_.-]+")


@dataclass(frozen=True)
class Converted:
    """What a conversion has read and written, and names that had to change, by the old one."""

    grid: Grid
    unit: str
    files: tuple[Path, ...]
    renamed: Mapping[str, str]


def convert(
    source: Path,
    target: Path,
    options: registry.Choices | None = None,
    *,
    from_unit: str | None = None,
    unit: str | None = None,
    tell: Tell = unheard_of,
) -> Converted:
    """Read a grid and write it in the format that the ending of ``target`` says, with its ``options``.

    Coordinates are turned into ``unit`` where that is given, from the unit that the file says or
    ``from_unit``. Outer faces in no patch become one. Raises BadFile for what cannot be read, BadValue for
    an ending, option or unit that is none, or a unit that nobody tells.
    """
    one = registry.writer_of(target)
    choices = one.choices(options)
    grid, told = registry.read(source)
    own = from_unit or told
    for name in (own, unit):
        if name and name not in METRES:
            raise BadValue(f"“{name}” is not a length unit", remedy=f"use {', '.join(METRES)}")
    if unit and not own:
        raise BadValue(f"{source.name} says no length unit", remedy="say which one it is in (--from-unit)")
    if grid.dim != 3 and not one.plane:
        raise BadValue(f"the grid is plane, and {one.label} takes grids of space only", remedy=_OTHER)
    grid, renamed = _with_plain_names(grid, one.most)
    times = factor(own, unit) if unit else 1.0
    files = write_all(target.parent, target.stem, Cargo(grid, unit or own, times), [one], [choices], tell)
    if target.suffix != one.endings[0]:
        files[0] = files[0].replace(target)
    return Converted(grid, unit or own, tuple(files), renamed)


_OTHER = "take a format for plane grids: CGNS, PLOT3D, VTK XML or tables"


def _with_plain_names(grid: Grid, most: int) -> tuple[Grid, dict[str, str]]:
    """Give patches and regions names that every file system and format takes, no two alike."""
    if grid.unnamed:
        grid = replace(
            grid, unnamed=(), patches=(*grid.patches, PatchFaces(REST, "general", tuple(grid.unnamed)))
        )
    patches = _plain((patch.name for patch in grid.patches), most)
    regions = _plain(grid.regions, most, taken=patches)
    found = replace(
        grid,
        patches=tuple(replace(p, name=name) for p, name in zip(grid.patches, patches, strict=True)),
        regions=dict(zip(regions, grid.regions.values(), strict=True)),
    )
    before = [*(patch.name for patch in grid.patches), *grid.regions]
    pairs = zip(before, [*patches, *regions], strict=True)
    return found, {old: new for old, new in pairs if old != new}


def _plain(names: Iterable[str], most: int, taken: Iterable[str] = ()) -> list[str]:
    there = {name.lower() for name in taken}
    found: list[str] = []
    for name in names:
        plain = base = (_ODD.sub("_", name).strip("._") or REST)[:most]
        number = 1
        while plain.lower() in there:
            number += 1
            plain = f"{base[: most - len(str(number)) - 1]}_{number}"
        there.add(plain.lower())
        found.append(plain)
    return found

"""The map beside a file of nodes alone: patches, interfaces, regions and the unit, as JSON and as CSV.

Our own, neutral form: plain names, node indices counted from 1, described in `docs/formats.md`.
"""

from __future__ import annotations

import csv
import json
from collections.abc import Iterable, Iterator
from dataclasses import replace
from pathlib import Path
from typing import Any, Literal

import numpy as np
from pydantic import BaseModel, ConfigDict, Field, ValidationError

from plodek.core.arrays import Floats
from plodek.core.blocks.orientation import Orientation
from plodek.core.errors import BadFile
from plodek.core.formats.cargo import Cargo
from plodek.core.formats.windows import ranged, span_of
from plodek.core.grid.grid import Grid
from plodek.core.grid.matching import poles_in
from plodek.core.grid.outside import rest_of
from plodek.core.grid.window import Interface, PatchFaces, PatchType, Window
from plodek.core.shape.move import Move

_Index = tuple[int, int, int]


class _Part(BaseModel):
    model_config = ConfigDict(extra="forbid", strict=False)


class _Range(_Part):
    """Nodes of a block from ``low`` to ``high``, both included."""

    block: int = Field(ge=1)
    low: _Index
    high: _Index


class _Patch(_Part):
    name: str
    type: PatchType
    windows: list[_Range]


class _Move(_Part):
    matrix: list[tuple[float, float, float]] = Field(min_length=3, max_length=3)
    shift: tuple[float, float, float]


class _Interface(_Part):
    """``axes`` says which axis of the second runs along each of the first, negative where it runs back."""

    first: _Range
    second: _Range
    axes: tuple[int, int, int] | tuple[int, int]
    move: _Move | None = None


class _Block(_Part):
    name: str
    nodes: _Index


class _Map(_Part):
    plodek_map: Literal[1] = 1
    unit: str = ""
    blocks: list[_Block]
    patches: list[_Patch] = []
    interfaces: list[_Interface] = []
    regions: dict[str, list[int]] = {}
    recipe: Any = None


def map_path(path: Path) -> Path:
    """Give the path of the map beside a file of nodes."""
    return path.with_suffix(".map.json")


def write(path: Path, cargo: Cargo) -> list[Path]:
    """Write the map beside a file of nodes, as JSON and as a table."""
    grid = cargo.grid
    found = _Map(
        unit=cargo.unit,
        blocks=[_Block(name=n, nodes=_index(x.shape)) for n, x in zip(grid.names, grid.xyz, strict=True)],
        patches=[
            _Patch(name=p.name, type=p.type, windows=[_range(grid, w) for w in p.windows])
            for p in grid.patches
        ],
        interfaces=[
            _Interface(
                first=_range(grid, joint.first),
                second=_range(grid, joint.second),
                axes=joint.orientation.axes,  # type: ignore[arg-type]  # as many as the grid has
                move=_move(joint.move, cargo.factor),
            )
            for joint in (*grid.interfaces, *grid.periodic)
        ],
        regions={name: [block + 1 for block in blocks] for name, blocks in grid.regions.items()},
        recipe=json.loads(cargo.recipe) if cargo.recipe else None,
    )
    text, table = map_path(path), path.with_suffix(".map.csv")
    text.write_text(found.model_dump_json(indent=1, exclude_none=True) + "\n", encoding="utf-8")
    with table.open("w", newline="", encoding="utf-8") as file:
        csv.writer(file).writerows(_rows(found))
    return [text, table]


def _rows(found: _Map) -> Iterator[list[Any]]:
    ways = [f"{end}_{axis}" for end in ("low", "high") for axis in "ijk"]
    yield ["what", "name", "type", "block", *ways, "other_block", *(f"other_{way}" for way in ways), "axes"]
    for patch in found.patches:
        for one in patch.windows:
            yield ["patch", patch.name, patch.type, one.block, *one.low, *one.high]
    for joint in found.interfaces:
        one, other = joint.first, joint.second
        what = "interface" if joint.move is None else "periodic"
        ends = [one.block, *one.low, *one.high, other.block, *other.low, *other.high]
        yield [what, "", "", *ends, " ".join(map(str, joint.axes))]
    for name, blocks in found.regions.items():
        for block in blocks:
            yield ["region", name, "", block]


def with_map(path: Path, names: list[str], xyz: list[Floats], dim: int) -> tuple[Grid, str] | None:
    """Give the grid of nodes read from ``path`` with what the map beside it says; None where there is none.

    Raises BadFile for a map that does not fit the nodes.
    """
    file = map_path(path)
    if not file.is_file():
        return None
    found = _read(file.read_bytes(), file.name)
    shapes = [_index(nodes.shape) for nodes in xyz]
    if [block.nodes for block in found.blocks] != shapes:
        raise BadFile("it tells of other blocks than the file of nodes", where=file.name, remedy=_REMEDY)

    def window(one: _Range) -> Window:
        if one.block > len(xyz):
            raise BadFile(f"there is no block {one.block}", where=file.name, remedy=_REMEDY)
        return ranged(one.block - 1, np.array([one.low, one.high])[:, :dim], shapes[one.block - 1], file.name)

    joints = [
        Interface(window(j.first), window(j.second), Orientation(j.axes), _moved(j.move))
        for j in found.interfaces
    ]
    patches = tuple(PatchFaces(p.name, p.type, tuple(map(window, p.windows))) for p in found.patches)
    poles = poles_in(xyz, dim)
    grid = Grid(
        dim,
        tuple(block.name for block in found.blocks),
        tuple(xyz),
        tuple(joint for joint in joints if joint.move is None),
        patches,
        regions={name: tuple(b - 1 for b in blocks) for name, blocks in found.regions.items()},
        periodic=tuple(joint for joint in joints if joint.move is not None),
        poles=poles,
    )
    return replace(grid, unnamed=rest_of(grid)), found.unit


def is_map(name: str) -> bool:
    """Whether a file is a map, by its name."""
    return name.lower().endswith(".map.json")


def counted(data: bytes, name: str) -> tuple[dict[str, int], str]:
    """Give how many of what a map tells of, and its length unit. Raises BadFile."""
    found = _read(data, name)
    counts = {
        "blocks": len(found.blocks), "patches": len(found.patches), "interfaces": len(found.interfaces)
    }  # fmt: skip
    return counts, found.unit


def _read(data: bytes, name: str) -> _Map:
    try:
        return _Map.model_validate_json(data)
    except ValidationError as error:
        first = error.errors()[0]
        where = ".".join(map(str, first["loc"]))
        raise BadFile(f"{where or 'it'}: {first['msg']}", where=name, remedy=_REMEDY) from error


_REMEDY = "write the grid again, or take the map away: interfaces are found from the nodes then"


def _range(grid: Grid, window: Window) -> _Range:
    low, high = span_of(window, grid.xyz[window.block].shape[:3])
    return _Range(block=window.block + 1, low=_index(low), high=_index(high))


def _index(values: Iterable[int]) -> _Index:
    i, j, k, *_ = (int(n) for n in values)
    return i, j, k


def _move(move: Move | None, factor: float) -> _Move | None:
    if move is None:
        return None
    i, j, k = (tuple(float(v) for v in row) for row in move.matrix)
    x, y, z = (float(v) for v in move.in_unit(factor).shift)
    return _Move(matrix=[i, j, k], shift=(x, y, z))  # type: ignore[list-item]


def _moved(move: _Move | None) -> Move | None:
    return None if move is None else Move(np.array(move.matrix), np.array(move.shift))

"""Building the grid of a model: fill, smooth, lift, interfaces and patches."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import TypeAlias

from plodek.core.arrays import Floats
from plodek.core.blocks.extrude import extruded
from plodek.core.blocks.layout import edge_of
from plodek.core.grid.fill import fill_plane
from plodek.core.grid.grid import BlockSide, Grid, PatchFaces, interfaces_of, lifted, outer_sides
from plodek.core.recipe.model import Model, Patch
from plodek.core.smooth.smooth import Smoothed, Watch, smooth

#: What an outer face of the grid came from: a plane edge, or an end (0 or 1) of a block.
Origin: TypeAlias = tuple[str, str] | tuple[str, int]


@dataclass(frozen=True)
class Built:
    """A grid, and what its smoothing runs reached."""

    grid: Grid
    runs: tuple[Smoothed, ...]


def build(model: Model, watch: Watch | None = None) -> Built:
    """Build the grid of a model; ``watch`` sees the progress of smoothing. Raises NotReady without blocks."""
    model.need_blocks()
    plane: Mapping[str, Floats] = fill_plane(model.layout, model.laid)
    runs = []
    for settings in model.smoothing:
        run = smooth(model.layout, model.laid, plane, settings, watch)
        plane = run.blocks
        runs.append(run)
    return Built(assemble(model, plane), tuple(runs))


def plane_grid(model: Model) -> Grid:
    """Fill the plane grid: no smoothing, no lift. Raises NotReady without blocks."""
    model.need_blocks()
    return assemble(replace(model, lift=None), fill_plane(model.layout, model.laid))


def assemble(model: Model, plane: Mapping[str, Floats]) -> Grid:
    """Make the grid from plane blocks (ni, nj, 1, 3): lift it where wished, put on the patches."""
    blocks = dict(plane)
    layout = model.layout
    if model.lift:
        heights = model.lift.law.nodes(model.lift.count, model.lift.depth) * model.lift.depth
        blocks = lifted(blocks, heights)
        layout = extruded(model.layout, model.lift.depth)
    sides = sides_by_origin(model)
    of_edges, of_ends = model.patch_of
    if not model.lift:
        of_ends = {}
    members: dict[str, list[BlockSide]] = {p.name: [] for p in model.patches}
    owners: dict[Origin, Patch] = dict(of_edges.items())
    owners.update(of_ends.items())
    for origin, patch in owners.items():
        members[patch.name].append(sides[origin])
    patches = tuple(
        PatchFaces(p.name, p.type, tuple(members[p.name])) for p in model.patches if members[p.name]
    )
    edges, ends = model.unnamed
    free: list[Origin] = [*edges, *(ends if model.lift else [])]
    unnamed = tuple(sides[origin] for origin in free)
    names = tuple(model.layout.filled)
    xyz = tuple(blocks[name] for name in names)
    return Grid(3 if model.lift else 2, names, xyz, interfaces_of(layout), patches, unnamed)


def sides_by_origin(model: Model) -> dict[Origin, BlockSide]:
    """Give the grid's block side of every outer plane edge and every block end."""
    index = {name: n for n, name in enumerate(model.layout.filled)}
    found: dict[Origin, BlockSide] = {
        edge_of(*side): block_side for side, block_side in outer_sides(model.layout).items()
    }
    for name, n in index.items():
        for end in (0, 1):
            found[name, end] = BlockSide(n, 2, end)
    return found

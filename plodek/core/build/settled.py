"""A smoothed grid as what later steps work on: its blocks have its shape, as those of received grids do."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

import numpy as np

from plodek.core.arrays import Floats, place
from plodek.core.blocks.layout import Corner, Layout, Name
from plodek.core.blocks.moulds.edges import edges_through
from plodek.core.blocks.moulds.mould import Mould
from plodek.core.build.build import finished
from plodek.core.grid.grid import Grid
from plodek.core.model.model import Lift, Model
from plodek.core.model.operations import Fill
from plodek.core.shape.curves.curve import Curve
from plodek.core.shape.guide import Guide
from plodek.core.shape.lattice import Lattice
from plodek.core.spacing.edge_law import EdgeLaw


def settled(model: Model, blocks: Mapping[str, Floats]) -> Model:
    """Give the model whose blocks have the shape of its grid as its runs have left it.

    ``blocks`` (ni, nj, nk, 3) are what the last run gave. Filled as it is the model gives that grid to the
    bit: where later steps change nothing nodes stay, elsewhere they go along the grid's lines. Edges go on
    following their guides, sides lie on theirs, and laws keep the sizes that were asked for at walls.
    """
    grid = finished(model, blocks)
    layout, before = _shaped(model.layout, model.guides, grid), model.spacing
    bends, nodes = edges_through(mould for name, mould in layout.moulds.items() if isinstance(name, str))
    laws = {}
    for edge, s in nodes.items():
        places, law = tuple(s.tolist()), before.laws.get(edge)
        laws[edge] = (
            EdgeLaw("kept", places=places) if law is None else law.kept(places, at_first=True, at_last=True)
        )
    counts = {edge: len(s) - 1 for edge, s in nodes.items()}
    first = model.operations[0]
    if isinstance(first, Lift):
        first = replace(first, whole=False, plane=replace(first.plane, operations=(Fill(),)))
    return replace(
        model,
        layout=replace(layout, bends={**layout.bends, **bends}),
        spacing=replace(
            before,
            counts={**before.counts, **counts},
            laws={**before.laws, **laws},
            counting=replace(before.counting, budget=None),
        ),
        operations=(first,),
        known=None,
    )


def _shaped(layout: Layout, guides: Mapping[str, Guide], grid: Grid) -> Layout:
    """Give the layout with a mould for each block and side of a grid, and its corners where nodes are."""
    moulds: dict[Name, Mould] = {}
    corners = dict(layout.corners)
    for name, nodes in zip(grid.names, grid.xyz, strict=True):
        ids, last = layout.blocks[name].corners, np.array(nodes.shape[:3]) - 1
        at = np.array([[n >> axis & 1 for axis in range(3)] for n in range(len(ids))]) * last
        mould = moulds[name] = Mould(Lattice(nodes), ids, at.astype(float))
        if layout.dim == 3:
            moulds |= {side: part for side, part in mould.sides() if side not in moulds}
        for corner, (i, j, k) in zip(ids, at, strict=True):
            corners[corner] = _moved(layout.corners[corner], guides, nodes[i, j, k])
    return replace(layout, corners=corners, moulds=moulds)


def _moved(corner: Corner, guides: Mapping[str, Guide], xyz: Floats) -> Corner:
    """Give a corner where its node is, at its fraction of the curve that it is on."""
    if place(xyz) == corner.xyz:
        return corner
    guide = guides.get(corner.guide or "")
    if corner.fraction is None or not isinstance(guide, Curve):
        return replace(corner, xyz=place(xyz))
    return replace(corner, xyz=place(xyz), fraction=float(guide.nearest(xyz[None])[0]))

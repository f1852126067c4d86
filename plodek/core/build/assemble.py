"""Making a grid of the nodes of its blocks: interfaces, patches and regions from the model."""

from __future__ import annotations

from collections.abc import Mapping

from plodek.core.arrays import Floats
from plodek.core.grid.from_layout import interfaces_of, periodic_of, poles_of, seams_of, windows_of
from plodek.core.grid.grid import Grid
from plodek.core.grid.window import PatchFaces, Window
from plodek.core.model.model import Model


def assemble(model: Model, blocks: Mapping[str, Floats]) -> Grid:
    """Make the grid of a model from the nodes (ni, nj, nk, 3) of its blocks."""
    layout = model.layout
    windows = windows_of(layout)
    members: dict[str, list[Window]] = {patch.name: [] for patch in model.patches}
    for side, patch in model.patch_of.items():
        members[patch.name] += windows[side]
    index = {name: n for n, name in enumerate(layout.filled)}
    return Grid(
        layout.dim,
        tuple(index),
        tuple(blocks[name] for name in index),
        interfaces_of(layout, [side for side in model.patch_of if side in layout.borders]),
        tuple(PatchFaces(p.name, p.type, tuple(members[p.name])) for p in model.patches if members[p.name]),
        tuple(window for side in model.unnamed for window in windows[side]),
        regions={region: tuple(index[b] for b in own) for region, own in layout.regions.items()},
        periodic=periodic_of(layout),
        poles=poles_of(layout),
        seams=seams_of(layout),
    )

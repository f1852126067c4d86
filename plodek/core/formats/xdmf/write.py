"""XDMF 3: one unstructured grid of cells and outer faces, its arrays in an HDF5 file beside it.

The public description of the model and its codes: https://www.xdmf.org, "XDMF Model and Format".
"""

from __future__ import annotations

from pathlib import Path
from xml.sax.saxutils import quoteattr

import numpy as np

from plodek.core.arrays import Ints
from plodek.core.doors.hdf5 import made
from plodek.core.formats.cargo import Cargo
from plodek.core.formats.cells import HEXA, PENTA, PYRA, QUAD, SOLIDS, TRI, Cells, Kind

#: The codes of kinds in a mixed topology.
CODES = {TRI: 4, QUAD: 5, PYRA: 7, PENTA: 8, HEXA: 9}


def write(path: Path, cargo: Cargo) -> list[Path]:
    """Write a grid of space.

    Attributes of cells tell the number of the region, from 1, of a cell, and of the patch of a face, 0
    for none; the names stand beside them.
    """
    grid = cargo.grid
    cells = Cells.of(grid)
    faces = [cells.faces(patch) for patch in grid.patches]
    kinds = [kind for kind in SOLIDS if cells.counts.get(kind)]
    solid = {kind: cells.counts[kind] for kind in kinds}
    outer = [(number, kind, found[kind]) for number, found in enumerate(faces, 1) for kind in found]
    total = sum(solid.values()) + sum(len(corners) for *_, corners in outer)
    size = sum(n * (k.corners + 1) for k, n in solid.items()) + sum(c.size + len(c) for *_, c in outer)
    arrays = path.with_suffix(".h5")
    with made(arrays) as file:
        points = file.create_dataset("points", (cells.numbering.count, 3), dtype=np.float64)
        for start, nodes in cells.points(cargo):
            points[start : start + len(nodes)] = nodes
        topology = file.create_dataset("cells", (size,), dtype=np.int64)
        start = 0
        pieces = ((kind, corners) for kind in kinds for corners in cells.solids(kind))
        for kind, corners in (*pieces, *((kind, corners) for _, kind, corners in outer)):
            coded = _coded(kind, corners)
            topology[start : start + coded.size] = coded.ravel()
            start += coded.size
        file["patch"] = np.concatenate(
            [np.zeros(grid.cells, np.int32), *(np.full(len(c), n, np.int32) for n, _, c in outer)]
        )
        file["region"] = _regions(cells, total)
    path.write_text(_described(path, cargo, cells.numbering.count, total, size), encoding="utf-8")
    return [path, arrays]


def _coded(kind: Kind, corners: Ints) -> Ints:
    """Put the code of a kind before the corners of each."""
    return np.column_stack([np.full(len(corners), CODES[kind]), corners])


def _regions(cells: Cells, total: int) -> np.ndarray[tuple[int], np.dtype[np.int32]]:
    """Give the number of the region of each cell, in their order; 0 for faces."""
    found = np.zeros(total, dtype=np.int32)
    number = {b: n for n, blocks in enumerate(cells.grid.regions.values(), 1) for b in blocks}
    start = 0
    for kind in SOLIDS:
        for block, count in cells.by_block(kind):
            found[start : start + count] = number.get(block, 0)
            start += count
    return found


def _described(path: Path, cargo: Cargo, points: int, total: int, size: int) -> str:
    grid, file = cargo.grid, path.with_suffix(".h5").name

    def item(name: str, shape: str, kind: str, precision: int) -> str:
        return (
            f'<DataItem Dimensions="{shape}" NumberType="{kind}" Precision="{precision}" Format="HDF">'
            f"{file}:/{name}</DataItem>"
        )

    names = [(name, n, 3) for n, name in enumerate(grid.regions, 1)]
    names += [(patch.name, n, 2) for n, patch in enumerate(grid.patches, 1)]
    told = "".join(f'<map key={quoteattr(name)} dim="{dim}">{n}</map>' for name, n, dim in names)
    attributes = "\n".join(
        f'   <Attribute Name="{name}" AttributeType="Scalar" Center="Cell">'
        f"{item(name, str(total), 'Int', 4)}</Attribute>"
        for name in ("patch", "region")
    )
    return f"""<?xml version="1.0" ?>
<Xdmf Version="3.0">
 <Domain>
  <Grid Name="grid" GridType="Uniform">
   <Information Name="names" Value="{cargo.unit}"><![CDATA[<main>{told}</main>]]></Information>
   <Topology TopologyType="Mixed" NumberOfElements="{total}">{item("cells", str(size), "Int", 8)}</Topology>
   <Geometry GeometryType="XYZ">{item("points", f"{points} 3", "Float", 8)}</Geometry>
{attributes}
  </Grid>
 </Domain>
</Xdmf>
"""

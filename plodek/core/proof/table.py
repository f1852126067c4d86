"""Proof of the tables of a grid's nodes and of those along its block edges."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from typing import Any

import numpy as np

from plodek.core.arrays import Floats
from plodek.core.errors import BadFile
from plodek.core.formats.cargo import Cargo
from plodek.core.proof import findings
from plodek.core.proof.cells import MOST
from plodek.core.proof.findings import Finding

#: Columns of the table of nodes: what tells them apart, and where they are.
_NODES = range(7)
#: Columns of the table of edges: the number of the node, its place, and its distance from the first.
_ALONG = range(5, 10)
#: Sums of cells along an edge are rounded by this share of it.
_ROUNDED = 1e-12


def prove_tables(nodes: Path, edges: Path, wanted: Cargo) -> Iterator[Finding]:
    """Look at tables, held against the grid that was sent. Raises BadFile for one that is none."""
    grid = wanted.grid
    if sum(xyz[..., 0].size for xyz in grid.xyz) > MOST:
        yield Finding("They can be read back", None, f"not looked at: there are more than {MOST} nodes")
        return
    rows, along = _read(nodes, _NODES), _read(edges, _ALONG)
    said = f"{len(rows)} nodes in {len(grid.xyz)} blocks; {len(along)} along their edges"
    yield Finding("They can be read back", True, said)
    sent = [
        np.column_stack([
            np.full(xyz[..., 0].size, block + 1), *(n.ravel() + 1 for n in np.indices(xyz.shape[:3])),
            wanted.factor * xyz.reshape(-1, 3),
        ])
        for block, xyz in enumerate(grid.xyz)
    ]  # fmt: skip
    every = np.concatenate(sent)
    alike = rows.shape == every.shape and np.array_equal(rows[:, :4], every[:, :4])
    off = float(np.abs(rows[:, 4:] - every[:, 4:]).max()) if alike else float("inf")
    yield findings.places(off, 1.0, len(every), single=False)
    yield _edges(rows[:, 4:], along)


def _edges(nodes: Floats, along: Floats) -> Finding:
    """Judge whether places along edges are nodes of the grid, in order, as far from the first as is told."""
    what = "Nodes along edges are those of the grid, in order"
    number, places, away = along[:, 0], along[:, 1:4], along[:, 4]
    strange = int((~np.isin(_whole(places), _whole(nodes))).sum())
    on = number[1:] != 1  # with its first node an edge begins
    wrong = int((np.diff(number)[on] != 1).sum())
    step = np.linalg.norm(np.diff(places, axis=0), axis=1)
    off = float(np.abs(np.diff(away) - step)[on].max(initial=0.0))
    said = f"{int((number == 1).sum())} edges; distances at most {off:.1e} off"
    if strange or wrong:
        said = f"{strange} are no nodes of the grid, {wrong} are out of order"
    return Finding(what, not strange and not wrong and off <= _ROUNDED * float(away.max(initial=0.0)), said)


def _whole(places: Floats) -> np.ndarray[Any, Any]:
    """Give places (n, 3) as one value each, alike where they are so to the bit."""
    return np.ascontiguousarray(places + 0.0).view([("place", "V24")])["place"].ravel()


def _read(path: Path, columns: range) -> Floats:
    try:
        return np.loadtxt(path, delimiter=",", skiprows=1, ndmin=2, usecols=columns, encoding="utf-8")
    except ValueError as error:
        raise BadFile(f"it is no table of nodes ({error})", where=path.name) from error

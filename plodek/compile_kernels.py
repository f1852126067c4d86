"""Compile all kernels once, so that the first use is not slow: a small grid through every stage."""

from __future__ import annotations

import math

import numpy as np

from plodek.core.build import build
from plodek.core.check.look.bricks import bricks_of
from plodek.core.check.look.cutter import sphere as sphere_cutter
from plodek.core.check.look.section import section
from plodek.core.check.measure import measure
from plodek.core.check.quality import histogram
from plodek.core.formats.mesh import mesh_of
from plodek.core.formats.regular import blocks_of
from plodek.core.grid.grid import Grid
from plodek.core.grid.numbering import Numbering
from plodek.core.grid.to_layout import take_up
from plodek.core.recipe import document
from plodek.core.recipe.evaluation import Evaluator
from plodek.core.recipe.files import in_memory
from plodek.core.shape.curves.arc import Arc
from plodek.core.shape.curves.nurbs import Net, Nurbs
from plodek.core.shape.surfaces.analytic import sphere
from plodek.core.shape.surfaces.patch import patch_of
from plodek.core.shape.surfaces.spanned import Lofted
from plodek.core.shape.surfaces.triangulated import Triangulated
from plodek.core.shape.surfaces.trimmed_face import TrimEdge, TrimmedFace
from plodek.core.spacing import kernels
from plodek.core.spacing.edge_law import EdgeLaw

_STEPS = [
    {"kind": "circle", "id": "c", "name": "c", "centre": [1, 1], "radius": 0.3},
    {"kind": "frame", "id": "f", "width": 2, "height": 2},
    {"kind": "cut", "id": "x", "by": "x", "at": [0.7, 1.3]},
    {"kind": "cut", "id": "y", "by": "y", "at": [0.7, 1.3]},
    {"kind": "hollow", "id": "h", "blocks": {"at": [1, 1]}},
    {"kind": "ring", "id": "r", "blocks": {"at": [1, 1]}, "thickness": 0.2},
    {"kind": "follow", "id": "w", "guide": "c", "edges": {"around": {"at": [1, 1]}}},
    {"kind": "smooth", "id": "s", "sweeps": 10, "control": "wall control"},
    {"kind": "untangle", "id": "u", "sweeps": 1},
    {"kind": "polish", "id": "o", "below": 1, "sweeps": 1},
    {"kind": "extrude", "id": "e", "depth": 1, "cells": 2},
    {"kind": "untangle", "id": "v", "sweeps": 1},
]


def main() -> None:
    """Build and measure the small grid, plane and in space; numba keeps what it compiled."""
    found = Evaluator().evaluate(document.of({"steps": _STEPS}), in_memory({}))
    if found.error is not None:
        raise found.error
    _spacing()
    grid = build.build(found.model).grid
    for one in (build.filled_grid(found.model), grid):
        cells = measure(one)
        assert cells.summary
        assert histogram(cells, "skewness")
    section(grid, bricks_of(grid), sphere_cutter([1, 1, 0.5], 0.4))
    filled = build.filled_grid(found.model)
    Numbering.of(filled)
    _received(filled)
    _shape()


def _received(grid: Grid) -> None:
    """Find the blocks of cells again, take them up and fill between their nodes."""
    taken = take_up("t", blocks_of(mesh_of(grid), ""), "m")
    mould = next(iter(taken.layout.moulds.values()))
    mould.lattice.at(0.5 * mould.index)


def _spacing() -> None:
    """Lay one edge by itself, and several at once."""
    law = EdgeLaw("wall layers", first=0.01, ratio=1.2, layers=4)
    law.nodes(20, 1.0)
    number, sizes, layers = law.packed(20, 1.0)
    kernels.lay_all(
        np.array([number]), np.array([sizes]), np.array([layers]), np.array([0, 21]), np.empty(21)
    )


def _shape() -> None:
    """Find closest places on a trimmed face, a lofted surface and triangles."""
    tree = {
        "type": "nurbs", "degrees": [1, 1], "u_knots": np.array([0.0, 0, 1, 1]),
        "v_knots": np.array([0.0, 0, 1, 1]), "weights": np.ones((2, 2)),
        "poles": np.array([[[0.0, 0, 0], [0, 1, 0]], [[1, 0, 0], [1, 1, 0]]]),
    }  # fmt: skip
    ends = np.array([[0.0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0], [0, 0, 0]])
    net = Net(1, np.array([0.0, 0, 1, 1]))
    traces = [Nurbs(net, ends[n : n + 2], np.ones(2)) for n in range(4)]
    face = TrimmedFace(patch_of(tree, 1.0), [[TrimEdge(str(n), t, True, None) for n, t in enumerate(traces)]])
    ball = sphere(np.zeros(3), np.eye(3), 1.0, (-1.0, 1.0), math.tau)
    triangles = Triangulated(ball.facets.xyz, ball.facets.triangles)
    places = np.array([[0.3, 0.2, 0.5], [2.0, 2.0, 0.5]])
    for surface in (face, triangles, Lofted([Arc((0, 0, 0), 1.0), Arc((0, 0, 1), 1.0)])):
        surface.onto(places)
    triangles.feature_lines(30.0)


if __name__ == "__main__":
    main()

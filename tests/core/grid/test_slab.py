"""A grid of the plane one cell deep: what the extrusion of its layout gives."""

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from plodek.core.formats.received import from_nodes
from plodek.core.grid.grid import Grid
from plodek.core.grid.numbering import Numbering
from plodek.core.grid.slab import slab
from plodek.core.grid.window import PatchFaces, Window
from plodek.core.shape.move import turned
from tests.core.grid.test_formats import EXTRUDE, O_RING, STEPS, TWINS, grid_of

INFLOW = STEPS[-1]
WEDGE = [
    {"kind": "block", "id": "b", "corners": [[0, 0], [2, 0], [0, 0], [2, 1]]},
    {"kind": "count", "id": "n", "tier": {"all": True}, "cells": 3},
]


def flat(steps):
    return [step for step in steps if step["kind"] != "extrude"]


PLANES = {"regions": flat(STEPS), "ring": flat(O_RING), "twins": flat(TWINS), "wedge": WEDGE}


@pytest.fixture(scope="module")
def planes():
    return {name: grid_of(*steps) for name, steps in PLANES.items()}


@pytest.mark.parametrize("name", PLANES)
def test_it_is_the_grid_that_an_extrusion_gives(name, planes):
    plane = planes[name]
    assert plane.dim == 2
    found, deep = slab(plane)
    assert (plane.cells * deep**2) == pytest.approx({"ring": 8.0, "wedge": 1.0}.get(name, 6.0))
    lift = {**EXTRUDE, "depth": deep, "cells": 1}
    at = next((n for n, s in enumerate(PLANES[name]) if s["kind"] == "patch"), len(PLANES[name]))
    wanted = grid_of(*PLANES[name][:at], lift, *PLANES[name][at:])
    assert found.cells == plane.cells == wanted.cells
    assert all(np.allclose(a, b, atol=1e-12) for a, b in zip(found.xyz, wanted.xyz, strict=True))
    assert set(found.interfaces) == set(wanted.interfaces)
    assert {replace(p, move=None) for p in found.periodic} == {replace(p, move=None) for p in wanted.periodic}
    assert len(found.periodic) == (2 if name == "twins" else 0)
    assert set(found.poles) == set(wanted.poles)
    assert found.regions == wanted.regions
    assert Numbering.of(found).count == 2 * Numbering.of(plane).count
    windows = {p.name: set(p.windows) for p in wanted.patches}
    ends = {Window(b, 2, end) for b in range(len(plane.xyz)) for end in (0, 1)}
    told = {p.name: set(p.windows) for p in found.patches}
    assert told.pop("front") | told.pop("back") == ends
    assert told == {n: of - ends for n, of in windows.items()}


def test_parts_of_sides_stay_parts():
    """A short block on the second half of a long one, as nodes alone tell it."""
    long = np.stack(np.meshgrid(np.arange(5.0), np.arange(3.0), [0.0], indexing="ij"), axis=-1)
    short = np.stack(np.meshgrid(np.arange(2.0, 5.0), np.arange(2.0, 4.0), [0.0], indexing="ij"), axis=-1)
    plane, _ = from_nodes(Path("nodes.xyz"), [long, short])
    found, _ = slab(plane)
    (joint,) = found.interfaces
    assert found.nodes(joint.first).shape == (3, 1, 2, 3)
    assert np.array_equal(found.nodes(joint.first), joint.orientation.apply(found.nodes(joint.second)))
    assert sum(found.faces(window) for window in found.unnamed) == 4 + 2 + 2 + 2 + 2 + 1 + 1


def test_any_plane_is_gone_out_of_to_its_right_handed_side_and_names_that_are_taken_stay():
    nodes = np.stack(np.meshgrid(np.arange(3.0), np.arange(3.0), [0.0], indexing="ij"), axis=-1)
    mirrored = nodes[::-1]
    move = turned(np.zeros(3), np.array([1.0, 2.0, 0.5]), 1.1)
    for one, sense in ((nodes, 1), (mirrored, -1)):
        tilted = move.places(one.reshape(-1, 3)).reshape(one.shape)
        grid = Grid(2, ("a",), (tilted,), patches=(PatchFaces("front", "inlet", (Window(0, 0, 0),)),))
        found, deep = slab(grid)
        step = found.xyz[0][:, :, 1] - found.xyz[0][:, :, 0]
        assert np.allclose(step, move.vectors(np.array([[0.0, 0.0, sense]]))[0], atol=1e-12)
        assert deep == pytest.approx(1)
        assert [patch.name for patch in found.patches] == ["front", "front_", "back"]
    both = Grid(2, ("a", "b", "c"), (nodes, nodes + np.array([2.0, 0, 0]), mirrored + np.array([4.0, 0, 0])))
    found, _ = slab(both)
    ways = [
        np.linalg.det([b[1, 0, 0] - b[0, 0, 0], b[0, 1, 0] - b[0, 0, 0], b[0, 0, 1] - b[0, 0, 0]])
        for b in found.xyz
    ]
    assert np.sign(ways).tolist() == [1, 1, -1]

"""First heights measured from the handed-off file by this test alone: h5py, and the distance from the body."""

import h5py
import numpy as np
import pytest

from plodek.core.build import build
from plodek.core.build.walls import walls_of
from plodek.core.formats.handoff import hand_off
from tests.conftest import model_of

WALL = {"kind": "patch", "name": "wall", "type": "wall"}
REST = {"kind": "patch", "name": "rest", "type": "far field", "faces": {"rest": True}}
CORE = {"kind": "butterfly", "blocks": {"all": True}}
HALF = 0.5**0.5
JOBS = {
    "tube": (
        [
            {"kind": "cylinder", "name": "t", "base": [0, 0, 0], "along": [1, 0, 0], "radius": 1, "height": 2},
            {"kind": "frame", "shape": "box", "corner": [0, -0.6, -0.6], "width": 2, "height": 1.2, "depth": 1.2},
            {"kind": "follow", "guide": "t", "edges": {"any": [{"side": s} for s in ("y-", "y+", "z-", "z+")]}},
            CORE,
            WALL | {"faces": {"on": "t"}},
        ],
        lambda xyz: 1 - np.hypot(xyz[:, 1], xyz[:, 2]),
    ),
    "ball": (
        [
            {"kind": "sphere", "name": "s", "centre": [0, 0, 0], "radius": 1},
            {"kind": "frame", "shape": "box", "corner": [-0.5] * 3, "width": 1, "height": 1, "depth": 1},
            {"kind": "follow", "guide": "s", "edges": {"around": {"all": True}}},
            CORE,
            WALL | {"faces": {"on": "s"}},
        ],
        lambda xyz: 1 - np.linalg.norm(xyz, axis=1),
    ),
    "box in a ring": (
        [
            {"kind": "frame", "shape": "box", "corner": [-3] * 3, "width": 6, "height": 6, "depth": 6},
            *({"kind": "cut", "by": axis, "at": [-1, 1]} for axis in "xyz"),
            {"kind": "hollow", "blocks": {"at": [0, 0, 0]}},
            {"kind": "ring", "blocks": {"at": [0, 0, 0]}, "where": "around", "thickness": 0.4},
            WALL | {"faces": {"around": {"at": [0, 0, 0]}}},
        ],
        lambda xyz: np.max(np.abs(xyz), axis=1) - 1,
    ),
    "plane ring, turned": (
        [
            {"kind": "circle", "name": "c", "centre": [0, 0], "radius": 1},
            {"kind": "frame", "corner": [-HALF] * 2, "width": 2 * HALF, "height": 2 * HALF},
            {"kind": "follow", "guide": "c", "edges": {"around": {"all": True}}},
            CORE,
            {"kind": "extrude", "depth": 1, "cells": 4},
            WALL | {"faces": {"on": "c"}},
        ],
        lambda xyz: 1 - np.hypot(xyz[:, 0], xyz[:, 1]),
    ),
}  # fmt: skip


def built(name, first):
    steps, _ = JOBS[name]
    layer = {"kind": "wall-layer", "walls": {"patch": "wall"}, "first": first, "layers": 8, "growth": 1.2}
    counts = {"kind": "count", "tier": {"all": True}, "cells": 10}
    rest = [] if name == "ball" else [REST]
    whole = [{"id": f"s{n}", **step} for n, step in enumerate([*steps, *rest, counts, layer])]
    model = model_of(whole)
    return model, build.build(model).grid


def first_nodes(path):
    """The nodes next to the family “wall”, zone by zone, from the file alone."""
    found = []
    with h5py.File(path) as file:
        for zone in (part for name, part in file["Base"].items() if name.startswith("Block")):
            places = zone["GridCoordinates"]
            xyz = np.stack([places[f"Coordinate{a}"][" data"][()].T for a in "XYZ"], -1)
            for condition in zone["ZoneBC"].values() if "ZoneBC" in zone else ():
                if not isinstance(condition, h5py.Group):
                    continue
                if condition["FamilyName"][" data"][()].tobytes() != b"wall":
                    continue
                low, high = (v - 1 for v in condition["PointRange"][" data"][()])
                (axis,) = np.flatnonzero(low == high)
                one_in = [slice(a, b + 1) for a, b in zip(low, high, strict=True)]
                at = 1 if low[axis] == 0 else xyz.shape[axis] - 2
                one_in[axis] = slice(at, at + 1)
                found.append(xyz[tuple(one_in)].reshape(-1, 3))
    return np.concatenate(found)


@pytest.mark.parametrize("name", JOBS)
def test_the_first_height_is_the_distance_from_the_wall(name, tmp_path):
    """What is wanted of wall layers is common practice: the height normal to the wall, everywhere on it."""
    model, grid = built(name, 0.004)
    hand_off(grid, tmp_path, name="g", unit="m", limits={}, formats=["cgns"])
    heights = JOBS[name][1](first_nodes(tmp_path / "g.cgns"))
    assert np.mean(np.abs(heights / 0.004 - 1) < 0.01) == 1
    (told,) = walls_of(model, grid).heights
    assert told.wall == "wall"
    assert told.wanted == pytest.approx(0.004, rel=1e-3)
    assert [told.smallest, told.median, told.largest] == pytest.approx([heights.min(), np.median(heights), heights.max()], rel=1e-3)  # fmt: skip
    assert told.held == 1

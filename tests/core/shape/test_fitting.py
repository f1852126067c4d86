"""Fitting blocks to guides in space: pins, follows, sides on surfaces, bends, alignment."""

from __future__ import annotations

import math
from itertools import pairwise

import numpy as np
import pytest

from plodek.core.blocks.reports import Proposal
from plodek.core.build import build
from plodek.core.build.walls import walls_of
from plodek.core.check.measure import measure
from plodek.core.check.quality import gate
from tests.conftest import evaluated, model_of, numbered
from tests.core.blocks.test_operations import ALL, BOX, FRAME


def test_fitting_in_space():
    sphere = {"kind": "sphere", "id": "s", "name": "s", "centre": [0, 0, 0], "radius": 1}
    box = BOX | {"corner": [-0.6, -0.6, -0.6], "width": 1.2, "height": 1.2, "depth": 1.2}
    lie = {"kind": "follow", "id": "w", "guide": "s", "edges": {"around": ALL}}
    core = {"kind": "butterfly", "id": "b", "blocks": ALL}
    model = model_of([sphere, box, lie, core])
    grid = build.filled_grid(model)
    outer = np.concatenate([grid.nodes(side).squeeze(side.axis).reshape(-1, 3) for side in grid.unnamed])
    assert np.abs(np.linalg.norm(outer, axis=1) - 1).max() < 1e-9
    errors = []
    for cells in (4, 8, 16):
        fine = build.coarse(model, cells)
        errors.append(4 / 3 * math.pi - measure(build.filled_grid(fine)).volume.sum())
    assert all(3.3 < a / b < 4.7 for a, b in pairwise(errors))  # second order
    near = {"kind": "fit-near", "id": "n", "within": 0.5}
    fitted = model_of([sphere, box, near])
    assert len(fitted.layout.lies) == 6
    proposed = [one for one in fitted.reports["n"] if isinstance(one, Proposal)]
    assert fitted.said("n") == [f"{len(proposed)} fitted", *(one.text for one in proposed)]
    left = [one.key for one in proposed if one.key.startswith("lie")][:2]
    fewer = model_of([sphere, box, near | {"leave": left}])
    assert len(fewer.layout.lies) == 4
    assert fewer.said("n")[0] == f"{len(proposed) - 2} fitted, 2 not"
    assert len(fewer.said("n")[-1].removeprefix("without a match: ").split(", ")) == 2
    assert [one.key for one in fewer.reports["n"] if isinstance(one, Proposal) and one.why] == left


def test_bends_alignment_and_joined_guides():
    bent = model_of(
        [
            FRAME,
            {
                "kind": "bend",
                "id": "b",
                "edges": {"at": [1, 0]},
                "how": "through points",
                "points": [[1, -0.3]],
            },
        ]
    )
    path = bent.laid.paths[next(iter(bent.layout.bends))]
    assert path.at(np.array([0.5]))[0][:2] == pytest.approx([1, -0.3], abs=1e-6)
    base = [
        FRAME,
        {"kind": "cut", "id": "c", "at": [1]},
        {"kind": "pin", "id": "p", "corner": {"at": [1, 0]}, "to": [1, 0.3]},
    ]
    free = model_of(base[:2]).layout
    middle = [c for c, corner in free.corners.items() if corner.sign == "free"]
    aligned = model_of(
        [*base[:2], {"kind": "align", "id": "a", "corners": {"ids": middle}, "to": "x", "value": 1.25}]
    )
    assert {round(aligned.layout.corners[c].xyz[0], 12) for c in middle} == {1.25}
    assert "is pinned" in str(
        evaluated([*base, {"kind": "align", "id": "a", "corners": {"ids": middle}, "to": "x"}]).error
    )
    lines = [
        {"kind": "line", "id": "l1", "name": "l1", "start": [0, 0], "end": [1, -0.4]},
        {"kind": "line", "id": "l2", "name": "l2", "start": [1, -0.4], "end": [2, 0]},
    ]
    both = model_of(
        [*lines, FRAME, {"kind": "follow", "id": "w", "guide": "l1", "also": ["l2"], "edges": {"side": "y-"}}]
    )
    (edge,) = both.layout.follows
    assert both.laid.paths[edge].length == pytest.approx(2 * math.hypot(1, 0.4))
    smooth = model_of([FRAME, {"kind": "cut", "id": "c", "at": [1]}, {"kind": "bend", "id": "d", "edges": {"at": [1, 0.5]}, "how": "through points", "points": [[1.2, 0.5]]}, {"kind": "cut", "id": "e", "by": "y", "at": [0.5]}, {"kind": "bend", "id": "g", "edges": {"at": [0.5, 0.5]}}])  # fmt: skip
    assert len(smooth.layout.bends) >= 3


@pytest.mark.parametrize(("width", "told"), [(1.2, True), (6.0, False)])
def test_a_surface_that_ends_within_a_side_is_told(width, told):
    """The corners come to its corner points, 0.4 along, 0.2 across and 0.1 up: √0.21 away."""
    steps = [
        {"kind": "plane", "id": "p", "name": "p", "centre": [1, 1.1, 0.5], "width": width, "height": width / 2, "normal": [0, 1, 0]},
        {"kind": "frame", "id": "f", "shape": "box", "width": 2, "height": 1, "depth": 1},
        {"kind": "follow", "id": "w", "guide": "p", "edges": {"side": "y+"}},
    ]  # fmt: skip
    said = model_of(steps).said("w")
    assert [line.split(":")[0] for line in said] == (
        ["the surface ends before c3, c4, c7, c8"] if told else []
    )
    if told:
        assert "up to 0.458 m away" in said[0]


def loose(name, centre, size, normal, along=(1, 0, 0)):
    """A plane of a box 400 × 180 × 100 mm whose sides do not quite meet."""
    width, height = size
    return {"kind": "plane", "name": name, "centre": centre, "width": width, "height": height, "normal": normal, "along": list(along)}  # fmt: skip


def test_edges_that_sewn_surfaces_have_in_common_are_followed_by_blocks_on_both():
    """Common edges of a box of loose sides with a rib: each runs along one, within the tolerance of the other."""
    steps = [
        {"kind": "unit", "unit": "mm"},
        loose("front", [0, 0, 50], (400, 100), [0, 1, 0]),
        loose("back", [0, 180.4, 50], (400, 100), [0, 1, 0]),
        loose("upper", [0, 90, 100.3], (400, 180), [0, 0, 1]),
        loose("lower", [0, 90, -0.2], (400, 180), [0, 0, 1]),
        loose("rib", [0, 90, 50], (180, 100), [1, 0, 0], (0, 1, 0)),
        {"kind": "sew", "tolerance": "1 mm", "rims": "rim"},
        {"kind": "frame", "shape": "around guides", "guides": ["front", "back", "upper", "lower"]},
        {"kind": "cut", "by": "x", "at": [0]},
        {"kind": "fit-near", "within": "1 mm"},
    ]
    model = model_of(numbered(steps))
    assert model.groups["rim"].members == tuple(f"rim.{n}" for n in range(1, 9))
    assert [p.why for p in model.reports["s9"] if isinstance(p, Proposal)] == [""] * (12 + 8 + 8)
    edges = {edge: follow.guide for edge, follow in model.layout.follows.items() if "rim" in follow.guide}
    assert sorted(edges.values()) == list(model.groups["rim"].members)
    grid = build.filled_grid(model)
    fits = walls_of(model, grid).fits
    assert {fit.guide for fit in fits if fit.misfit > 1e-9} == {"upper", "lower"}
    assert max(fit.misfit for fit in fits) == pytest.approx(
        0.5
    )  # 0.3 up and 0.4 across, from one to the other
    assert gate(measure(grid), model.limits, walls_of(model, grid)).passed
    apart = numbered([*steps[:6], {"kind": "sew", "tolerance": "0.1 mm", "rims": "rim"}])
    assert "edge in common" in str(evaluated(apart).error)

"""What made cells as they are: the part of the layout they stand at, told with what helps."""

import numpy as np
import pytest

from plodek.core.blocks.layout import edge_of
from plodek.core.build.build import filled_grid
from plodek.core.build.causes import causes, guide_windows
from plodek.core.check.look.choice import Range, choose, nearest
from plodek.core.check.measure import measure
from tests.conftest import model_of, numbered

BENT = [
    {"kind": "block", "corners": [[0, 0], [2, 0], [0, 2], [2, 2]]},
    {"kind": "block", "corners": [[2, 0], [4, 0], [2, 2], [9, 2]]},
    {"kind": "count", "tier": {"all": True}, "cells": 12},
]
STEPPED = [
    {"kind": "frame", "width": 4, "height": 1},
    {"kind": "cut", "at": [1]},
    {"kind": "count", "tier": {"at": [0.5, 0]}, "cells": 40},
    {"kind": "count", "tier": {"at": [2, 0]}, "cells": 20},
    {"kind": "count", "tier": {"at": [0, 0.5]}, "cells": 20},
]


def made(steps, *ranges):
    model = model_of(numbered(steps))
    grid = filled_grid(model)
    cells = measure(grid)
    chosen = choose(grid, cells, [Range(*one) for one in ranges])
    assert len(chosen)
    return model, cells, chosen, causes(model, grid, chosen, [one[0] for one in ranges])


def at(model, *place):
    """The corner at a place."""
    return next(
        c for c, corner in model.layout.corners.items() if np.allclose(corner.xyz[: len(place)], place)
    )


def test_a_wide_corner_is_told_with_its_angles_and_what_helps():
    model = model_of(numbered(BENT))
    grid = filled_grid(model)
    here = at(model, 4, 0)
    block = next(b for b, name in enumerate(grid.names) if here in model.layout.blocks[name].corners)
    nodes = grid.xyz[block][..., 0, :2]
    i, j = np.unravel_index(np.linalg.norm(nodes - (4, 0), axis=-1).argmin(), nodes.shape[:2])
    cell = grid.starts[block] + min(i, 11) * 12 + min(j, 11)
    (one,) = causes(model, grid, np.array([cell]), ["largest_angle"])
    assert (one.kind, one.corners, one.cells) == ("corner", (here,), 1)
    assert one.text == f"1 cell at corner {model.layout.labels[here]}, of one block, with 158°"
    assert one.cure.startswith("move the corner")


def test_a_jump_of_sizes_is_told_at_the_edge_between_blocks_with_its_tier():
    model, _, chosen, found = made(STEPPED, ("volume_ratio", 4, 100))
    between = edge_of(at(model, 1, 0), at(model, 1, 1))
    assert found[0].kind == "edge"
    assert found[0].edges == (between,)
    assert "round which 2 blocks meet; cells jump there by 6" in found[0].text
    assert found[0].cure.startswith("match tier")
    assert {one.kind for one in found[1:]} == {"corner"}
    assert sum(one.cells for one in found) == len(chosen)


@pytest.mark.parametrize(
    ("law", "metric", "word"),
    [
        ({"law": "geometric", "first": 0.01}, "edge_growth", "cells grow by up to"),
        ({}, "skewness", "smoothing"),
    ],
)
def test_cells_amid_a_block_are_told_by_its_spacing_or_its_fill(law, metric, word):
    steps = [STEPPED[0], STEPPED[4]]
    tier = {"at": [2, 0]}
    steps += [
        {"kind": "space", "tier": tier, "cells": 20, **law}
        if law
        else {"kind": "count", "tier": tier, "cells": 20}
    ]
    model = model_of(numbered(steps))
    grid = filled_grid(model)
    middle = np.arange(grid.cells).reshape(grid.shape_of(0))[8:12, 8:12].ravel()
    (one,) = causes(model, grid, middle, [metric])
    assert (one.kind, one.blocks, one.cells) == ("block", tuple(model.layout.filled), 16)
    assert word in one.text + one.cure


def test_in_space_sides_edges_and_corners_are_told_apart():
    steps = [
        {"kind": "frame", "shape": "box", "width": 2, "height": 1, "depth": 1},
        {"kind": "cut", "at": [1]},
        {"kind": "count", "tier": {"all": True}, "cells": 10},
    ]
    model = model_of(numbered(steps))
    grid = filled_grid(model)
    number = np.arange(1000).reshape(10, 10, 10)
    kinds = {
        "corner": number[9, 0, 0], "edge": number[9, 0, 5], "side": number[9, 5, 5], "block": number[5, 5, 5]
    }  # fmt: skip
    for kind, cell in kinds.items():
        (one,) = causes(model, grid, np.array([cell]), ["volume_ratio"])
        assert one.kind == kind
        assert one.text.startswith("1 cell ")
    (side,) = causes(model, grid, np.array([number[9, 5, 5]]), ["skewness"])
    assert "between B1 and B2" in side.text
    assert set(side.blocks) == set(model.layout.filled)
    (outer,) = causes(model, grid, np.array([number[0, 5, 5]]), ["skewness"])
    assert "at an outer side of B1" in outer.text


def test_a_grid_of_other_blocks_says_nothing_of_the_layout():
    model = model_of(numbered(STEPPED))
    other = filled_grid(model_of(numbered(STEPPED[:1])))
    assert causes(model, other, np.array([0]), ["skewness"]) == []


def test_the_nearest_guide_is_that_of_the_nearest_side_that_lies_on_one():
    steps = [
        {"kind": "circle", "name": "c", "centre": [0, 0], "radius": 1},
        {"kind": "frame", "corner": [-(0.5**0.5)] * 2, "width": 2**0.5, "height": 2**0.5},
        {"kind": "line", "name": "far", "start": [9, 0], "end": [9, 1]},
        {"kind": "follow", "guide": "c", "edges": {"side": "x+"}},
        {"kind": "count", "tier": {"all": True}, "cells": 6},
    ]
    model = model_of(numbered(steps))
    cells = measure(filled_grid(model))
    windows = guide_windows(model, cells.grid)
    assert set(windows) == {"c"}
    every = np.arange(cells.grid.cells)
    assert nearest(cells, every, windows) == {"c": 36}
    assert nearest(cells, every[:0], windows) == {}
    assert nearest(cells, every, {}) == {}

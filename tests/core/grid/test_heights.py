"""First heights held between the edges of a wall, and what is left as it is where that would fold cells."""

import numpy as np
import pytest

from plodek.core.build import build
from plodek.core.build.walls import walls_of
from plodek.core.check.measure import measure
from tests.conftest import model_of


def pinched(dip, first):
    """A channel of height 1 that is `dip` high in its middle, five coarse cells across."""
    steps = [
        {"kind": "polyline", "name": "lid", "points": [[0, 1], [1, dip], [2, 1]]},
        {"kind": "frame", "corner": [0, 0], "width": 2, "height": 1},
        {"kind": "follow", "guide": "lid", "edges": {"at": [1, 1]}},
        {"kind": "patch", "name": "bed", "type": "wall", "faces": {"side": "y-"}},
        {"kind": "patch", "name": "rest", "type": "far field", "faces": {"rest": True}},
        {"kind": "count", "tier": {"at": [1, 0]}, "cells": 20},
        {"kind": "wall-layer", "walls": {"patch": "bed"}, "first": first, "layers": 3, "growth": 1.2, "far": "smooth", "cells": 5},
    ]  # fmt: skip
    model = model_of([{"id": f"s{n}", **step} for n, step in enumerate(steps)])
    return model, build.build(model).grid


@pytest.mark.parametrize(
    ("dip", "first", "least"),
    [(0.9, 0.15, 0.15), (0.5, 0.15, 0.15), (0.5, 0.02, 0.02), (0.3, 0.15, 0.1), (0.2, 0.15, 0.06), (0.1, 0.15, 0.03)],
)  # fmt: skip
def test_heights_are_held_as_far_as_cells_keep_their_order(dip, first, least):
    model, grid = pinched(dip, first)
    assert not np.any(measure(grid).folded)
    (told,) = walls_of(model, grid).heights
    assert told.wanted == pytest.approx(first)
    assert told.largest <= first * (1 + 1e-9)
    if least == first:
        assert told.smallest == pytest.approx(first)
        assert told.held == 1
    else:  # nearer to what was asked than the fifth of the height that even filling leaves, and told
        assert least <= told.smallest < 0.95 * first
        assert told.held < 1


@pytest.mark.parametrize("dip", [0.5, 0.25, 0.12])
def test_every_cell_of_a_line_keeps_a_fifth_of_its_length(dip):
    nodes = pinched(dip, 0.15)[1].xyz[0][:, :, 0, 1]
    held = np.abs(np.diff(nodes[10]))
    even = dip * np.abs(np.diff(nodes[0]))  # the line amid the pinch, before its height is held
    assert np.all(held >= 0.2 * even * (1 - 1e-9))

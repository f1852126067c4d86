"""Wedges in space: divided into three all along their length, at any axis, patches and surfaces kept."""

import numpy as np
import pytest

from plodek.core.build import build
from plodek.core.build.walls import walls_of
from plodek.core.check.measure import measure
from plodek.core.errors import BadValue
from tests.conftest import evaluated, model_of

BOX = {"kind": "frame", "shape": "box", "corner": [0, 0, 0], "width": 2, "height": 1, "depth": 3}
SIZE = np.array([2.0, 1.0, 3.0])


def numbered(steps):
    return [{"id": f"s{n}", **step} for n, step in enumerate(steps)]


def wedge(pinched, length, *more):
    """The box with its edges along one axis shrunk at the high end of the second; the third is its length."""
    out = 3 - pinched - length
    places = []
    for end in (0.0, 1.0):
        at = np.zeros(3)
        at[pinched], at[out], at[length] = 0.5, 1.0, end
        places.append((at * SIZE).tolist())
    middle = (0.45 * SIZE).tolist()
    return numbered(
        [BOX, {"kind": "pinch", "edges": {"each": places}}, *more, {"kind": "three", "block": {"at": middle}}]
    )


@pytest.mark.parametrize(("pinched", "length"), [(0, 1), (0, 2), (1, 0), (1, 2), (2, 0), (2, 1)])
def test_a_wedge_becomes_three_blocks_of_the_same_volume(pinched, length):
    cap = {"kind": "patch", "name": "cap", "faces": {"side": "xyz"[length] + "-"}}
    model = model_of(wedge(pinched, length, cap))
    assert len(model.layout.filled) == 3
    assert all(len(set(block.corners)) == 8 for block in model.layout.blocks.values())
    assert model.facts.findings == []
    cells = measure(build.build(model).grid)
    assert not cells.folded.any()
    assert cells.poles.sum() == 0
    assert cells.volume.sum() == pytest.approx(3.0)
    # The patch has the ends of all three, and the middle is where the medians meet.
    assert sum(patch.name == "cap" for patch in model.patch_of.values()) == 3
    middles = [c for c, at in model.layout.at_corner.items() if len(at) == 3]
    assert len(middles) == 2
    share = model.layout.places(middles) / SIZE
    assert {round(float(v), 9) for v in share[:, pinched]} == {0.5}
    assert {round(float(v), 9) for v in share[:, 3 - pinched - length]} == {round(1 / 3, 9)}


@pytest.mark.parametrize(("pinched", "length"), [(0, 1), (0, 2), (1, 0), (1, 2), (2, 0), (2, 1)])
def test_pinched_nodes_are_one_node_to_the_bit(pinched, length):
    (nodes,) = build.build(model_of(wedge(pinched, length)[:2])).grid.xyz
    out = 3 - pinched - length
    sides = [np.take(nodes, at, axis=out) for at in (0, -1)]
    widths = [np.abs(np.diff(side, axis=pinched - (pinched > out))).max() for side in sides]
    assert min(widths) == 0.0
    assert max(widths) > 0.0


def test_a_cap_stays_on_its_surface():
    ball = {"kind": "sphere", "id": "ball", "name": "ball", "centre": [1, 0.5, 1], "radius": 4}
    on = {"kind": "follow", "guide": "ball", "edges": {"side": "z+"}}
    model = model_of([ball, *wedge(1, 2, on)])
    (fit,) = walls_of(model, build.build(model).grid).fits
    assert fit.sides == 3
    assert fit.misfit < 1e-12


def test_a_block_that_is_no_wedge_is_refused():
    error = evaluated(numbered([BOX, {"kind": "three", "block": {"at": [1, 0.5, 1]}}])).error
    assert isinstance(error, BadValue)
    assert "not three-sided" in str(error)

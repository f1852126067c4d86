"""One number for each node: found again from the places of nodes, on every layout there is an example for."""

import numpy as np
import pytest
from scipy.spatial import cKDTree

from plodek.core.blocks.orientation import Orientation
from plodek.core.build import build
from plodek.core.errors import PlodekError
from plodek.core.grid.numbering import Numbering
from plodek.core.recipe import document
from plodek.core.recipe.evaluation import Evaluator
from tests.conftest import DEMO_FILES, demo_file
from tests.core.examples import EXAMPLES, FILES, steps_of


def check(grid):
    numbering = Numbering.of(grid)
    xyz = numbering.gathered(grid.xyz)
    for own, again in zip(grid.xyz, numbering.scattered(xyz), strict=True):
        assert np.array_equal(own, again)  # nodes with one number are one place, to the bit
    size = np.linalg.norm(np.ptp(xyz, axis=0))
    apart = cKDTree(xyz).query_pairs(1e-9 * size)
    return numbering, apart


@pytest.mark.parametrize("kind", EXAMPLES)
def test_nodes_have_one_number_exactly_where_they_are_one_place(kind):
    model = Evaluator().evaluate(document.of({"steps": steps_of(kind)}), FILES).model
    if not model.layout.filled:
        return
    try:
        grid = build.filled_grid(model)
    except PlodekError:
        pytest.skip("its spacing cannot be laid")
    _, apart = check(grid)
    assert not apart


@pytest.mark.slow
@pytest.mark.parametrize("name", ["dosing-venturi", "siphon", "gate-chamber", "draft-cone"])
def test_the_demos_are_numbered_through(name):
    model = Evaluator().evaluate(document.read(demo_file(f"{name}.json")), DEMO_FILES).model
    numbering, apart = check(build.filled_grid(model))
    assert not apart
    assert {int(n) for ids in numbering.ids for n in (ids.min(), ids.max())} <= set(range(numbering.count))
    assert max(int(ids.max()) for ids in numbering.ids) == numbering.count - 1


def test_twins_count_once_where_they_are_asked_to():
    steps = [{"id": "f", "kind": "frame", "width": 3, "height": 2}, *steps_of("twin")[1:]]
    model = Evaluator().evaluate(document.of({"steps": steps}), FILES).model
    grid = build.filled_grid(model)
    plain, wrapped = Numbering.of(grid), Numbering.of(grid, twins=True)
    assert plain.count - wrapped.count == grid.xyz[0].shape[0]


def test_blocks_that_share_an_edge_or_corner_only_share_its_nodes():
    cuts = [{"kind": "cut", "id": a, "by": a, "at": [1]} for a in "xyz"]
    frame = {"kind": "frame", "id": "f", "shape": "box", "width": 2, "height": 2, "depth": 2}
    hollow = {"kind": "hollow", "id": "h", "blocks": {"each": [
        [1.5, 0.5, 0.5], [0.5, 1.5, 0.5], [0.5, 0.5, 1.5], [1.5, 1.5, 0.5], [1.5, 0.5, 1.5], [0.5, 1.5, 1.5]]}}  # fmt: skip
    for left_out in ([], [[1.5, 1.5, 0.5]]):
        steps = [frame, *cuts, hollow]
        if left_out:
            steps[-1] = hollow | {
                "blocks": {"each": [p for p in hollow["blocks"]["each"] if p not in left_out]}
            }
        model = Evaluator().evaluate(document.of({"steps": steps}), FILES).model
        numbering, apart = check(build.filled_grid(model))
        assert not apart
        nodes = sum(ids.size for ids in numbering.ids)
        assert numbering.count < nodes


@pytest.mark.parametrize("dim", [2, 3])
def test_orientations_form_a_group(dim):
    """Every turn and flip of a block, applied to arrays and to corners: inverse, product, and what they carry."""
    every = Orientation.every(dim)
    assert len(set(every)) == {2: 8, 3: 48}[dim]
    array = np.arange(2 * 3 * 4 if dim == 3 else 2 * 3).reshape((2, 3, 4)[:dim])
    corners = [f"c{n}" for n in range(1 << dim)]
    for one in every:
        back = one.inverse()
        assert np.array_equal(back.apply(one.apply(array)), array)
        assert one.compose(back) == Orientation.identity(dim)
        second = [""] * (1 << dim)
        for n, corner in enumerate(corners):
            second[one.corner(n)] = corner
        assert Orientation.of_corners(corners, second) == one
        for other in every[:: 5 if dim == 3 else 1]:
            # A third block seen through the second is the third seen from the first.
            both = one.compose(other)
            assert np.array_equal(one.apply(other.apply(array)), both.apply(array))

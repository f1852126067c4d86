"""What breaks a layout is refused before it is kept; what is wrong with its shape is told with where it is."""

import pytest

from plodek.core.blocks.soundness import inverted
from tests.conftest import evaluated, model_of

FRAME = {"kind": "frame", "id": "f", "width": 2, "height": 1}
CUT = {"kind": "cut", "id": "c", "by": "x", "at": [1]}
BOX = {"kind": "frame", "id": "f", "shape": "box", "width": 2, "height": 1, "depth": 1}


def block(name, *corners):
    return {"kind": "block", "id": name, "corners": [list(corner) for corner in corners]}


SQUARE = block("a", (0, 0), (1, 0), (1, 1), (0, 1))


def refusal(steps):
    found = evaluated(steps)
    assert found.error is not None
    assert found.failed == len(steps) - 1
    return str(found.error)


@pytest.mark.parametrize("order", [(0, 1, 2, 3), (3, 2, 1, 0), (1, 0, 2, 3), (2, 0, 3, 1)])
def test_corners_of_a_block_may_be_typed_in_any_order(order):
    corners = [(0, 0), (1, 0), (1, 1), (0, 1)]
    model = model_of([block("a", *(corners[n] for n in order))])
    assert inverted(model.layout) == set()
    assert len(model.layout.outer) == 4


def test_three_blocks_do_not_share_a_side():
    shared = [(0, 0), (0, 1)]
    steps = [
        SQUARE,
        block("b", shared[0], (-1, 0), (-1, 1), shared[1]),
        block("c", shared[0], (0.5, 0.1), (0.5, 0.9), shared[1]),
    ]
    assert "one side would belong to 3 blocks (B1, B2, B3)" in refusal(steps)


def test_a_corner_pulled_through_its_block_is_told_with_where_it_is():
    pulled = {"kind": "pin", "id": "p", "corner": {"at": [1, 0]}, "to": [1, 3]}
    model = model_of([FRAME, CUT, pulled])
    found = [one for one in model.facts.findings if "inside out" in one.text]
    assert len(found) == 2
    for one in found:
        assert set(one.blocks) <= inverted(model.layout)
        assert model.layout.labels[one.blocks[0]] in one.text
    assert model_of([FRAME, CUT]).facts.findings == []


def test_blocks_that_only_touch_in_a_corner_are_sound():
    steps = [SQUARE, block("b", (1, 1), (2, 1), (2, 2), (1, 2))]
    model = model_of(steps)
    assert len(model.layout.corners) == 7
    assert len(model.layout.outer) == 8


def test_a_block_laid_beside_another_shares_its_corners():
    model = model_of([SQUARE, block("b", (1, 0), (2, 0), (2, 1), (1, 1))])
    assert len(model.layout.corners) == 6
    assert len(model.layout.outer) == 6
    assert len(model.tiers) == 3


@pytest.mark.parametrize("noise", [0.0, 1e-14, -1e-14])
def test_corners_are_the_same_within_what_rounding_leaves(noise):
    """A coordinate of −1e-14 is 0: compared by tolerance, never by its bits."""
    model = model_of([SQUARE, block("b", (1 + noise, noise), (2, noise), (2, 1), (1, 1 - noise))])
    assert len(model.layout.corners) == 6


def test_a_box_hollowed_and_brought_back_is_what_it_was():
    cut = {"kind": "cut", "id": "c", "by": "x", "at": [0.5, 1]}
    hollow = {"kind": "hollow", "id": "h", "blocks": {"at": [0.75, 0.5, 0.5]}}
    back = {"kind": "bring-back", "id": "b", "blocks": {"hollow": True}}
    before, gone, after = (model_of([BOX, cut, *more]) for more in ([], [hollow], [hollow, back]))
    assert len(gone.layout.filled) == 2
    assert after.layout.filled == before.layout.filled
    assert after.layout.outer == before.layout.outer


def test_pinching_every_edge_of_a_block_away_is_refused():
    steps = [FRAME, CUT]
    for n, at in enumerate([[0.5, 0], [0.5, 1], [0, 0.5]]):
        steps.append({"kind": "pinch", "id": f"p{n}", "edges": {"at": at}})
        found = evaluated(steps)
        if found.error is not None:
            assert str(found.error)
            return
    raise AssertionError("a block of no edges was taken")

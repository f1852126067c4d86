"""Nothing leaks unseen: slits, corners that nearly meet, sides that meet in part, and blocks that overlap."""

import numpy as np
import pytest

from plodek.core.model import block_advice
from plodek.core.recipe import document
from plodek.core.recipe.evaluation import Evaluator
from tests.conftest import DEMO, model_of
from tests.core.examples import EXAMPLES, FILES, steps_of


def block(name, *corners):
    return {"kind": "block", "id": name, "corners": [list(corner) for corner in corners]}


def box(name, low, high):
    x, y, z = zip(low, high, strict=True)
    return block(name, *[(x[n & 1], y[n >> 1 & 1], z[n >> 2]) for n in range(8)])


def square(name, low, high):
    x, y = zip(low, high, strict=True)
    return block(name, *[(x[n & 1], y[n >> 1]) for n in range(4)])


def told(*blocks):
    return [finding.text for finding in model_of(list(blocks)).facts.findings]


def moved(step, by):
    return step | {
        "id": f"{step['id']}2",
        "corners": [list(np.add(c, by[: len(c)])) for c in step["corners"]],
    }


PARTS = [box("a", (0, 0, 0), (1, 1, 1)), square("a", (0, 0), (1, 1))]


@pytest.mark.parametrize("part", PARTS, ids=["space", "plane"])
@pytest.mark.parametrize("far", [1e-6, 1e-3])
def test_a_slit_is_told_with_its_width(part, far):
    (text,) = told(part, moved(part, (1 + far, 0, 0)))
    assert "lie on each other but are not joined" in text
    assert f"{far:.3g} apart" in text


@pytest.mark.parametrize("part", PARTS, ids=["space", "plane"])
def test_blocks_that_overlap_are_told_as_such_and_those_that_touch_are_not(part):
    assert told(part, moved(part, (1, 0, 0))) == []
    for by in ((0.5, 0.1, 0.2), (0.1, 0.1, 0.1), (0.95, 0.2, 0.9), (0.95, 0.3, 0.0)):
        (text,) = [text for text in told(part, moved(part, by)) if "overlap" in text]
        assert text.startswith("the blocks B1 and B2 overlap")
    assert told(part, moved(part, (2, 0, 0))) == []


def test_a_small_block_in_a_large_one_overlaps_it():
    assert any(
        "overlap" in text
        for text in told(box("a", (0, 0, 0), (9, 9, 9)), box("b", (4, 4, 4), (4.4, 4.4, 4.4)))
    )
    assert any(
        "overlap" in text for text in told(square("a", (0, 0), (9, 9)), square("b", (4, 4), (4.4, 4.4)))
    )


def test_a_side_that_meets_half_of_another_is_told_with_the_corner():
    texts = told(square("a", (0, 0), (1, 2)), square("b", (1, 0), (2, 1)))
    (text,) = texts
    assert text.endswith(
        "lies in the middle of a side of block B1, so that blocks meet there only in part: cut that block there"
    )
    texts = told(box("a", (0, 0, 0), (1, 2, 2)), box("b", (1, 0.5, 0.5), (2, 1, 1)))
    assert len(texts) == 4
    assert all("in the middle of a side of block B1" in text for text in texts)


def test_a_side_that_meets_half_of_another_along_its_rim_is_told_too():
    """The corners lie on edges of the larger side, none of them in its middle."""
    texts = told(box("a", (0, 0, 0), (1, 2, 1)), box("b", (1, 0, 0), (2, 1, 1)))
    assert len(texts) == 2
    assert all("in the middle of a side of block B1" in text for text in texts)


def test_corners_that_nearly_meet_are_told():
    shifted = block("b", (1 + 1e-5, 1), (2, 1), (1, 2), (2, 2))
    (text,) = told(square("a", (0, 0), (1, 1)), shifted)
    assert "c4 and c5 are only 1e-05 apart" in text


@pytest.mark.parametrize("part", PARTS, ids=["space", "plane"])
def test_the_advice_joins_what_a_slit_parts(part):
    slit = [part, moved(part, (1.001, 0, 0))]
    advice = next(one for one in block_advice.advise(model_of(slit)) if one.rule == "slit")
    model = model_of([*slit, *({"id": "cure", **step} for step in advice.steps)])
    assert model.facts.findings == []
    assert len(model.layout.corners) == 3 * len(part["corners"]) // 2
    assert sum(len(uses) == 2 for uses in model.layout.sides.values()) == 1


@pytest.mark.slow
@pytest.mark.parametrize("name", sorted({path.stem for path in DEMO.glob("*.json")} - {"axial-stage"}))
def test_no_demo_leaks(demos, name):
    model = demos.model(name)
    assert [finding.text for finding in model.facts.findings] == []
    assert [finding.text for finding in model.plane.facts.findings] == []


@pytest.mark.parametrize("kind", EXAMPLES)
def test_no_example_leaks(kind):
    found = Evaluator().evaluate(document.of({"steps": steps_of(kind)}), FILES)
    if found.model.layout.blocks and kind not in ("pinch", "zip"):
        assert [finding.text for finding in found.model.facts.findings] == []

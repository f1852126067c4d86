"""The same recipe gives the same model whatever the machine: no order comes from a set, in two processes."""

import hashlib
import os
import subprocess
import sys

import numpy as np
import pytest

from plodek.core.build.build import filled_grid
from plodek.core.errors import PlodekError
from plodek.core.recipe import document
from plodek.core.recipe.evaluation import Evaluator
from tests.conftest import DEMO, DEMO_FILES, numbered
from tests.core.examples import EXAMPLES, FILES, steps_of

CUTS = [
    {"kind": "frame", "width": 5, "height": 5},
    {"kind": "cut", "by": "x", "at": [1, 2, 3, 4]},
    {"kind": "cut", "by": "y", "at": [1, 2, 3, 4]},
]
MANY = [*CUTS, {"kind": "place", "blocks": {"all": True}, "shift": [5, 0], "copies": 2}]


def told(model):
    """All that a model says, in the order in which it says it."""
    layout, spacing = model.layout, model.spacing
    yield [list(layout.labels.items()), list(layout.blocks.items()), list(layout.edges), list(layout.sides)]
    yield [(name, corner.xyz, corner.sign, corner.guide) for name, corner in layout.corners.items()]
    yield [list(layout.follows), list(layout.bends), list(layout.lies.items()), list(model.guides)]
    yield [list(spacing.counts.items()), list(spacing.laws), [(p.name, p.sides) for p in model.patches]]
    yield [list(model.reports.items()), list(model.pieces.items()), [t.label for t in model.tiers]]
    yield [list(layout.outer), [(twin.name, a, b) for twin, a, b in layout.twin_sides]]
    if layout.blocks:
        try:
            yield [np.ascontiguousarray(block).tobytes() for block in filled_grid(model).xyz]
        except PlodekError as error:
            yield str(error)


def digests():
    """Give a line for each recipe: its name, and what its model comes to."""
    recipes = {kind: (document.of({"steps": steps_of(kind)}), FILES) for kind in EXAMPLES}
    recipes["many"] = document.of({"steps": numbered(MANY)}), FILES
    demos = (path for path in sorted(DEMO.glob("*.json")) if path.stem != "axial-stage")  # a minute by itself
    recipes |= {path.stem: (document.read(path.read_bytes()), DEMO_FILES) for path in demos}
    for name, (recipe, files) in recipes.items():
        parts = list(told(Evaluator().evaluate(recipe, files).model))
        yield f"{name} {hashlib.blake2s(repr(parts).encode()).hexdigest()}"


@pytest.mark.slow
def test_two_processes_with_other_hashes_give_the_same_models():
    command = [
        sys.executable,
        "-c",
        "from tests.core.test_purity import digests\nprint(*digests(), sep='\\n')",
    ]
    running = [
        subprocess.Popen(
            command, stdout=subprocess.PIPE, text=True, env=os.environ | {"PYTHONHASHSEED": seed}
        )
        for seed in ("1", "2")
    ]
    one, other = (process.communicate()[0].splitlines() for process in running)
    assert len(one) > 90
    assert [a for a, b in zip(one, other, strict=True) if a != b] == []

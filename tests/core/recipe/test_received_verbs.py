"""What is done to received grids: every verb works on them, and what it leaves alone keeps its nodes."""

import numpy as np
import pytest

from plodek.core.build import build
from plodek.core.check.measure import measure
from plodek.core.check.quality import gate
from plodek.core.grid.grid import Grid
from plodek.core.recipe import document
from plodek.core.recipe.evaluation import Evaluator
from plodek.core.recipe.files import Files
from plodek.core.recipe.formats import FORMAT
from plodek.core.recipe.step import kinds_by_name
from tests.conftest import numbered
from tests.core.examples import EXAMPLES, FILES
from tests.received import BENT, START, kept, model_of, nodes_of, of_nodes, pipe, written

ALONG = {"at": [0.35, -1.6, 0]}  # the end of the bent block: an edge from r = 1 outward
CUT = {"kind": "cut", "by": "cells", "cells": [2, 5], "tier": ALONG}
GROW = {"kind": "grow", "sides": {"at": [0.9, 0, 0.5]}, "distance": 0.1}
MIRROR = {"kind": "place", "by": "mirror", "blocks": {"all": True}, "at": [0, 0, 2], "along": [0, 0, 1]}
TURN = {"kind": "place", "by": "turn", "blocks": {"all": True}, "angle": 180, "copies": 1}


@pytest.mark.parametrize(
    ("steps", "blocks"),
    [
        ([CUT], 3),
        ([CUT, {"kind": "cut", "by": "cells", "cells": [3], "tier": {"at": [0.9, -0.3, 0]}}], 6),
        ([CUT, {"kind": "merge", "blocks": {"at": [0.75, -1, 0.4]}}], None),
        ([GROW], 2),
        ([MIRROR], 2),
        ([TURN], 2),
        ([CUT, GROW, MIRROR], None),
        ([{"kind": "region", "blocks": {"all": True}, "name": "gravel"}], 1),
        ([{"kind": "patch", "name": "all", "faces": {"rest": True}}], 1),
        ([{"kind": "budget", "cells": 90000}], 1),
    ],
    ids=["cut", "cut twice", "merge", "grow", "mirror", "turn", "all", "region", "patch", "budget"],
)
def test_verbs_leave_the_nodes_of_what_they_do_not_touch(steps, blocks):
    if steps[-1]["kind"] == "merge":
        steps = [CUT | {"cells": [2]}, {"kind": "merge", "blocks": {"all": True}}]
    model = model_of([START, *steps], a=BENT)
    grid = build.filled_grid(model)
    assert kept(BENT, grid) == len(nodes_of(BENT))
    assert blocks is None or len(grid.xyz) == blocks
    assert measure(grid).volume.min() > 0


def test_a_cut_between_nodes_keeps_the_shape():
    x, y, z = np.meshgrid(np.linspace(0, 1.5, 31), np.linspace(1, 2, 9), np.linspace(0, 1, 5), indexing="ij")
    ring = of_nodes(np.stack([y * np.sin(x), y * np.cos(x), z], axis=-1))
    grid = build.filled_grid(
        model_of(
            [START, {"kind": "cut", "by": "fraction", "fractions": [0.37], "tier": {"at": [0.68, 0.73, 0]}}],
            a=ring,
        )
    )
    radii = np.hypot(*nodes_of(grid)[:, :2].T)
    assert np.abs(radii[np.abs(radii - 1) < 0.05] - 1).max() < 1e-6
    assert measure(grid).volume.sum() == pytest.approx(measure(ring).volume.sum(), rel=1e-3)


def test_another_spacing_goes_along_the_received_lines():
    """A quarter of a ring: nodes stay on its arcs, and the first cell is as wide as was asked."""
    x, y, z = np.meshgrid(
        np.linspace(0, 1.5, 31), np.linspace(1, 2, 9) ** 1.1, np.linspace(0, 1, 5), indexing="ij"
    )
    ring = of_nodes(np.stack([y * np.sin(x), y * np.cos(x), z], axis=-1))
    steps = [
        START,
        {"kind": "space", "tier": {"at": [0.68, 0.73, 0]}, "cells": 77, "law": "uniform"},
        {
            "kind": "space",
            "tier": {"at": [0, 1.5, 0], "start": [0, 1, 0]},
            "cells": 20,
            "law": "geometric",
            "first": 0.002,
        },
    ]
    (nodes,) = build.filled_grid(model_of(steps, a=ring)).xyz
    assert sorted(nodes.shape[:3]) == [5, 21, 78]
    radii = np.hypot(nodes[..., 0], nodes[..., 1])
    assert np.ptp(radii, axis=0).max() < 1e-5  # the chord of a received cell is off by 3e-4
    steps = np.diff(radii, axis=1)
    first = min(abs(steps[:, n]).max() for n in (0, -1))
    assert first == pytest.approx(0.002, rel=1e-4)


def test_a_pole_gives_way_to_a_butterfly_and_the_wall_keeps_its_nodes():
    s = np.linspace(0, 1, 6)
    zero, one = np.zeros_like(s), np.ones_like(s)
    round_pipe = pipe(
        0.5,
        np.stack([zero, zero, s], axis=1),
        np.stack([one, zero, zero], axis=1),
        np.stack([zero, one, zero], axis=1),
    )
    grid = of_nodes(round_pipe)
    (verdict,) = gate(measure(grid), {"smallest_angle": 60.0}).verdicts
    assert verdict.missed == verdict.at_poles == measure(grid).poles.sum() > 0
    assert "cells are below 60°, all at poles, the worst" in verdict.sentence
    model = model_of([START, {"kind": "butterfly", "blocks": {"all": True}}], a=grid)
    built = build.filled_grid(model)
    assert len(built.xyz) == 5
    assert built.poles == ()
    wall = Grid(3, ("wall",), (round_pipe[-1:],))
    assert kept(wall, built) == len(nodes_of(wall))
    assert measure(built).of("scaled_jacobian").min() > 0.5


#: What a grid alone lacks: hollow blocks, guides, a law to blend, counts that are free, walls on guides.
LACKS = {
    "bring-back": "no block is hollow",
    "slide": "sits on no guide",
    "follow": "would meet on",
    "blend": "laws of different kinds",
    "budget": "locked tiers alone make",
    "smooth": "no outer side lies on a guide",
}
#: The kinds of steps whose examples have blocks before their last step.
KINDS = [
    kind
    for kind, steps in EXAMPLES.items()
    if kinds_by_name()[kind].stage != "Shape"
    and kind != "bring-layout"
    and any(kinds_by_name()[step["kind"]].stage != "Shape" for step in steps[:-1])
]


@pytest.mark.parametrize("kind", KINDS)
def test_every_verb_works_on_a_received_grid_as_on_the_layout_it_came_from(kind):
    """The example of each kind of step, but its last step, leaves as a grid; that step is done on it again."""
    *base, last = EXAMPLES[kind]
    shapes = [step for step in base if kinds_by_name()[step["kind"]].stage == "Shape"]

    def document_of(steps):
        return document.of({"plodek": FORMAT, "name": "t", "steps": numbered(steps)})

    before = Evaluator().evaluate(document_of(base), FILES).model
    data = written(build.filled_grid(before))
    files = Files(lambda name: data if name == "a.cgns" else FILES.read(name))
    found = Evaluator().evaluate(document_of([*shapes, START, last]), files)
    if kind in LACKS:
        assert LACKS[kind] in str(found.error).lower()
        return
    assert found.error is None, str(found.error)
    volume = measure(build.filled_grid(found.model)).volume
    assert volume.min() > 0
    if kind != "ring":  # around a block that was hollow, and is not there
        wanted = Evaluator().evaluate(document_of([*base, last]), FILES).model
        assert volume.sum() == pytest.approx(measure(build.filled_grid(wanted)).volume.sum(), rel=1e-9)

"""Grids received from others: taken up whole, worked on with every verb, and kept to the bit where left alone."""

import gc
import weakref
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from plodek.core.blocks.orientation import Orientation
from plodek.core.build import build
from plodek.core.check.measure import measure
from plodek.core.grid.grid import Grid
from plodek.core.grid.numbering import Numbering
from plodek.core.grid.window import Window
from plodek.core.recipe import document, evaluation
from plodek.core.recipe.evaluation import Evaluator
from plodek.core.recipe.files import Files, in_memory
from plodek.core.recipe.formats import FORMAT
from plodek.core.recipe.step import kind_named
from plodek.core.shape.curves.lattice_line import LatticeLine
from plodek.core.shape.lattice import Lattice
from plodek.core.shape.move import shifted
from tests.conftest import numbered
from tests.core.examples import EXAMPLES, FILES
from tests.received import bent, dewatering_bend, of_nodes, pipe, written

START = {"kind": "start-from-grid", "file": "a.cgns"}
ALONG = {"at": [0.35, -1.6, 0]}  # the end of the bent block: an edge from r = 1 outward
BENT = of_nodes(bent())


def evaluate(steps, **grids):
    """Evaluate steps that read grids, files by their names without the ending."""
    files = {
        f"{name}.cgns": data if isinstance(data, bytes) else written(data) for name, data in grids.items()
    }
    recipe = document.of({"plodek": FORMAT, "name": "t", "steps": numbered(steps)}, "t")
    return Evaluator().evaluate(recipe, in_memory(files))


def model_of(steps, **grids):
    found = evaluate(steps, **grids)
    assert found.error is None, str(found.error)
    return found.model


def error_of(steps, **grids):
    found = evaluate(steps, **grids)
    assert found.error is not None
    return str(found.error)


def nodes_of(grid):
    """All places of nodes, each once, in order."""
    return np.unique(np.concatenate([nodes.reshape(-1, 3) for nodes in grid.xyz]) + 0.0, axis=0)  # −0 is 0


def kept(grid, built):
    """How many of a grid's places are nodes of another, to the bit."""
    there = {row.tobytes() for row in nodes_of(built)}
    return sum(row.tobytes() in there for row in nodes_of(grid))


def sides_named(model):
    return {
        patch.name: (patch.type, sum(p is patch for p in model.patch_of.values())) for patch in model.patches
    }


@pytest.mark.slow
@pytest.mark.parametrize("name", ["draft-cone", "gate-chamber", "siphon", "outfall-fin", "turning-vanes"])
def test_what_leaves_comes_back_with_all_that_belongs_to_it(demos, name):
    before = demos.model(name)
    grid = build.filled_grid(before)
    model = model_of([{"kind": "unit", "unit": before.unit}, START], a=written(grid, unit=before.unit))
    again = build.filled_grid(model)
    assert np.array_equal(nodes_of(grid), nodes_of(again))
    assert sorted(map(np.size, grid.xyz)) == sorted(map(np.size, again.xyz))
    assert Numbering.of(again).count == Numbering.of(grid).count
    assert sides_named(model) == {name: of for name, of in sides_named(before).items() if of[1]}
    assert {n: len(own) for n, own in model.layout.regions.items()} == {
        n: len(own) for n, own in before.layout.regions.items()
    }
    assert len(again.periodic) == len(grid.periodic)
    assert len(again.interfaces) == len(grid.interfaces)


@pytest.mark.parametrize("turn", Orientation.every(3), ids=lambda one: str(one.axes))
def test_a_block_with_its_axes_in_any_order_is_the_same_and_right_handed(turn):
    model = model_of([START], a=of_nodes(turn.apply(bent())))
    grid = build.filled_grid(model)
    assert np.array_equal(nodes_of(grid), nodes_of(BENT))
    assert measure(grid).volume.min() > 0
    said = " ".join(model.reports["s0"])
    mirrored = (
        np.linalg.det([[np.sign(a) * (abs(a) - 1 == axis) for axis in range(3)] for a in turn.axes]) < 0
    )
    assert ("left-handed, and turned round: Block0001" in said) == bool(mirrored)


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
    model = model_of([START, {"kind": "butterfly", "blocks": {"all": True}}], a=grid)
    built = build.filled_grid(model)
    assert len(built.xyz) == 5
    assert built.poles == ()
    wall = Grid(3, ("wall",), (round_pipe[-1:],))
    assert kept(wall, built) == len(nodes_of(wall))
    assert measure(built).of("scaled_jacobian").min() > 0.5


def test_the_dewatering_bend_is_cured(demos):
    model = demos.model("dewatering-bend")
    said = " ".join(model.reports["received"])
    for words in (
        "2 received blocks were divided into 8",
        "left-handed, and turned round: block1",
        "up to 0.02 mm apart",
    ):
        assert words in said
    built = demos.built("dewatering-bend")
    values = measure(built.grid)
    assert values.of("scaled_jacobian").min() > 0.8
    assert len(model.unnamed) == 0
    bend = dewatering_bend()[0].astype(np.float32).astype(float)
    assert kept(Grid(3, ("ends",), (bend[-1:, ::6, ::24],)), built.grid) == 8
    # the pipe's volume: a circle of 24 chords, along a quarter turn of 300 mm and 400 mm straight
    area = 0.5 * 24 * 100**2 * np.sin(2 * np.pi / 24)
    assert values.volume.sum() == pytest.approx(area * (300 * np.pi / 2 + 400), rel=2e-3)


def test_blocks_that_meet_on_parts_of_sides_are_divided_there_and_everywhere_beyond():
    whole = bent(cells=(8, 6, 4))
    beside = np.concatenate([whole[-1:, :4] + n * np.array([0.1, -0.1, 0]) for n in range(3)])
    grid = of_nodes(whole, beside)
    model = model_of([START], a=grid)
    assert len(model.layout.blocks) == 3
    built = build.filled_grid(model)
    assert np.array_equal(nodes_of(built), nodes_of(grid))
    assert "2 received blocks were divided into 3" in " ".join(model.reports["s0"])


@pytest.mark.parametrize("cells", [3, 4, 10])
def test_a_block_that_closes_on_itself_is_divided_around(cells):
    angle = np.linspace(0, 2 * np.pi, cells + 1)
    angle[-1] = 0.0
    r, z = np.array([1.0, 1.5, 2.0]), np.array([0.0, 1.0])
    ring = np.stack(
        np.broadcast_arrays(
            r[:, None, None] * np.cos(angle)[None, :, None],
            r[:, None, None] * np.sin(angle)[None, :, None],
            z[None, None],
        ),
        axis=-1,
    )
    model = model_of([START], a=of_nodes(ring))
    assert len(model.layout.blocks) == (3 if cells == 3 else 4)
    assert np.array_equal(nodes_of(build.filled_grid(model)), nodes_of(of_nodes(ring)))


def test_gaps_are_closed_where_that_is_wished_and_told_else():
    first = bent()
    second = np.concatenate([first[-1:] + n * np.array([0.1, -0.1, 0]) for n in range(3)]) + np.array(
        [0, 0, 0.004]
    )
    grid = of_nodes(first, second)
    assert grid.interfaces == ()
    apart = model_of([START], a=grid)
    assert len(build.filled_grid(apart).interfaces) == 0
    model = model_of([START | {"within": "5 mm"}], a=grid)
    built = build.filled_grid(model)
    assert len(built.interfaces) == 1
    assert "up to 0.004 m apart" in " ".join(model.reports["s0"])
    assert kept(of_nodes(first), built) == len(nodes_of(of_nodes(first)))


@pytest.mark.parametrize("gap", [2e-5, 2e-4])
def test_a_gap_that_only_some_cells_are_small_against_is_closed_all_along(gap):
    """A layer of 1 µm against cells of 0.1 m: where some faces of two sides meet, these meet as a whole."""
    first = bent(power=5)
    second = np.concatenate([first[-1:] + n * np.array([0.1, -0.1, 0]) for n in range(3)]) + np.array(
        [0, 0, gap]
    )
    grid = of_nodes(first, second)
    assert len(grid.interfaces) == 1
    model = model_of([START], a=grid)
    assert len(model.layout.blocks) == 2
    assert f"up to {gap:.3g} m apart" in " ".join(model.reports["s0"])


def test_hexahedra_without_blocks_are_put_into_such_and_taken_up(demos):
    grid = build.filled_grid(demos.model("siphon"))
    built = build.filled_grid(model_of([START], a=written(grid, zones="unstructured")))
    assert np.array_equal(nodes_of(grid), nodes_of(built))
    assert {p.name: grid.patch_faces(p) for p in grid.patches} == {
        p.name: built.patch_faces(p) for p in built.patches
    }


def test_a_second_grid_is_joined_and_must_have_as_many_cells():
    first = bent()
    second = np.concatenate([first[-1:] + n * np.array([0.1, -0.1, 0]) for n in range(3)])
    model = model_of([START, START | {"file": "b.cgns"}], a=of_nodes(first), b=of_nodes(second))
    built = build.filled_grid(model)
    assert len(built.interfaces) == 1
    both = np.unique(np.concatenate([first.reshape(-1, 3), second.reshape(-1, 3)]), axis=0)
    assert np.array_equal(nodes_of(built), both)
    said = error_of([START, START | {"file": "b.cgns"}], a=of_nodes(first), b=of_nodes(second[:, ::2]))
    assert "it has 3 cells, and the edge 6" in said


def test_twins_by_a_turn_come_too_and_stay_twins(demos):
    """A sector of 60°: its sides repeat by a turn, and a cut runs on from one to the other."""
    sector = [
        {"kind": "frame", "shape": "polar", "inner": 1, "outer": 2, "end": 60, "sectors": 1},
        {"kind": "budget", "cells": 400},
        {
            "kind": "twin",
            "sides": {"at": [1.5, 0]},
            "others": {"at": [0.75, 1.3]},
            "by": "angle",
            "angle": 60,
        },
        {"kind": "extrude", "depth": 1, "cells": 3},
    ]
    grid = build.filled_grid(model_of(sector))
    assert len(grid.periodic) == 1
    model = model_of(
        [START, {"kind": "cut", "by": "cells", "cells": [3], "tier": {"at": [1.5, 0, 0]}}], a=grid
    )
    built = build.filled_grid(model)
    assert np.array_equal(nodes_of(built), nodes_of(grid))
    assert len(built.periodic) == 2
    for joint in built.periodic:
        there = joint.orientation.apply(built.nodes(joint.second))
        assert np.abs(joint.move.places(built.nodes(joint.first)) - there).max() < 1e-12


def test_twins_come_with_their_move_to_the_bit(demos):
    grid = build.filled_grid(demos.model("turning-vanes"))
    model = model_of([START], a=grid)
    built = build.filled_grid(model)
    assert len(model.layout.twins) == 1
    for joint in built.periodic:
        there = joint.orientation.apply(built.nodes(joint.second))
        assert np.abs(joint.move.places(built.nodes(joint.first)) - there).max() < 1e-12
    cut = model_of([START, {"kind": "cut", "by": "x", "at": [0.3]}], a=grid)
    assert len(build.filled_grid(cut).periodic) >= len(built.periodic)


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"file": "b.cgns"}, "there is no file “b.cgns”"),
        ({"file_unit": "m", "file": "a.txt"}, "there is no file"),
        ({"within": -1}, "gap to close"),
        ({"map": "a.map.json"}, "there is no file"),
    ],
)
def test_what_cannot_be_read_is_told(change, words):
    assert words.lower() in error_of([START | change], a=BENT).lower()


def test_the_unit_must_be_known():
    assert "does not say its unit" in error_of([START], a=written(BENT, unit=""))
    model = model_of([{"kind": "unit", "unit": "mm"}, START | {"file_unit": "cm"}], a=written(BENT, unit=""))
    assert np.array_equal(nodes_of(build.filled_grid(model)), nodes_of(BENT) * 10)


def test_grids_of_recipes_that_nobody_works_on_any_more_are_let_go(monkeypatch):
    grids = {f"g{n}": written(of_nodes(bent() + n)) for n in range(6)}
    files = in_memory({f"{name}.cgns": data for name, data in grids.items()})
    bytes_of_one = bent().nbytes
    monkeypatch.setattr(evaluation, "MOST_RECEIVED", 2.5 * bytes_of_one)
    keeping = Evaluator()
    seen = []
    for name in grids:
        steps = numbered([START | {"file": f"{name}.cgns"}, CUT])
        model = keeping.evaluate(document.of({"plodek": FORMAT, "name": "t", "steps": steps}), files).model
        seen.append(weakref.ref(model.lattices[0]))
        del model
    gc.collect()
    assert [one() is not None for one in seen] == [False, False, False, True, True, True]


def test_two_nodes_of_an_edge_at_one_place_are_refused_with_where():
    nodes = bent().copy()
    nodes[3, 0, 0] = nodes[2, 0, 0]
    said = error_of([START], a=Grid(3, ("block1",), (nodes,)))
    assert "two nodes of an edge are at one place" in said
    assert "Block0001, i = 3 to 4, j = 1, k = 1" in said


def test_interfaces_and_twins_that_are_none_are_refused_with_where():
    first = bent()
    second = np.concatenate([first[-1:] + n * np.array([0.1, -0.1, 0]) for n in range(3)])
    (joint,) = of_nodes(first, second).interfaces
    off = Grid(3, ("block1", "block2"), (first, second + np.array([0, 0, 0.06])), (joint,))
    said = error_of([START], a=off)
    assert "the nodes of an interface are up to 0.06 m apart" in said
    assert "blocks Block0001 and Block0002, node [1, " in said
    assert "Close gaps up to 0.061 m" in said
    assert len(model_of([START | {"within": 0.061}], a=off).layout.blocks) == 2
    twins = Grid(
        3,
        ("block1",),
        (first,),
        periodic=(replace(off.interfaces[0], second=Window(0, 0, 0), move=shifted(np.ones(3))),),
    )
    assert "from where their move brings them" in error_of([START], a=twins)


def test_folded_cells_are_told():
    nodes = bent().copy()
    nodes[3] = nodes[6]
    nodes[3] += 1e-3
    model = model_of([START], a=Grid(3, ("block1",), (nodes,)))
    assert "cells are folded" in " ".join(model.reports["s0"])


@settings(deadline=None)
@given(st.integers(2, 9), st.integers(0, 3), st.floats(0.05, 0.95), st.randoms(use_true_random=False))
def test_a_line_through_a_lattice_goes_through_its_nodes_either_way(count, axis, cut, chance):
    """Nodes are its places to the bit, counted from either end, and of both parts of a division."""
    axis %= 3
    shape = [3, 4, 2]
    shape[axis] = count
    base = np.stack(
        np.meshgrid(*(np.cumsum([1.0 + chance.random() for _ in range(n)]) for n in shape), indexing="ij"), -1
    )
    lattice = Lattice(base)
    start, end = np.zeros(3), np.zeros(3)
    end[axis] = count - 1
    there, back = LatticeLine(lattice, start, end), LatticeLine(lattice, end, start)
    shares = np.linspace(0, 1, count)
    own = np.moveaxis(base, axis, 0).reshape(count, -1, 3)[:, 0]
    assert np.array_equal(there.at(there.fractions(shares)), own)
    assert np.array_equal(back.at(back.fractions(shares)), own[::-1])
    assert np.array_equal(there.at(1.0 - back.fractions(shares)[::-1]), own)
    middle = cut * end
    first, second = LatticeLine(lattice, start, middle), LatticeLine(lattice, middle, end)
    assert first.length + second.length == pytest.approx(there.length, rel=1e-9)
    assert np.abs(first.end() - second.start()).max() == 0


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
    if kind_named(kind).stage != "Shape"
    and kind != "bring-layout"
    and any(kind_named(step["kind"]).stage != "Shape" for step in steps[:-1])
]


@pytest.mark.parametrize("kind", KINDS)
def test_every_verb_works_on_a_received_grid_as_on_the_layout_it_came_from(kind):
    """The example of each kind of step, but its last step, leaves as a grid; that step is done on it again."""
    *base, last = EXAMPLES[kind]
    shapes = [step for step in base if kind_named(step["kind"]).stage == "Shape"]

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

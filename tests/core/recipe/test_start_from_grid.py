"""Grids received from others, taken up whole: however they are numbered, joined, divided or wrong."""

import gc
import weakref
from dataclasses import replace

import numpy as np
import pytest

from plodek.core.blocks.orientation import Orientation
from plodek.core.build import build
from plodek.core.check.measure import measure
from plodek.core.grid.grid import Grid
from plodek.core.grid.numbering import Numbering
from plodek.core.grid.window import PatchFaces, Window
from plodek.core.recipe import document, evaluation
from plodek.core.recipe.evaluation import Evaluator
from plodek.core.recipe.files import in_memory
from plodek.core.recipe.formats import FORMAT
from plodek.core.shape.move import shifted
from tests.conftest import numbered
from tests.outside.of_others import cgns_files
from tests.received import (
    BENT,
    START,
    bent,
    dewatering_bend,
    error_of,
    kept,
    model_of,
    nodes_of,
    of_nodes,
    written,
)

ALONG = {"at": [0.35, -1.6, 0]}  # the end of the bent block: an edge from r = 1 outward
CUT = {"kind": "cut", "by": "cells", "cells": [2, 5], "tier": ALONG}


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
    said = " ".join(model.said("s0"))
    mirrored = (
        np.linalg.det([[np.sign(a) * (abs(a) - 1 == axis) for axis in range(3)] for a in turn.axes]) < 0
    )
    assert ("left-handed, and turned round: Block0001" in said) == bool(mirrored)
    shown = [one.blocks for one in model.reports["s0"] if "left-handed" in one.text]
    assert shown == [tuple(model.layout.blocks)] * bool(mirrored)


def test_the_dewatering_bend_is_cured(demos):
    model = demos.model("dewatering-bend")
    said = " ".join(model.said("received"))
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
    assert "2 received blocks were divided into 3" in " ".join(model.said("s0"))
    (divided,) = (one for one in model.reports["s0"] if "divided" in one.text)
    assert len(divided.blocks) == 2
    assert set(divided.blocks) < set(model.layout.blocks)


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
    (gap,) = (one for one in model.reports["s0"] if "up to 0.004 m apart" in one.text)
    assert set(gap.blocks) == set(model.layout.blocks)
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
    assert f"up to {gap:.3g} m apart" in " ".join(model.said("s0"))


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


@pytest.mark.slow
@pytest.mark.parametrize("zones", ["structured", "unstructured"])
def test_twins_come_with_their_move_to_the_bit(demos, zones):
    grid = build.filled_grid(demos.model("turning-vanes"))
    file = written(grid, zones=zones)
    model = model_of([START], a=file)
    built = build.filled_grid(model)
    assert len(model.layout.twins) == 1
    for joint in built.periodic:
        there = joint.orientation.apply(built.nodes(joint.second))
        assert np.abs(joint.move.places(built.nodes(joint.first)) - there).max() < 1e-12
    assert sum(grid.faces(p.first) for p in grid.periodic) == sum(
        built.faces(p.first) for p in built.periodic
    )
    cut = model_of([START, {"kind": "cut", "by": "x", "at": [0.3]}], a=file)
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
    assert "cells are folded" in " ".join(model.said("s0"))


def test_a_sharp_line_within_a_received_block_stays_sharp_where_it_is_spaced_anew():
    """A channel that turns by 40° within one block: all new nodes of its bed lie on the two planes."""
    way = np.array([np.cos(np.radians(40)), 0.0, np.sin(np.radians(40))])
    s = np.linspace(-2, 2, 9)
    bed = np.where(s[:, None] < 0, s[:, None] * [1.0, 0, 0], s[:, None] * way)
    across, up = np.linspace(0, 1, 4), np.linspace(0, 0.5, 3)
    nodes = bed[:, None, None] + across[:, None, None] * [0, 1.0, 0] + up[:, None] * np.array([-0.2, 0, 1.0])
    finer = {"kind": "count", "tier": {"at": [-1.0, 0.0, 0.0]}, "cells": 50}
    (found,) = build.filled_grid(model_of([START, finer], a=of_nodes(nodes))).xyz
    assert found.shape[:3] == (51, 4, 3)
    floor = found[:, :, 0]
    normal = np.array([-way[2], 0, way[0]])
    off = np.where(floor[..., 0] < 0, floor[..., 2], floor @ normal)
    assert np.abs(off).max() < 1e-9
    lengths = np.linalg.norm(np.diff(floor[:, 0], axis=0), axis=1)
    assert np.sum(lengths) == pytest.approx(4, abs=0.01)


@pytest.mark.parametrize(
    "names",
    [("wall 1", "wall_1", "wall+1"), ("a+", "a", "a#"), ("Wall", "wall", "WALL"), ("ä", "ö", "patch")],
)
def test_patches_whose_names_become_alike_stay_apart_and_are_told(names):
    """An inlet and an outlet were one patch: both were called by what was left of their names."""
    box = of_nodes(bent())
    windows = [Window(0, axis, end) for axis in range(3) for end in (0, 1)]
    patches = tuple(PatchFaces(name, "general", (w,)) for name, w in zip(names, windows, strict=False))
    model = model_of([START], a=written(replace(box, patches=patches, unnamed=tuple(windows[len(names) :]))))
    assert [len(patch.sides) for patch in model.patches] == [1] * len(names)
    assert len({patch.name.lower() for patch in model.patches}) == len(names)
    changed = [one for said in model.reports.values() for one in said if "is called" in one.text]
    assert len(changed) == sum(patch.name != name for patch, name in zip(model.patches, names, strict=True))


def test_what_was_left_out_of_a_file_is_told_by_the_step(tmp_path):
    file = cgns_files.written(
        tmp_path / "a.cgns",
        lambda root: cgns_files.node(cgns_files.zone_of(cgns_files.base_of(root)), "s", "FlowSolution_t"),
    )
    model = model_of([START | {"file_unit": "m"}], a=file.read_bytes())
    assert any("FlowSolution_t" in one.text for said in model.reports.values() for one in said)

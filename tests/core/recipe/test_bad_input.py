"""Whatever a recipe or a file holds, it ends in a model or in one clear error; nothing else comes out."""

import copy
import json
import math

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from plodek.core.build import build
from plodek.core.check.measure import measure
from plodek.core.check.quality import gate, histogram
from plodek.core.errors import BadFile, PlodekError
from plodek.core.formats.cargo import Cargo
from plodek.core.formats.cgns.read import read
from plodek.core.formats.cgns.structured import write
from plodek.core.grid.grid import Grid
from plodek.core.recipe import document
from plodek.core.recipe.evaluation import Evaluator
from plodek.core.shape.files import point_file
from tests.conftest import DEMO_FILES, demo_file, evaluated

ODD = st.one_of(
    st.sampled_from(
        [None, "", "x", "6 mm", "-1 m", "1e308 m", "nan", [], [1], [0, 0], [1, 2, 3], {}, {"at": [0, 0]},
         {"at": [math.pi, 1e9]}, {"ids": ["nix"]}, {"edges": [["a", "b"]]}, {"on": "pier"}, {"on": "nix"},
         {"side": "x-"}, {"side": "z+"}, {"all": True}, {"rest": True}, {"around": {"at": [0, 0]}},
         {"ends": "z-", "ids": ["nix"]}, {"guide": "pier", "fraction": 0.5}, True, "pier", "tanh", "uniform"]
    ),
    st.integers(-3, 300),
    st.floats(allow_nan=False, width=32),
)  # fmt: skip


SHAPES = [
    *json.loads(demo_file("turning-vanes.json"))["steps"],
    *json.loads(demo_file("dosing-venturi.json"))["steps"][1:],
    {"kind": "cylinder", "id": "tube", "name": "tube", "radius": 40, "height": 300, "along": [1, 0, 0]},
    {"kind": "crossing", "id": "x", "name": "x", "surface": "wall", "second": "tube"},
    {"kind": "fill", "id": "f", "name": "f", "guides": ["bore", "axis"]},
    {"kind": "sweep-curve", "id": "w", "name": "w", "guide": "vane", "path": "axis", "scale": 2},
    {"kind": "arc", "id": "g", "name": "g", "by": "tangent", "after": "tail", "radius": 3},
]  # fmt: skip


@pytest.mark.parametrize("base", ["pier", "shapes"])
@settings(max_examples=200, deadline=None, suppress_health_check=list(HealthCheck))
@given(data=st.data())
def test_a_demo_with_odd_values_evaluates_or_says_why_not(base, data, demo_steps):
    steps = copy.deepcopy(demo_steps if base == "pier" else SHAPES)
    for _ in range(data.draw(st.integers(1, 3))):
        step = data.draw(st.sampled_from(steps))
        field = data.draw(st.sampled_from([k for k in step if k not in ("kind", "id")] or ["kind"]))
        step[field] = data.draw(ODD)
    try:
        found = document.of(json.loads(json.dumps({"steps": steps})))
        evaluation = Evaluator().evaluate(found, DEMO_FILES)
    except PlodekError as error:
        assert str(error)
        return
    if evaluation.error is not None:
        assert str(evaluation.error).endswith(".")
        assert evaluation.failed == len(evaluation.models)


@settings(max_examples=60, deadline=None, suppress_health_check=list(HealthCheck))
@given(order=st.permutations(range(1, 14)), cut=st.integers(3, 14))
def test_steps_in_any_order_evaluate_or_say_why_not(order, cut, demo_steps):
    steps = [demo_steps[0], *(demo_steps[n] for n in order[:cut])]
    found = evaluated(steps)
    if found.error is None and found.model.layout.blocks:
        build.filled_grid(found.model)


@settings(max_examples=300, deadline=None)
@given(
    st.binary(max_size=300)
    | st.text(alphabet="0123456789.,;-+eE \t\nxy#%nainf", max_size=300).map(str.encode)
)
def test_any_bytes_are_points_or_a_bad_file(data):
    try:
        found = point_file.read(data)
    except BadFile as error:
        assert str(error)
        return
    for section in found:
        assert section.points.shape[1] == 3
        assert np.all(np.isfinite(section.points))


@pytest.fixture(scope="module")
def cgns_bytes(tmp_path_factory):
    path = tmp_path_factory.mktemp("cgns") / "g.cgns"
    nodes = np.stack(np.meshgrid(*[np.arange(3.0)] * 3, indexing="ij"), axis=-1)
    write(path, Cargo(Grid(3, ("a",), (nodes,)), "m"))
    return path.read_bytes()


@settings(max_examples=80, deadline=None, suppress_health_check=list(HealthCheck))
@given(data=st.data())
def test_a_damaged_cgns_file_is_read_or_refused(data, cgns_bytes, tmp_path):
    damaged = bytearray(cgns_bytes)
    for _ in range(data.draw(st.integers(1, 40))):
        damaged[data.draw(st.integers(0, len(damaged) - 1))] = data.draw(st.integers(0, 255))
    cut = data.draw(st.integers(len(damaged) // 2, len(damaged)))
    path = tmp_path / "damaged.cgns"
    path.write_bytes(bytes(damaged[:cut]))
    try:
        grid, _ = read(path)
    except BadFile as error:
        assert "damaged.cgns" in str(error)
        return
    assert grid.xyz


@pytest.mark.parametrize("flat", [0, 1, 2])
def test_cells_without_volume_are_folded_and_measured_without_a_warning(flat):
    nodes = np.stack(np.meshgrid(*[np.arange(4.0)] * 3, indexing="ij"), axis=-1)
    nodes[..., flat] = 0.0
    cells = measure(Grid(3, ("a",), (nodes,)))
    assert cells.folded.all()
    assert not np.isnan(cells.basic).any()
    assert not gate(cells, {"volume_ratio": 2.0, "smallest_angle": 10}).passed
    for s in cells.summary:
        found = histogram(cells, s.metric.key)
        assert len(found.bounds) == len(found.counts) + 1


def test_deeply_nested_and_huge_recipes_are_refused_in_words():
    with pytest.raises(PlodekError):
        document.read("[" * 100_000)
    many = [{"kind": "gate", "id": f"g{n}"} for n in range(2001)]
    with pytest.raises(PlodekError, match="steps"):
        document.of({"steps": many})


def test_one_block_and_one_cell_go_all_the_way():
    steps = [
        {"kind": "frame", "id": "f", "width": 1e-6, "height": 1e6},
        {"kind": "count", "id": "a", "tier": {"at": [0, 0]}, "cells": 1},
        {"kind": "count", "id": "b", "tier": {"at": [0, 5e5]}, "cells": 1},
        {"kind": "smooth", "id": "s", "control": "no control", "sweeps": 5},
        {"kind": "extrude", "id": "e", "depth": 1, "cells": 1},
        {"kind": "patch", "id": "p", "name": "all", "faces": {"rest": True}},
    ]
    found = evaluated(steps)
    assert found.error is None, found.error
    grid = build.build(found.model).grid
    assert grid.cells == 1
    assert measure(grid).volume.sum() == pytest.approx(1.0)

import xml.etree.ElementTree as ET
from typing import get_args

import numpy as np
import pytest

from plodek.core.build import build
from plodek.core.check.measure import measure
from plodek.core.check.quality import cells_between, gate, histogram, worst_cells
from plodek.core.errors import BadFile, BadValue, FoldedGrid, NotReady
from plodek.core.formats import registry
from plodek.core.formats.cargo import Cargo
from plodek.core.formats.cgns.read import read
from plodek.core.formats.cgns.structured import write
from plodek.core.formats.handoff import hand_off
from plodek.core.formats.registry import written
from plodek.core.grid.grid import Grid
from plodek.core.grid.window import PatchType
from plodek.core.shape.move import turned
from tests.conftest import model_of

PLAIN = [
    {"kind": "frame", "id": "f", "width": 2, "height": 1},
    {"kind": "cut", "id": "x", "at": [1]},
    {"kind": "extrude", "id": "e", "depth": 0.5, "cells": 3},
]
REST = {"kind": "patch", "id": "p", "name": "walls", "faces": {"rest": True}}


def sent(steps, folder, **options):
    model = model_of(steps)
    grid = options.pop("grid", None) or build.build(model).grid
    return hand_off(grid, folder, name="g", unit=model.unit, limits=model.limits, **options)


def test_a_cgns_file_reads_back_to_the_same_grid(demo_model, demo_built, tmp_path):
    write(tmp_path / "pier.cgns", Cargo(demo_built.grid, "m"))
    found, unit = read(tmp_path / "pier.cgns")
    assert unit == "m"
    assert all(np.array_equal(a, b) for a, b in zip(found.xyz, demo_built.grid.xyz, strict=True))
    ours = {(p.name, p.type): set(p.windows) for p in demo_built.grid.patches}
    assert {(p.name, p.type): set(p.windows) for p in found.patches} == ours
    assert len(found.interfaces) == len(demo_built.grid.interfaces)
    assert found.unnamed == ()
    assert np.array_equal(measure(found).basic, measure(demo_built.grid).basic)


@pytest.mark.parametrize("key", [key for key, one in written().items() if one.read])
def test_every_patch_type_survives_or_its_loss_is_told(tmp_path, key):
    kinds, label = get_args(PatchType), written()[key].label
    sides = ["x-", "x+", "y-", "y+", "z-", "z+"]
    for shift in (0, len(kinds) - 6):
        types = {f"patch{n}": kind for n, kind in enumerate(kinds[shift : shift + 6])}
        patches = [
            {"kind": "patch", "id": name, "name": name, "type": kind, "faces": {"side": side}}
            for (name, kind), side in zip(types.items(), sides, strict=True)
        ]
        done = sent([*PLAIN, *patches], tmp_path / str(shift), formats=(key,))
        grid, _ = registry.read(done.files[0])
        back = {p.name: p.type for p in grid.patches}
        told = f"{label} names the patches, and says nothing of their types"
        assert back == types or told in done.facts["notes"]
        assert all(note in done.report.read_text() for note in done.facts["notes"])


def test_types_that_the_standard_has_no_word_for_are_told(tmp_path):
    """The types of SIDS 9.7: nothing there says which sides are the front and back of a plane case."""
    faces = {
        "flat": ("2-D sides", {"side": "z-"}),
        "joint": ("interface", {"side": "x+"}),
        "rest": ("wall", {"rest": True}),
    }
    patches = [{"kind": "patch", "id": n, "name": n, "type": t, "faces": f} for n, (t, f) in faces.items()]
    done = sent([*PLAIN, *patches], tmp_path, formats=("cgns", "plot3d"))
    assert done.facts["notes"] == [
        f"CGNS has no type for “{kind}” ({name}): it says {word}, with our word in a descriptor beside it"
        for name, kind, word in (
            ("flat", "2-D sides", "BCSymmetryPlane"),
            ("joint", "interface", "BCGeneral"),
        )
    ]


@pytest.mark.parametrize(
    ("unit", "scale", "largest", "said", "told"),
    [
        ("mm", 1.0, 2000, "mm", "coordinates in mm"),
        ("cm", 0.01, 2, "m", "coordinates in m;"),
        ("mm", 2.0, 4000, "", "coordinates in (0.0005 m)"),
        ("in", 25.4, 2000, "mm", "coordinates in mm"),
    ],
)
def test_the_file_says_the_unit_that_it_is_in(tmp_path, unit, scale, largest, said, told):
    done = sent([*PLAIN, REST], tmp_path, file_unit=unit, scale=scale)
    grid, found = read(tmp_path / "g.cgns")
    assert found == said
    assert max(x.max() for x in grid.xyz) == pytest.approx(largest)
    assert done.facts["volume"] == pytest.approx((largest / 2) ** 3)
    assert told in (tmp_path / "report.md").read_text()


def test_a_scale_factor_that_is_none_is_refused(tmp_path):
    with pytest.raises(BadValue, match="scale factor"):
        sent([*PLAIN, REST], tmp_path, scale=0.0)


def test_what_is_not_ready_does_not_leave(tmp_path):
    with pytest.raises(NotReady, match="still plane"):
        sent(PLAIN[:2], tmp_path, formats=("vtkhdf",))
    with pytest.raises(NotReady, match="belong to no patch"):
        sent(PLAIN, tmp_path)
    assert not list(tmp_path.iterdir())


def test_folded_cells_need_an_explicit_yes(tmp_path):
    model = model_of([*PLAIN, REST])
    grid = build.build(model).grid
    xyz = [x.copy() for x in grid.xyz]
    xyz[0][1, 1, 1] += 3.0
    bent = Grid(3, grid.names, tuple(xyz), grid.interfaces, grid.patches)
    with pytest.raises(FoldedGrid, match="cells are folded"):
        sent([*PLAIN, REST], tmp_path, grid=bent)
    done = sent([*PLAIN, REST], tmp_path, grid=bent, folded_too=True)
    assert not done.gate.passed
    assert "NOT passed" in (tmp_path / "report.md").read_text()


def test_patch_names_that_the_format_needs_itself_are_refused_and_others_never_clash(tmp_path):
    with pytest.raises(BadValue, match="uses the name “DataClass” itself"):
        sent([*PLAIN, REST | {"name": "DataClass"}], tmp_path)
    names = [
        REST | {"id": n, "name": n, "faces": f}
        for n, f in (("a", {"side": "x-"}), ("a_1", {"side": "x+"}), ("a1", {"rest": True}))
    ]
    sent([*PLAIN, *names], tmp_path, formats=("cgns",))
    found, _ = read(tmp_path / "g.cgns")
    assert sorted(p.name for p in found.patches) == ["a", "a1", "a_1"]


def test_the_vtk_files_hang_together(demo_built, tmp_path):
    model = model_of([*PLAIN, REST])
    done = hand_off(
        build.build(model).grid, tmp_path, name="g", unit="m", limits=model.limits, formats=("vtk",)
    )
    root = ET.parse(tmp_path / "g.vtm").getroot()
    named = [node.attrib["file"] for node in root.iter("DataSet")]
    assert sorted(named) == sorted(
        str(f.relative_to(tmp_path)) for f in done.files if f.suffix in (".vts", ".vtp")
    )


@pytest.mark.parametrize("content", [b"", b"\x89HDF\r\n\x1a\nbroken", b"x y\n0 0\n"])
def test_what_is_no_cgns_file_is_refused(content, tmp_path):
    path = tmp_path / "bad.cgns"
    path.write_bytes(content)
    with pytest.raises(BadFile, match="bad.cgns"):
        read(path)


def stretched():
    """Two unit cubes and one of twice the length: volume ratio 2 across one face, all angles right."""
    x = np.array([0, 1, 2, 4.0])
    nodes = np.stack(np.meshgrid(x, [0, 1.0], [0, 1.0], indexing="ij"), axis=-1)
    return Grid(3, ("a",), (nodes,))


def test_summary_gate_histogram_and_worst_cells_agree():
    grid = stretched()
    cells = measure(grid)
    assert cells.of("volume_ratio").tolist() == [1, 2, 2]
    assert cells.of("aspect_ratio").tolist() == [1, 1, 2]
    assert np.allclose(cells.of("scaled_jacobian"), 1)
    assert np.allclose(cells.of("non_orthogonality"), 0, atol=1e-6)
    found = {s.metric.key: s for s in cells.summary}
    assert (found["volume_ratio"].worst, found["volume_ratio"].best) == (2, 1)
    outcome = gate(cells, {"volume_ratio": 1.5, "smallest_angle": 35})
    assert not outcome.passed
    assert outcome.verdicts[0].sentence == "volume ratio: 2 cells are above 1.5, the worst 2"
    assert gate(cells, {"volume_ratio": 2.0}).passed
    found = histogram(cells, "aspect_ratio", 4)
    assert (found.bounds[0], found.bounds[-1], sum(found.counts)) == (1, 2, 3)
    worst = worst_cells(grid, cells, "aspect_ratio", 1)[0]
    assert (worst.index, worst.value, worst.at) == ((3, 1, 1), 2, (3.0, 0.5, 0.5))
    assert len(cells_between(grid, cells, "aspect_ratio", 1, 1.5, 10)) == 2


def test_the_volume_ratio_looks_across_interfaces():
    steps = [
        {"kind": "frame", "id": "f", "width": 3, "height": 1},
        {"kind": "cut", "id": "x", "at": [1]},
        {"kind": "count", "id": "a", "tier": {"at": [0.5, 0]}, "cells": 4},
        {"kind": "count", "id": "b", "tier": {"at": [2, 0]}, "cells": 2},
    ]
    grid = build.filled_grid(model_of(steps))
    cells = measure(grid)
    assert cells.of("volume_ratio").max() == pytest.approx(4)  # 0.25 wide against 1.0 wide
    across = grid.shape_of(0)[1]
    assert np.sum(cells.of("volume_ratio") > 3) == 2 * across


def test_what_rounding_leaves_of_squares_and_zeros_is_told_as_none():
    """Planes of a third, turned anyhow: cosines of right angles round to all but 1."""
    axes = [np.linspace(0, n / 3, 2 * n + 1) for n in (1, 2, 4)]
    nodes = np.stack(np.meshgrid(*axes, indexing="ij"), axis=-1)
    for angle in np.linspace(0.1, 3.0, 9):
        tilted = turned(np.zeros(3), np.array([1.0, 2.0, 0.7]), angle).places(nodes.reshape(-1, 3))
        cells = measure(Grid(3, ("a",), (tilted.reshape(nodes.shape),)))
        assert cells.of("non_orthogonality").max() == 0
        said = [v.sentence for v in gate(cells, {"non_orthogonality": 65.0, "skewness": 0.65}).verdicts]
        assert said == [
            "non-orthogonality: worst 0°, limit 65°",
            "equiangle skewness: worst 0, limit 0.65",
        ]

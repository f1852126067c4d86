"""Reports and pictures: what they tell is what the grid comes to, and the files are what they should be."""

import html
import io
import json
import re
import struct

import h5py
import numpy as np
import pytest
from click.testing import CliRunner
from PIL import Image

import plodek
from plodek.cli import plodek as command
from plodek.core.build.build import build
from plodek.core.build.walls import walls_of
from plodek.core.check.listing import plane_of
from plodek.core.check.look.cutter import cylinder
from plodek.core.check.measure import measure
from plodek.core.check.metrics import BY_KEY
from plodek.core.errors import BadFile, BadValue, PlodekError
from plodek.core.recipe.sentences import sentences
from plodek.core.report.drawing import picture_of
from plodek.core.report.report import Heading, Picture, Rows, Wish, report_of
from plodek.core.report.writing import written
from tests.conftest import evaluated, numbered

STEPS = numbered(
    [
        {"kind": "frame", "shape": "box", "width": 2, "height": 1, "depth": "50 cm"},
        {"kind": "cut", "by": "x", "at": [0.8]},
        {"kind": "budget", "cells": 600},
        {"kind": "gate", "aspect_ratio": 1.05},
        {"kind": "patch", "name": "bed", "type": "wall", "faces": {"side": "z-"}},
        {"kind": "patch", "name": "rest", "type": "far field", "faces": {"rest": True}},
    ]
)


@pytest.fixture(scope="module")
def made():
    evaluation = evaluated(STEPS)
    model = evaluation.model
    grid = build(model).grid
    cells, walls = measure(grid), walls_of(model, grid)

    def report(**wish):
        return report_of(model, cells, walls, sentences(evaluation), Wish("Box & <bed>", **wish))

    return cells, report


def size_of(png):
    assert png[:8] == b"\x89PNG\r\n\x1a\n"
    return struct.unpack(">II", png[16:24])


def colours_in(png):
    """How many colours a picture has."""
    pixels = np.asarray(Image.open(io.BytesIO(png)).convert("RGB"), dtype=int)
    return len(np.unique(pixels.reshape(-1, 3) @ (65536, 256, 1)))


def test_a_report_tells_what_the_grid_comes_to(made):
    cells, report = made
    found = report(note="First line.\nSecond line.", metric="aspect_ratio")
    heads = [part.text for part in found.parts if isinstance(part, Heading)]
    assert heads[0] == "The gate is not passed"
    assert heads[-1] == "Recipe"
    tables = {part.heads[0]: part for part in found.parts if isinstance(part, Rows)}
    assert set(tables) == {"metric", "aspect ratio", "block", "region", "patch", "wall"}
    rows = {row[0]: (row, n in tables["metric"].bad) for n, row in enumerate(tables["metric"].rows)}
    for one in cells.summary:
        wanted = f"{one.worst:.4g}" if abs(one.worst) > 1e-12 else "0"
        assert rows[one.metric.label][0][1].startswith(wanted)
    assert rows["aspect ratio"][1]
    assert not rows["scaled Jacobian"][1]
    assert {row[0] for row in tables["patch"].rows} == {"bed", "rest"}
    assert len(tables["block"].rows) == 2


def test_an_html_report_needs_nothing_else_and_says_what_was_typed_as_it_was(made):
    _, report = made
    page = written(report(note="a < b & c", sections=[("x=0.5", plane_of("x=0.5"))]), ".html").decode()
    assert not re.search(r"(src|href)=\"(?!data:)", page)
    assert "http" not in page
    assert "<h1>Box &amp; &lt;bed&gt;</h1>" in page
    assert "<p>a &lt; b &amp; c</p>" in page
    assert (
        html.unescape(page).count("x=0.5: ") == 2
    )  # its words below the picture, and for who does not see it
    assert page.count("data:image/png") == 4
    steps = re.findall(r"<li>(.*?)</li>", page)
    assert len(steps) == len(STEPS)
    assert steps[1] == "Cut at x 0.8"


def test_a_pdf_report_is_one(made):
    _, report = made
    data = written(report(), ".pdf")
    assert data.startswith(b"%PDF-1.")
    assert data.rstrip().endswith(b"%%EOF")
    assert len(re.findall(rb"/Type /Page\b", data)) >= 2
    assert data.count(b"/Subtype /Image") >= 3


def test_a_section_beside_the_grid_is_told_and_the_report_goes_on(made):
    _, report = made
    found = report(sections=[("x=9", plane_of("x=9")), ("tube", cylinder([1, 0.5, 0], [0, 0, 1], 0.2))])
    told = [part for part in found.parts if not isinstance(part, Heading | Rows | Picture)]
    assert any("does not meet the grid" in line for part in told for line in part.lines)
    assert sum("tube" in part.caption for part in found.parts if isinstance(part, Picture)) == 1


@pytest.mark.slow
@pytest.mark.parametrize("metric", list(BY_KEY))
@pytest.mark.parametrize("place", [None, "x=0.5"])
def test_every_metric_is_drawn(made, metric, place):
    cells, _ = made
    png = picture_of(cells, metric, place, "m")
    assert size_of(png) == (1080, 660)
    assert colours_in(png) > 20


def test_what_cannot_be_drawn_or_written_is_refused(made):
    cells, report = made
    with pytest.raises(BadValue, match="no metric"):
        picture_of(cells, "beauty", None, "m")
    with pytest.raises(BadValue, match="no plane"):
        picture_of(cells, "skewness", "w=3", "m")
    with pytest.raises(PlodekError, match="does not meet the grid"):
        picture_of(cells, "skewness", "x=99", "m")
    with pytest.raises(BadValue, match="no kind of report"):
        written(report(), ".docx")
    with pytest.raises(BadValue, match="no metric"):
        report(metric="beauty")


def test_the_commands_write_reports_and_pictures(tmp_path):
    recipe = tmp_path / "box.json"
    recipe.write_text(json.dumps({"plodek": 3, "steps": STEPS}))
    page, sheet = tmp_path / "r.html", tmp_path / "s.png"
    run = CliRunner().invoke
    done = run(command, ["report", str(recipe), "--to", str(page), "--section", "z=0.2", "--note", "tried"])
    assert done.exit_code == 0, done.output
    assert "z=0.2: " in page.read_text()
    assert "<h1>box</h1>" in page.read_text()
    assert run(command, ["build", str(recipe), "--to", str(tmp_path), "--format", "cgns"]).exit_code == 1
    told = ["report", str(recipe), "--to", str(page), "--dry-run", str(tmp_path / "box.cgns")]
    assert run(command, told).exit_code == 0
    assert "Dry run of box.cgns" in page.read_text()
    assert "uniform stream" in page.read_text()
    told = ["check", str(tmp_path / "box.cgns"), "--section", "z=0.2", "--picture", str(sheet)]
    assert run(command, told).exit_code == 0
    assert size_of(sheet.read_bytes()) == (1080, 660)


def test_a_file_with_nodes_that_have_no_place_is_told_with_the_first(tmp_path):
    recipe = tmp_path / "box.json"
    recipe.write_text(json.dumps({"plodek": 3, "steps": STEPS}))
    CliRunner().invoke(command, ["build", str(recipe), "--to", str(tmp_path), "--format", "cgns"])
    file = tmp_path / "box.cgns"
    with h5py.File(file, "r+") as data:
        found = []
        data.visititems(lambda name, one: found.append(one) if name.endswith("CoordinateY/ data") else None)
        values = found[0][...]
        values.flat[3] = np.nan
        found[0][...] = values
    done = CliRunner().invoke(command, ["check", str(file)])
    assert isinstance(done.exception, BadFile)
    assert "1 nodes have coordinates that are no usable numbers, the first at [4, 1, 1]" in str(
        done.exception
    )
    assert "zone Block0001" in str(done.exception)


def cube(*counts):
    return np.stack(np.meshgrid(*[np.arange(n + 1.0) for n in counts], indexing="ij"), axis=-1)


def test_a_grid_is_checked_from_python():
    found = plodek.check([cube(3, 2, 2)])
    assert found.passed
    assert found.cells.grid.cells == 12
    assert {s.metric.key: s.worst for s in found.summary}["scaled_jacobian"] == pytest.approx(1.0)
    assert not plodek.check([cube(3, 2, 2)], {"smallest_edge": 1.5}).passed
    plane = cube(3, 2, 1)[:, :, :1]
    assert plodek.check([plane]).cells.grid.dim == 2


def broken(value):
    nodes = cube(2, 2, 2)
    nodes[1, 2, 0, 1] = value
    return [nodes]


@pytest.mark.parametrize(
    ("blocks", "said"),
    [
        ([], "no blocks"),
        ([np.zeros((4, 4, 3))], "give nodes as"),
        ([np.zeros((1, 4, 4, 3))], "make no cell"),
        (broken(np.nan), r"1 nodes have no place.*block 1, the first at \(2, 3, 1\)"),
        (broken(np.inf), "1 nodes have no place"),
        (broken(-1e200), "beyond all use"),
    ],
)
def test_what_is_no_grid_is_told_with_the_place(blocks, said):
    with pytest.raises(BadValue) as found:
        plodek.check(blocks)
    assert re.search(said, f"{found.value.what} {found.value.where} {found.value.remedy}")


@pytest.mark.parametrize("size", [1e-40, 1e-9, 1e12, 1e39])
def test_grids_of_any_size_are_measured_alike(size):
    found = plodek.check([size * cube(2, 2, 1)])
    worst = {s.metric.key: s.worst for s in found.summary if s.metric.unit != "length"}
    assert worst == {
        "scaled_jacobian": pytest.approx(1), "smallest_angle": pytest.approx(90), "largest_angle": pytest.approx(90),
        "skewness": pytest.approx(0, abs=1e-9), "aspect_ratio": pytest.approx(1), "volume_ratio": pytest.approx(1),
        "non_orthogonality": pytest.approx(0, abs=1e-5), "edge_growth": pytest.approx(1), "alignment": pytest.approx(1),
        "face_skewness": pytest.approx(0, abs=1e-9), "warpage": 0,
    }  # fmt: skip


def test_flat_cells_are_folded_and_drawn_all_the_same():
    nodes = cube(3, 2, 2)
    nodes[..., 2] = 0.0
    found = plodek.check([nodes])
    assert found.gate.folded == 12
    assert size_of(picture_of(found.cells, "scaled_jacobian", None, "m"))

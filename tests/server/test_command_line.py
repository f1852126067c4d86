"""The command line as a user runs it."""

import ast
import json
import subprocess
import sys
from pathlib import Path

import pytest

from plodek.core.formats.registry import written
from tests.conftest import DEMO


def run(*arguments):
    return subprocess.run(
        [sys.executable, "-m", "plodek.cli", *map(str, arguments)],
        capture_output=True,
        text=True,
        check=False,
    )


@pytest.mark.slow
def test_build_and_check_the_demo(tmp_path):
    done = run("build", DEMO / "intake-pier.json", "--to", tmp_path, "--json")
    assert (done.returncode, done.stderr) == (0, "")
    facts = json.loads(done.stdout)
    assert facts["folded"] == 0
    assert facts["cells"] >= 60_000
    assert 35 <= facts["smallest_angle"] <= facts["largest_angle"] <= 145
    assert facts["patches"]["pier"]["type"] == "wall"
    assert len(facts["patches"]) == 7
    assert facts["blocks"] == 12
    assert all((tmp_path / name).exists() for name in facts["files"])
    checked = run("check", tmp_path / "intake-pier.cgns", "--json")
    again = json.loads(checked.stdout)
    assert checked.returncode == 0
    assert {k: again[k] for k in ("cells", "blocks", "folded", "patches")} == {
        k: facts[k] for k in ("cells", "blocks", "folded", "patches")
    }
    words = run("check", tmp_path / "intake-pier.cgns")
    assert "pier: wall" in words.stdout


def recipe(tmp_path, *steps):
    path = tmp_path / "r.json"
    path.write_text(json.dumps({"plodek": 1, "steps": steps}))
    return path


FRAME = {"kind": "frame", "id": "f", "width": 4, "height": 2}
SOLID = {"kind": "extrude", "id": "e", "depth": 1, "cells": 2}
REST = {"kind": "patch", "id": "p", "name": "walls", "faces": {"rest": True}}


@pytest.mark.slow
def test_the_gate_chamber_leaves_in_every_format_and_comes_back_by_each(tmp_path):
    """All that can be read back is proved, and each of the files is the beginning of another recipe."""
    done = run("build", DEMO / "gate-chamber.json", "--to", tmp_path, "--format", "all", "--prove", "--json")
    told = json.loads(done.stdout)
    assert done.returncode == 0, done.stderr
    endings = {one.endings[0] for one in written().values()}
    assert {Path(file).suffix for file in told["files"]} >= endings
    assert set(told["proofs"]) == {f"gate-chamber{ending}" for ending in endings}
    for file, map_of in (("gate-chamber.cgns", None), ("gate-chamber.xyz", "gate-chamber.map.json")):
        start = {"kind": "start-from-grid", "id": "s", "file": file, "map": map_of}
        again = run("build", recipe(tmp_path, start), "--to", tmp_path / "again", "--json")
        facts = json.loads(again.stdout)
        assert (facts["cells"], facts["patches"]) == (told["cells"], told["patches"])


def test_a_gate_that_is_missed_ends_with_1(tmp_path):
    strict = recipe(tmp_path, FRAME, SOLID, REST, {"kind": "gate", "id": "g", "aspect_ratio": 1.0})
    done = run("build", strict, "--to", tmp_path, "--format", "cgns", "--json")
    assert (done.returncode, json.loads(done.stdout)["gate"]) == (1, False)


@pytest.mark.parametrize(
    ("steps", "options", "words"),
    [
        (({"kind": "hollow", "id": "h"},), (), "step 1 (hollow) field “blocks”"),
        ((FRAME, {"kind": "cut", "id": "c", "at": [9]}), (), "step 2 (cut “c”): no edge crosses"),
        (({"kind": "read", "id": "r", "file": "nix.csv", "name": "p"},), (), "nix.csv"),
        ((FRAME, SOLID), (), "belong to no patch"),
        ((FRAME, SOLID, REST), ("--format", "pdf"), "is no format that grids are written in"),
        ((FRAME, SOLID, REST), ("--unit", "furlong"), "not a length unit"),
        ((), (), "no blocks yet"),
    ],
)
def test_bad_input_ends_with_2_and_one_clear_sentence(tmp_path, steps, options, words):
    done = run("build", recipe(tmp_path, *steps), "--to", tmp_path / "out", *options)
    assert (done.returncode, done.stdout) == (2, "")
    assert words.lower() in done.stderr.lower()
    assert done.stderr.count("\n") == 1
    assert "Traceback" not in done.stderr


def test_a_trivial_build_loads_nothing_that_it_does_not_need(tmp_path):
    """Readers of CAD, triangles and drawings take long to load, and so do the searches of scipy."""
    recipe = tmp_path / "box.json"
    recipe.write_text(json.dumps({"plodek": 3, "steps": [FRAME, SOLID, REST]}))
    wish = ["plodek", "build", str(recipe), "--to", str(tmp_path / "out")]
    code = f"import sys; sys.argv = {wish}; from plodek.cli import main; main(); print(sorted(sys.modules))"
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    loaded = set(ast.literal_eval(done.stdout.splitlines()[-1]))
    assert {"numba", "h5py", "plodek.core.build.build"} <= loaded
    heavy = {
        "OCP",
        "trimesh",
        "shapely",
        "matplotlib",
        "reportlab",
        "pyamg",
        "flask",
        "peewee",
        "scipy.spatial",
    }
    assert not heavy & loaded


def test_schema_prints_the_schema_of_recipes():
    found = json.loads(run("schema").stdout)
    assert "Ring" in found["$defs"]
    assert run("check", "/etc/hostname").returncode == 2
    assert run("sing").returncode == 2


@pytest.mark.slow
def test_guides_are_written_without_a_browser(tmp_path):
    step, stl = tmp_path / "vanes.step", tmp_path / "wall.stl"
    assert (
        "4 guides written"
        in run("guides", DEMO / "turning-vanes.json", "--to", step, "--guides", "row,nose").stdout
    )
    assert b"'vane-1'" in step.read_bytes()
    done = run("guides", DEMO / "dosing-venturi.json", "--to", stl, "--guides", "wall", "--unit", "m")
    assert done.returncode == 0
    heights = [float(line.split()[1]) for line in stl.read_text().splitlines() if "vertex" in line]
    assert (min(heights), max(heights)) == pytest.approx((-0.1, 0.6424046), abs=1e-9)
    line = recipe(tmp_path, {"kind": "line", "id": "l", "name": "bank", "start": [0, 0], "end": [4, 0]})
    for arguments, words in (
        (("--to", tmp_path / "a.obj"), "neither .step nor .stl"),
        (("--to", step, "--guides", "nix"), "no guide is called “nix”"),
        (("--to", stl), "none of the chosen guides is a surface"),
    ):
        bad = run("guides", line, *arguments)
        assert bad.returncode == 2
        assert words in bad.stderr.lower()

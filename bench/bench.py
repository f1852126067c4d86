"""Speed and memory, as ratios against a reference in the same run where there is one: `make bench`."""

from __future__ import annotations

import json
import resource
import subprocess
import sys
import tempfile
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import vtk
from answering import answering
from closest_places import closest_places
from handing_off import handing_off
from receiving import receiving
from report import DEMO, FILES, QUICK, demo_steps, say, seconds
from smoothing import smoothing, smoothing_in_space, smoothing_on_a_surface, untangling
from vtkmodules.util.numpy_support import numpy_to_vtk, numpy_to_vtkIdTypeArray

from plodek.core.build import build
from plodek.core.check.look.bricks import bricks_of
from plodek.core.check.look.cutter import plane
from plodek.core.check.look.section import section
from plodek.core.check.measure import measure
from plodek.core.grid.grid import Grid
from plodek.core.grid.numbering import Numbering
from plodek.core.model.model import Model
from plodek.core.recipe import document
from plodek.core.recipe.evaluation import Evaluator
from plodek.core.recipe.step import Context
from plodek.core.spacing import kernels
from plodek.server.api.grids.pictures import grid_picture
from plodek.server.api.models.effects import effect_of
from plodek.server.api.models.pictures import model_out
from plodek.server.api.packing import packed

SIDE = 4 if QUICK else 8
CROWD = 4 if QUICK else 18
VTK_ORDER = (0, 1, 3, 2, 4, 5, 7, 6)
VTK_METRICS = ("ScaledJacobian", "EquiangleSkew", "MaxEdgeRatio", "Volume")


def quality() -> None:
    """All metrics of a million cells, against VTK measuring its hexahedron metrics one after another."""
    n = 12 if QUICK else 100
    rng = np.random.default_rng(1)
    nodes = np.stack(np.meshgrid(*[np.arange(n + 1.0)] * 3, indexing="ij"), axis=-1)
    nodes += rng.uniform(-0.2, 0.2, nodes.shape)
    grid = Grid(3, ("a",), (nodes,))
    measure(grid)
    ours = seconds(lambda: measure(grid))
    index = np.arange((n + 1) ** 3).reshape(n + 1, n + 1, n + 1)
    corners = []
    for c in VTK_ORDER:
        i, j, k = c & 1, c >> 1 & 1, c >> 2
        corners.append(index[i : n + i, j : n + j, k : n + k].ravel())
    cells = np.stack([np.full(n**3, 8), *corners], axis=1).ravel()
    array = vtk.vtkCellArray()
    array.ImportLegacyFormat(numpy_to_vtkIdTypeArray(cells, deep=True))
    points = vtk.vtkPoints()
    points.SetData(numpy_to_vtk(nodes.reshape(-1, 3), deep=True))
    data = vtk.vtkUnstructuredGrid()
    data.SetPoints(points)
    data.SetCells(vtk.VTK_HEXAHEDRON, array)

    def theirs() -> None:
        for name in VTK_METRICS:
            filter_ = vtk.vtkMeshQuality()
            filter_.SetInputData(data)
            getattr(filter_, f"SetHexQualityMeasureTo{name}")()
            filter_.Update()

    ratio = seconds(theirs, 2) / ours
    say(
        f"quality: VTK's {len(VTK_METRICS)} metrics over our 8 and the volume, 1e6 cells",
        f"{ratio:.1f} x",
        ">= 8 x",
    )
    say("  ours alone", f"{ours:.2f} s", "")
    side = 20 if QUICK else 215
    run = [sys.executable, str(Path(__file__).with_name("measuring.py")), str(side)]
    found = json.loads(subprocess.run(run, check=True, capture_output=True, text=True).stdout)
    say("  ten million cells, basic metrics", f"{found['basic']:.1f} s", "< 8 s")
    say("  the other metrics of them", f"{found['others']:.1f} s", "")
    say("  histogram and worst cells of them", f"{found['looks']:.2f} s", "< 0.5 s")
    say("  memory beside the grid", f"{found['memory']:.0f} MB", "< 2048 MB")


def sections() -> None:
    """A section moved through five million cells, as it is sent, against VTK's cutter."""
    n = 12 if QUICK else 171
    nodes = np.stack(np.meshgrid(*[np.linspace(0, 1, n + 1)] * 3, indexing="ij"), axis=-1)
    grid = Grid(3, ("a",), (nodes,))
    bricks = bricks_of(grid)
    normal = np.array([1.0, 0.1, 0.2])

    def ours() -> None:
        cut = section(grid, bricks, plane(np.full(3, 0.503), normal))
        packed({}, {"nodes": cut.places.astype(np.float32), "triangles": cut.triangles, "lines": cut.lines})

    data, points = vtk.vtkStructuredGrid(), vtk.vtkPoints()
    points.SetData(numpy_to_vtk(np.ascontiguousarray(nodes.transpose(2, 1, 0, 3)).reshape(-1, 3), deep=True))
    data.SetDimensions(n + 1, n + 1, n + 1)
    data.SetPoints(points)
    surface = vtk.vtkPlane()
    surface.SetOrigin(0.503, 0.503, 0.503)
    surface.SetNormal(*normal)

    def theirs() -> None:
        cutter = vtk.vtkCutter()
        cutter.SetInputData(data)
        cutter.SetCutFunction(surface)
        cutter.Update()

    ours()
    took = seconds(ours)
    say(f"a section moved in {n**3 / 1e6:.1f} M cells", f"{1000 * took:.0f} ms", "< 150 ms")
    say("  VTK's cutter over ours", f"{seconds(theirs, 2) / took:.0f} x", "")


def many_blocks() -> None:
    """The whole `build` of 1000 blocks of 1000 cells as CGNS, against the same cells in one block."""
    side = 2 if QUICK else 10
    frame = {"kind": "frame", "id": "f", "shape": "box", "width": side, "height": side, "depth": side}
    rest = {"kind": "patch", "id": "p", "name": "all", "faces": {"rest": True}}
    cuts = [{"kind": "cut", "id": f"c{a}", "by": a, "at": list(range(1, side))} for a in "xyz"]
    took = {}
    with tempfile.TemporaryDirectory() as folder:
        for name, between, cells in (("one", [], 10 * side), ("many", cuts, 10)):
            count = {"kind": "count", "id": "n", "tier": {"all": True}, "cells": cells}
            recipe = Path(folder, f"{name}.json")
            recipe.write_text(json.dumps({"plodek": 3, "steps": [frame, *between, count, rest]}))
            command = [sys.executable, "-m", "plodek.cli", "build", str(recipe), "--to", folder]
            took[name] = seconds(lambda c=command: subprocess.run([*c, "--format", "cgns"], check=True,  # type: ignore[misc]
                                                                  stdout=subprocess.DEVNULL), 1)  # fmt: skip
    say(
        f"build of {side**3} blocks of 1000 cells; in one block {took['one']:.1f} s",
        f"{took['many']:.1f} s",
        f"< {3 * took['one'] + 2:.1f} s",
    )


def numbering() -> None:
    """Numbers for the nodes of a grid of many blocks."""
    side = 2 if QUICK else 6
    frame = {"kind": "frame", "id": "f", "shape": "box", "width": side, "height": side, "depth": side}
    cuts = [{"kind": "cut", "id": f"c{a}", "by": a, "at": list(range(1, side))} for a in "xyz"]
    count = {"kind": "count", "id": "n", "tier": {"all": True}, "cells": 5 if QUICK else 35}
    found = Evaluator().evaluate(document.of({"steps": [frame, *cuts, count]}), FILES)
    grid = build.filled_grid(found.model)
    nodes = sum(block.size // 3 for block in grid.xyz)
    Numbering.of(grid)
    took = seconds(lambda: Numbering.of(grid), 2)
    say(
        f"numbering of {nodes / 1e6:.1f} M nodes in {len(grid.xyz)} blocks", f"{took:.2f} s", "< 2 s for 10 M"
    )


def previews() -> None:
    """Memory of the process over 500 previews on 518 blocks."""
    frame = {"kind": "frame", "id": "f", "shape": "box", "width": SIDE, "height": SIDE, "depth": SIDE}
    cuts = [{"kind": "cut", "id": f"c{a}", "by": a, "at": list(range(1, SIDE))} for a in "xyz"]
    evaluator = Evaluator()
    before = _resident()
    for n in range(20 if QUICK else 500):
        ring = {"kind": "ring", "id": "r", "thickness": 0.1 + n * 1e-5, "blocks": {"at": [1.5, 1.5, 1.5]}}
        found = evaluator.evaluate(document.of({"steps": [frame, *cuts, ring]}), FILES)
        model_out(found)
    say("memory that 500 previews on 518 blocks keep", f"{_resident() - before:.0f} MB", "< 600 MB")


def _resident() -> float:
    """Give the memory of this process in MB."""
    pages = int(Path("/proc/self/statm").read_text().split()[1])
    return pages * resource.getpagesize() / 1024**2


def evaluation() -> None:
    """The demo recipe from nothing, and after a change of a late step."""
    steps = demo_steps()
    found = document.of({"steps": steps})
    Evaluator().evaluate(found, FILES)
    whole = seconds(lambda: Evaluator().evaluate(found, FILES))
    warm = Evaluator()
    warm.evaluate(found, FILES)
    names = iter(range(1000))

    def late() -> None:
        changed = [dict(s) for s in steps]
        changed[-3] = changed[-3] | {"name": f"top{next(names)}"}
        warm.evaluate(document.of({"steps": changed}), FILES)

    say(f"evaluating the demo recipe, {len(steps)} steps, from nothing", f"{1e3 * whole:.0f} ms", "< 100 ms")
    say("  one late step changed", f"{1e3 * seconds(late):.1f} ms", "< 20 ms")


def operations() -> None:
    """Operations on a layout of 512 blocks in space, and what its ghost takes on the server."""
    frame = {"kind": "frame", "id": "f", "shape": "box", "width": 8, "height": 8, "depth": 8}
    cuts = [{"kind": "cut", "id": f"c{a}", "by": a, "at": list(range(1, 8))} for a in "xyz"]
    evaluator = Evaluator()
    base = [frame, *cuts]
    model = evaluator.evaluate(document.of({"steps": base}), FILES).model
    block: dict[str, Any] = {"blocks": {"at": [4.5, 4.5, 4.5]}}
    steps: tuple[dict[str, Any], ...] = (
        {"kind": "cut", "by": "x", "at": [0.5]},
        {"kind": "ring", "thickness": 0.1} | block,
        {"kind": "butterfly", "walls": {"around": {"at": [4.5, 4.5, 4.5]}}} | block,
        {"kind": "hollow"} | block,
        {"kind": "grow", "sides": {"side": "x+"}, "distance": 1},
        {"kind": "merge", "blocks": {"each": [[0.5, 0.5, 0.5], [1.5, 0.5, 0.5]]}},
        {"kind": "pin", "corner": {"at": [4, 4, 4]}, "to": [4.1, 4, 4]},
    )
    context = Context(FILES, lambda name: model)
    for raw in steps:
        (step,) = document.of({"steps": [raw | {"id": "s"}]}).steps
        took = seconds(lambda step=step: step.apply(model, context))  # type: ignore[misc]
        say(f"{raw['kind']} on {len(model.layout.blocks)} blocks", f"{1e3 * took:.0f} ms", "< 50 ms")
    names = iter(range(1000))

    def ghost() -> None:
        ring = {"kind": "ring", "id": f"r{next(names)}", "thickness": 0.1} | block
        found = evaluator.evaluate(document.of({"steps": [*base, ring]}), FILES)
        effect_of(found.model)
        model_out(found).model_dump_json()

    say(
        "  a ring evaluated, with its effect, as JSON for the ghost",
        f"{1e3 * seconds(ghost):.0f} ms",
        "< 150 ms",
    )


def spacing() -> None:
    """A count changed on five million cells in space; the laws of twenty thousand edges."""
    steps = [s for s in json.loads((DEMO / "intake-pier.json").read_text())["steps"] if s["kind"] != "smooth"]
    finer = {
        "kind": "factor",
        "id": "finer",
        "factor": 1.2 if QUICK else 3.3,
        "sizes_set": "first heights kept",
    }
    evaluator, counts = Evaluator(), iter(range(150, 1000))
    evaluator.evaluate(document.of({"steps": [*steps, finer]}), FILES)

    def changed() -> Model:
        count = {"kind": "count", "id": "n", "tier": {"at": [3.6, 0, 0]}, "cells": next(counts)}
        found = evaluator.evaluate(document.of({"steps": [*steps, finer, count]}), FILES)
        effect_of(found.model)
        model_out(found).model_dump_json()
        return found.model

    cells = changed().cells
    took = seconds(changed)
    say(f"a count changed on {cells / 1e6:.1f} M cells: chart and totals", f"{1e3 * took:.0f} ms", "< 50 ms")
    model = changed()
    took = seconds(lambda: grid_picture(build.shell(model), model=model))
    say("  its visible faces", f"{1e3 * took:.0f} ms", "< 400 ms")
    rng = np.random.default_rng(3)
    edges = 200 if QUICK else 20_000
    sizes = np.full((edges, 4), np.nan)
    sizes[:, 0], sizes[::2, 1] = rng.uniform(1e-4, 1e-2, edges), rng.uniform(1e-3, 5e-2, edges // 2)
    laws = np.where(np.arange(edges) % 2, kernels.GEOMETRIC, kernels.TANH)
    starts, nodes = np.arange(edges + 1) * 41, np.empty(41 * edges)
    layers = np.zeros(edges, dtype=np.int64)
    took = seconds(lambda: kernels.lay_all(laws, sizes, layers, starts, nodes))
    say(f"laws of {edges} edges of 40 cells", f"{1e3 * took:.0f} ms", "< 200 ms")
    crowd = _crowd()
    took = seconds(lambda: crowd.with_spacing(replace(crowd.spacing)).laid)
    say(f"spacing of a layout with {len(crowd.paths)} edges, all of it", f"{1e3 * took:.0f} ms", "< 200 ms")


def _crowd() -> Model:
    """Give a box of 5832 blocks with a law on nearly all of its edges."""
    frame = {"kind": "frame", "id": "f", "shape": "box", "width": CROWD, "height": CROWD, "depth": CROWD}
    cuts = [{"kind": "cut", "id": f"c{a}", "by": a, "at": list(range(1, CROWD))} for a in "xyz"]
    laws = [
        {"kind": "space", "id": f"s{a}{k}", "tier": {"at": [k + 0.5 if a == b else 0 for b in "xyz"]},
         "law": "tanh" if k % 2 else "geometric", "cells": 20, "first": 0.01}
        for a in "xyz" for k in range(CROWD)
    ]  # fmt: skip
    found = Evaluator().evaluate(document.of({"steps": [frame, *cuts, *laws]}), FILES)
    assert found.error is None
    return found.model


def main() -> None:
    """Run all."""
    spacing()
    quality()
    sections()
    closest_places()
    smoothing()
    smoothing_in_space()
    smoothing_on_a_surface()
    untangling()
    evaluation()
    operations()
    numbering()
    handing_off()
    receiving()
    many_blocks()
    previews()
    answering()
    peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
    say("peak memory of this run, VTK's copies included", f"{peak:.0f} MB", "")


if __name__ == "__main__":
    main()

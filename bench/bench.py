"""Speed and memory, as ratios against a reference in the same run where there is one: `make bench`."""

from __future__ import annotations

import json
import resource
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import vtk
from vtkmodules.util.numpy_support import numpy_to_vtk, numpy_to_vtkIdTypeArray

import plodek.demo
from plodek.core.check.metrics import measure
from plodek.core.grid.grid import Grid
from plodek.core.recipe import build, recipe
from plodek.core.smooth.smooth import SmoothSettings, smooth

DEMO = Path(next(iter(plodek.demo.__path__)))
VTK_ORDER = (0, 1, 3, 2, 4, 5, 7, 6)
VTK_METRICS = ("ScaledJacobian", "EquiangleSkew", "MaxEdgeRatio", "Volume")


def seconds(work: Callable[[], object], times: int = 5) -> float:
    """Give the best of several runs, in seconds."""
    best = float("inf")
    for _ in range(times):
        began = time.perf_counter()
        work()
        best = min(best, time.perf_counter() - began)
    return best


def say(what: str, value: str, wanted: str) -> None:
    """Print one line of the report."""
    print(f"{what:<62} {value:>18}   wanted {wanted}")


def quality() -> None:
    """All metrics of a million cells, against VTK measuring its hexahedron metrics one after another."""
    n = 100
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
        f"quality: VTK's {len(VTK_METRICS)} metrics over our 7 and the volume, 1e6 cells",
        f"{ratio:.1f} x",
        ">= 5 x",
    )
    say("  ours alone", f"{ours:.2f} s", "")


def demo_steps() -> list[dict[str, Any]]:
    """Give the steps of the demo recipe."""
    return json.loads((DEMO / "intake-pier.json").read_text())["steps"]


def read_file(name: str) -> bytes:
    """Read a demo file."""
    return (DEMO / name).read_bytes()


def smoothing() -> None:
    """Node updates a second with wall control, beside a plain copy of the same arrays."""
    steps = [
        s | {"cells": 6 * s["cells"]} if s["kind"] in ("count", "space") else s
        for s in demo_steps()
        if s["kind"] not in ("smooth", "extrude", "patch")
    ]
    model = recipe.Evaluator().evaluate(recipe.of({"steps": steps}), read_file).model
    plane = build.plane_grid(model)
    blocks = dict(zip(plane.names, plane.xyz, strict=True))
    walls = tuple(e for e in model.layout.follows)
    nodes = sum(b.shape[0] * b.shape[1] for b in blocks.values())
    sweeps = 200

    def run(count: int) -> None:
        settings = SmoothSettings(count, control=True, walls=walls, tolerance=0.0, strict=0.1)
        smooth(model.layout, model.laid, blocks, settings)

    run(10)
    per_sweep = (seconds(lambda: run(sweeps), 2) - seconds(lambda: run(10), 2)) / (sweeps - 10)
    copies = [np.random.default_rng(0).uniform(size=(nodes, 2)) for _ in range(2)]
    copy = seconds(lambda: np.copyto(copies[0], copies[1]), 20)
    say(
        f"smoothing with control, {nodes} nodes: updates a second",
        f"{nodes / per_sweep / 1e6:.1f} million",
        ">= 15 million",
    )
    say("  a plain copy of the same nodes", f"{nodes / copy / 1e6:.0f} million", "(beside it)")


def evaluation() -> None:
    """The demo recipe from nothing, and after a change of a late step."""
    steps = demo_steps()
    found = recipe.of({"steps": steps})
    recipe.Evaluator().evaluate(found, read_file)
    whole = seconds(lambda: recipe.Evaluator().evaluate(found, read_file))
    warm = recipe.Evaluator()
    warm.evaluate(found, read_file)
    names = iter(range(1000))

    def late() -> None:
        changed = [dict(s) for s in steps]
        changed[-3] = changed[-3] | {"name": f"top{next(names)}"}
        warm.evaluate(recipe.of({"steps": changed}), read_file)

    say(f"evaluating the demo recipe, {len(steps)} steps, from nothing", f"{1e3 * whole:.0f} ms", "< 100 ms")
    say("  one late step changed", f"{1e3 * seconds(late):.1f} ms", "< 20 ms")


def main() -> None:
    """Run all."""
    quality()
    smoothing()
    evaluation()
    peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
    say("peak memory of this run, VTK's copies included", f"{peak:.0f} MB", "")


if __name__ == "__main__":
    main()

"""Speed of the runs over a grid: smoothing in the plane and in space, untangling."""

from __future__ import annotations

import time
import tracemalloc
from dataclasses import replace

import numpy as np
from report import FILES, FINER, QUICK, demo_steps, say, seconds

from plodek.core.build import build
from plodek.core.build.assemble import assemble
from plodek.core.build.sides import sides_of
from plodek.core.grid.grid import Grid
from plodek.core.grid.numbering import Numbering
from plodek.core.grid.window import Window
from plodek.core.recipe import document
from plodek.core.recipe.evaluation import Evaluator
from plodek.core.smooth.settings import Parts, ShapeSettings, SmoothSettings
from plodek.core.smooth.shaping.shape import shape
from plodek.core.smooth.sides import Gliding, Sides
from plodek.core.smooth.smooth import MOST_OF_SHEETS, smooth

BALL = {"kind": "sphere", "id": "ball", "name": "ball", "centre": [0, 0, 0], "radius": 1}


def updates(grid: Grid, sides: Sides, settings: SmoothSettings, nodes: int, sweeps: int) -> float:
    """Give million node updates a second of more sweeps, the start left out."""
    few = replace(settings, sweeps=10)
    whole = seconds(lambda: smooth(grid, sides, settings), 2)
    return nodes * (sweeps - 10) / max(whole - seconds(lambda: smooth(grid, sides, few), 2), 1e-9) / 1e6


def smoothing_in_space() -> None:
    """Node updates a second in space, and a butterfly in a pipe from filled to settled; work for its size."""
    took = {}
    for cells in (8, 16) if QUICK else (16, 26, 50):
        steps = [
            {"kind": "frame", "id": "f", "shape": "cylinder", "centre": [0, 0, 0], "outer": 1, "depth": 4},
            {"kind": "butterfly", "id": "b", "blocks": {"all": True}, "core": 0.5, "bow": 0.3},
            *(
                {"kind": "count", "id": f"c{n}", "tier": {"at": at}, "cells": count}
                for n, (at, count) in enumerate(
                    (
                        ([0, 0.4, 0], cells),
                        ([0.4, 0, 0], cells),
                        ([0.55, 0.55, 0], cells),
                        ([0, 0, 2], 2 * cells),
                    )
                )
            ),
        ]
        model = Evaluator().evaluate(document.of({"steps": steps}), FILES).model
        grid = build.filled_grid(model)
        blocks = dict(zip(grid.names, grid.xyz, strict=True))
        nodes = Numbering.of(grid).count
        began = time.perf_counter()
        done = smooth(grid, Sides(), SmoothSettings(3000, control=True))
        took[nodes] = time.perf_counter() - began
        say(
            f"smoothing in space, {nodes} nodes, filled to settled",
            f"{took[nodes]:.1f} s, {done.progress.sweeps} sweeps, {done.progress.note}",
            "<= 60 s at a million",
        )
        if cells == (8 if QUICK else 26):
            tracemalloc.start()
            smooth(grid, Sides(), SmoothSettings(80, control=True))
            beside = tracemalloc.get_traced_memory()[1] / nodes
            tracemalloc.stop()
            say("  memory beside the grid", f"{beside:.0f} bytes a node", "<= 250")
    few, many = min(took), max(took)
    growth = np.log(took[many] * few / (took[few] * many)) / np.log(many / few)
    say("  work for a node grows with the number of nodes to the power", f"{growth:.2f}", "<= 0.15")
    sweeps = 20 if QUICK else 60
    for control, least in ((True, 25), (False, 35)):
        settings = SmoothSettings(sweeps, control=control, tolerance=0.0, coarse_first=False)
        speed = updates(grid, sides_of(model, blocks, settings), settings, nodes, sweeps)
        words = "with" if control else "without"
        say(f"  updates a second {words} control", f"{speed:.1f} million", f">= {least} million")


def smoothing() -> None:
    """Node updates a second with wall control, beside a plain copy of the same arrays."""
    steps = [
        s | {"cells": FINER * s["cells"]} if s.get("cells") and s["kind"] in ("count", "space") else s
        for s in demo_steps()
        if s["kind"] not in ("smooth", "extrude", "patch")
    ]
    model = Evaluator().evaluate(document.of({"steps": steps}), FILES).model
    plane = build.filled_grid(model)
    blocks = dict(zip(plane.names, plane.xyz, strict=True))
    walls = tuple(e for e in model.layout.follows)
    nodes = sum(b.shape[0] * b.shape[1] for b in blocks.values())
    grid = assemble(model, blocks)

    def million(count: int, control: bool) -> float:
        parts = Parts(walls=walls if control else ())
        settings = SmoothSettings(count, parts, control=control, tolerance=0.0, coarse_first=False)
        sides = sides_of(model, blocks, settings)
        return updates(grid, sides, settings, nodes, count)

    million(10, True)
    sweeps = 20 if QUICK else 200
    copies = [np.random.default_rng(0).uniform(size=(nodes, 2)) for _ in range(2)]
    copy = seconds(lambda: np.copyto(copies[0], copies[1]), 20)
    for control, words in ((True, "with control"), (False, "without control")):
        say(
            f"smoothing {words} in the plane, {nodes} nodes: updates a second",
            f"{million(sweeps, control):.1f} million",
            ">= 60 million" if control else "",
        )
    say("  a plain copy of the same nodes", f"{nodes / copy / 1e6:.0f} million", "(beside it)")


def smoothing_on_a_surface() -> None:
    """Node updates a second of a side that moves by itself on a sphere, onto which its nodes go back."""
    n = 40 if QUICK else 150
    ball = Evaluator().evaluate(document.of({"steps": [BALL]}), FILES).model.guides["ball"]
    theta, phi, r = np.meshgrid(
        np.linspace(0.9, 1.9, n + 1), np.linspace(0, 1, n + 1), [1.0, 1.1, 1.2], indexing="ij"
    )
    xyz = np.stack(
        [r * np.sin(theta) * np.cos(phi), r * np.sin(theta) * np.sin(phi), r * np.cos(theta)], axis=-1
    )
    unnamed = tuple(Window(0, axis, end) for axis in range(3) for end in (0, 1))
    grid = Grid(3, ("a",), (np.ascontiguousarray(xyz),), unnamed=unnamed)
    sides = Sides(spread=(Gliding(Window(0, 2, 0), ball),))
    settings = SmoothSettings(1, control=True, tolerance=0.0, coarse_first=False)
    took = seconds(lambda: smooth(grid, sides, settings), 2)
    speed = (n - 1) ** 2 * MOST_OF_SHEETS / took / 1e6
    say(f"smoothing on a sphere, {n * n} nodes: updates a second", f"{speed:.1f} million", ">= 5 million")


def untangling() -> None:
    """A box whose inner nodes are displaced at random by up to a cell, until nothing is folded."""
    for cells in (6, 12) if QUICK else (24, 48):
        frame = {"kind": "frame", "id": "f", "shape": "box", "width": cells, "height": cells, "depth": cells}
        counts = [
            {
                "kind": "count",
                "id": f"c{n}",
                "tier": {"at": [cells / 2 * (n == a) for a in range(3)]},
                "cells": cells,
            }
            for n in range(3)
        ]
        model = Evaluator().evaluate(document.of({"steps": [frame, *counts]}), FILES).model
        grid = build.filled_grid(model)
        (block,) = grid.xyz
        moved = block.copy()
        moved[1:-1, 1:-1, 1:-1] += np.random.default_rng(0).uniform(-1, 1, moved[1:-1, 1:-1, 1:-1].shape)
        began = time.perf_counter()
        run = shape(replace(grid, xyz=(moved,)), Sides(), ShapeSettings(4000))
        took = time.perf_counter() - began
        say(
            f"untangling {run.began.folded} of {cells**3} cells",
            f"{took:.1f} s, {run.progress.folded} folded",
            "0 folded",
        )

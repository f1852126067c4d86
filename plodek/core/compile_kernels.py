"""Compile all kernels once, so that the first use is not slow: a small grid through every stage."""

from __future__ import annotations

import tempfile
from pathlib import Path

from plodek.core.check.metrics import measure
from plodek.core.recipe import build, recipe

_STEPS = [
    {"kind": "circle", "id": "c", "name": "c", "centre": [1, 1], "radius": 0.3},
    {"kind": "frame", "id": "f", "width": 2, "height": 2},
    {"kind": "cut", "id": "x", "by": "x", "at": [0.7, 1.3]},
    {"kind": "cut", "id": "y", "by": "y", "at": [0.7, 1.3]},
    {"kind": "hollow", "id": "h", "blocks": {"at": [1, 1]}},
    {"kind": "ring", "id": "r", "blocks": {"at": [1, 1]}, "thickness": 0.2},
    {"kind": "follow", "id": "w", "guide": "c", "edges": {"around": {"at": [1, 1]}}},
    {"kind": "smooth", "id": "s", "sweeps": 10, "control": "wall control"},
    {"kind": "extrude", "id": "e", "depth": 1, "cells": 2},
]


def main() -> None:
    """Build and measure the small grid, plane and in space; numba keeps what it compiled."""
    with tempfile.TemporaryDirectory() as folder:
        evaluation = recipe.Evaluator().evaluate(
            recipe.of({"steps": _STEPS}), lambda name: Path(folder, name).read_bytes()
        )
    if evaluation.error is not None:
        raise evaluation.error
    measure(build.plane_grid(evaluation.model))
    measure(build.build(evaluation.model).grid)


if __name__ == "__main__":
    main()

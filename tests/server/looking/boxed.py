"""A box of cells for tests of what is looked at in a grid, sections of it, and pictures opened."""

import json

import numpy as np

from tests.conftest import numbered

STEPS = numbered(
    [
        {"kind": "line", "name": "path", "start": [0, 0.5, 0.5], "end": [2, 0.5, 0.5]},
        {"kind": "frame", "shape": "box", "width": 2, "height": 1, "depth": 1},
        {"kind": "budget", "cells": 2000},
        {"kind": "patch", "name": "all", "type": "wall", "faces": {"rest": True}},
    ]
)
PLANE = {"kind": "plane", "point": [0.4, 0, 0], "axis": [1, 0, 0]}
KEPT = {
    "kind": "plane", "point": None, "axis": None, "through": None, "guide": "", "at": 0.5, "radius": 0.0,
    "moved": 0.0, "whole": False, "shown": True,
}  # fmt: skip


def opened(answer):
    """Give the index and the arrays of a binary picture."""
    assert answer.status_code == 200, answer.json
    size = int(np.frombuffer(answer.data[:4], np.uint32)[0])
    index = json.loads(answer.data[4 : 4 + size])
    return index, {
        name: np.frombuffer(answer.data, at["type"], at["length"], 4 + size + at["start"])
        for name, at in index["arrays"].items()
    }

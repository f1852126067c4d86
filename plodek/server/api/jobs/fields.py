"""The picture of a dry run's flow, in the form of a picture of a grid."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np

from plodek.server.api.grids.pictures import UNNAMED
from plodek.server.api.packing import packed


def field_picture(seen: Mapping[str, np.ndarray[Any, Any]], field: str) -> bytes:
    """Draw what is seen from outside: faces with the values of a field, and lines of equal potential.

    There are no lines of the grid, and no sides; borders are the lines of equal potential.
    """
    points, lines = (seen[name] / float(seen["factor"]) for name in ("points", "lines"))
    low, high = points.min(axis=0), points.max(axis=0)
    origin = 0.5 * (low + high)
    nodes = np.concatenate([points, lines.reshape(-1, 3)]) - origin
    ends = len(points) + np.arange(2 * len(lines), dtype=np.uint32).reshape(-1, 2)
    patch = np.where(seen["patch"] < 0, UNNAMED, seen["patch"])
    values = seen[field] / (float(seen["factor"]) if field == "potential" else 1.0)
    index = {
        "dim": 3,
        "cells": 0,
        "coarse": False,
        "origin": origin.tolist(),
        "patches": seen["names"].tolist(),
        "origins": [],
        "edges": {},
        "low": float(values.min()),
        "high": float(values.max()),
    }
    return packed(
        index,
        {
            "nodes": nodes.astype(np.float32),
            "faces": seen["faces"].astype(np.uint32),
            "lines": np.empty((0, 2), dtype=np.uint32),
            "borders": ends,
            "groups": patch.astype(np.uint16),
            "sides": np.zeros(len(values), dtype=np.uint32),
            "values": values.astype(np.float32),
        },
    )

"""What a stored file holds, in plain values."""

from __future__ import annotations

from typing import Any

import numpy as np

from plodek.core.formats import block_map
from plodek.core.grid.grid import Grid
from plodek.core.shape.files import geometry_file


def file_facts(name: str, packed: bytes) -> dict[str, Any]:
    """Tell what packed contents of a geometry file hold."""
    found = geometry_file.summary(packed, name)
    return facts(
        name, found.kind, found.counts,
        unit=found.unit, file_unit=found.file_unit, names=list(found.names), left_out=list(found.left_out),
        low=list(found.low), high=list(found.high),
    )  # fmt: skip


def grid_facts(name: str, found: Grid, unit: str) -> dict[str, Any]:
    """Tell what a file of a grid holds that has been read, with its unit."""
    ends = np.array([[f(nodes.reshape(-1, 3), axis=0) for nodes in found.xyz] for f in (np.min, np.max)])
    names = [patch.name for patch in found.patches]
    counts = {
        "cells": found.cells, "blocks": len(found.xyz), "patches": len(names),
        "interfaces": len(found.interfaces) + len(found.periodic),
    }  # fmt: skip
    return facts(
        name, "grid", {what: count for what, count in counts.items() if count}, unit=unit, names=names,
        low=ends[0].min(axis=0).tolist(), high=ends[1].max(axis=0).tolist(),
    )  # fmt: skip


def map_facts(name: str, data: bytes) -> dict[str, Any]:
    """Tell what the map of a grid holds. Raises BadFile."""
    counts, unit = block_map.counted(data, name)
    return facts(name, "map", counts, unit=unit)


def facts(name: str, kind: str, counts: dict[str, int], **others: Any) -> dict[str, Any]:
    """Give all that is told of a file, what there is nothing to say of as empty."""
    empty: dict[str, Any] = {
        "unit": "", "file_unit": "", "names": [], "left_out": [], "title": "", "closed": False, "gap": 0.0,
        "low": [], "high": [],
    }  # fmt: skip
    return {"name": name, "kind": kind, "counts": counts} | empty | others

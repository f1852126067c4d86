"""What is asked of a grid without a screen: worst cells, a metric by parts, and a section, as rows."""

from __future__ import annotations

import csv
from collections.abc import Mapping, Sequence
from dataclasses import asdict
from pathlib import Path
from typing import Any

import numpy as np

from plodek.core.check.groups import by_block, by_patch, by_region
from plodek.core.check.look.bricks import bricks_of
from plodek.core.check.look.cutter import Cutter, plane
from plodek.core.check.look.pieces import Pieces
from plodek.core.check.look.section import section
from plodek.core.check.measure import CellValues
from plodek.core.check.metric import DEFAULT_LIMITS, there
from plodek.core.check.metrics import known
from plodek.core.check.quality import worst_cells
from plodek.core.check.tables import table
from plodek.core.errors import BadFile, BadValue
from plodek.core.grid.grid import Grid

_BY = {"block": by_block, "region": by_region, "patch": by_patch}


def looked_into(
    grid: Grid,
    cells: CellValues,
    metric: str,
    *,
    worst: int = 0,
    by: str | None = None,
    place: str | None = None,
) -> dict[str, list[dict[str, Any]]]:
    """List the worst cells, the metric by block, region or patch, and what a plane such as ``x=0.3`` cuts.

    Raises BadValue for a metric or a plane that is none, NothingFound for one beside the grid.
    """
    known(metric)
    found: dict[str, list[dict[str, Any]]] = {}
    if worst:
        found["worst"] = [
            {"block": grid.names[c.block], **dict(zip("ijk", c.index, strict=True)), metric: c.value}
            | dict(zip("xyz", c.at, strict=True))
            for c in worst_cells(grid, cells, metric, worst)
        ]
    if by is not None:
        limit = DEFAULT_LIMITS.get(metric)
        found["by"] = [
            {by: (told := asdict(row)).pop("name"), **told}
            for row in table(cells, metric, _BY[by](grid), limit)
        ]
    if place is not None:
        found["section"] = [_section(grid, cells, metric, place)]
    return found


def plane_of(place: str) -> Cutter:
    """Read a plane such as ``x=0.3``. Raises BadValue for what is none."""
    axis, _, text = place.partition("=")
    try:
        at = float(text)
    except ValueError:
        at = np.nan
    if axis not in ("x", "y", "z") or not np.isfinite(at):
        raise BadValue(f"“{place[:80]}” is no plane", remedy="write x=0.3, y=0.3 or z=0.3")
    normal = np.eye(3)["xyz".index(axis)]
    return plane(at * normal, normal)


def cut_at(grid: Grid, place: str) -> Pieces:
    """Cut a grid with a plane such as ``x=0.3``. Raises BadValue for none, NothingFound beside the grid."""
    if grid.dim == 2:
        raise BadValue("a plane grid has no sections", remedy="lift it first")
    return section(grid, bricks_of(grid), plane_of(place))


def _section(grid: Grid, cells: CellValues, metric: str, place: str) -> dict[str, Any]:
    cut = cut_at(grid, place)
    own = there(cells.of(metric)[np.unique(cut.cells)])
    return {
        "plane": place,
        "area": cut.area,
        "cells": len(own),
        "worst": known(metric).worst(own) if len(own) else None,
        "mean": float(own.mean()) if len(own) else None,
    }


def lines_of(lists: Mapping[str, Sequence[Mapping[str, Any]]]) -> list[str]:
    """Put lists into lines: a head with the names, and the rows below it, in columns."""
    lines = []
    for rows in lists.values():
        if rows:
            told = [list(rows[0]), *([_text(value) for value in row.values()] for row in rows)]
            widths = [max(len(row[n]) for row in told) for n in range(len(told[0]))]
            lines += [
                "  ".join(text.rjust(w) for text, w in zip(row, widths, strict=True)) for row in told
            ] + [""]
    return lines


def write_csv(path: Path, lists: Sequence[Sequence[Mapping[str, Any]]]) -> None:
    """Write lists as CSV, one below the other. Raises BadFile where that cannot be done."""
    try:
        with path.open("w", newline="", encoding="utf-8") as file:
            for rows in lists:
                if rows:
                    writer = csv.DictWriter(file, list(rows[0]))
                    writer.writeheader()
                    writer.writerows(rows)
    except OSError as error:
        raise BadFile(
            f"it cannot be written ({error.strerror})", where=str(path), remedy="choose another --csv"
        ) from error


def _text(value: object) -> str:
    return f"{value:.6g}" if isinstance(value, float) else str(value)

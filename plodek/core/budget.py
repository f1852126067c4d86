"""How much is taken on: one table of limits, each counted before anything is made that it bounds.

Every limit may be set by an environment variable of its name: ``PLODEK_MOST_CELLS=80000000``.
"""

from __future__ import annotations

import os
from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path

from plodek.core.errors import BadValue, OverBudget


@dataclass(frozen=True)
class Limit:
    """The most of something: how much where nothing is set, of what, and what helps beyond it."""

    default: int
    of: str
    remedy: str


LIMITS: Mapping[str, Limit] = {
    "cells": Limit(50_000_000, "cells in a grid", "take fewer cells on a tier, a budget or a smaller factor"),
    "preview_cells": Limit(4_000_000, "cells in a preview", "keep the step: the whole grid may be larger"),
    "faces": Limit(8_000_000, "faces in a picture", "show single blocks or a layer of a tier"),
    "edge_cells": Limit(20_000_000, "cells along all edges", "take fewer cells on a tier, or fewer blocks"),
    "tier_cells": Limit(10_000, "cells on one tier", "wish larger cells, or take a smaller factor"),
    "blocks": Limit(20_000, "blocks", "take fewer copies, parts or cuts"),
    "guides": Limit(20_000, "guides", "take fewer copies, or fewer guides to copy"),
    "rows": Limit(200_000, "rows in a file of points", "thin the points out, or divide the file"),
    "sections": Limit(2_000, "sections in a file", "thin the sections out, or divide the file"),
    "dry_run_cells": Limit(3_000_000, "cells in a dry run", "prove the file without it, or a coarser grid"),
    "triangles": Limit(5_000_000, "triangles in a file", "make the mesh coarser, or divide the file"),
    "upload_mb": Limit(200, "MB in an upload", "send a smaller file"),
    "files_of_user_mb": Limit(5_000, "MB in all files of a user", "delete projects that are not needed"),
    "files_mb": Limit(50_000, "MB in all files on this server", "ask whoever looks after it for room"),
    "unpacked_mb": Limit(2_000, "MB unpacked from a ZIP file", "pack the files of one grid alone"),
    "json_mb": Limit(8, "MB of JSON", "read long lists of places from a file of points"),
    "json_values": Limit(500_000, "values in JSON", "read long lists of places from a file of points"),
    "json_depth": Limit(60, "lists within each other in JSON", "look whether it is a recipe"),
    "evaluation_seconds": Limit(120, "seconds for one evaluation", "take out the step that takes long"),
    "reading_seconds": Limit(600, "seconds for reading one file", "make it smaller, or divide it"),
    "revisions": Limit(1_000, "states of a project to undo to", "those before are dropped"),
    "memory_mb": Limit(0, "MB of memory", "take fewer cells, blocks or points"),
}
#: Bytes of memory that a cell takes at the most, with its nodes, while its grid is smoothed or measured.
CELL_BYTES = 200


def variable(name: str) -> str:
    """Give the name of the environment variable that sets a limit."""
    return f"PLODEK_MOST_{name.upper()}"


def most(name: str) -> int:
    """Give a limit: as it is set, else its default. Raises BadValue where it is set to no whole number.

    Where nothing is set a grid takes half the machine's memory at most, and so does a process: not half of
    what is free just now, for a recipe comes to the same whatever else runs.
    """
    found = whole_number(variable(name), 0)
    if found or name not in ("cells", "memory_mb"):
        return found or LIMITS[name].default
    if name == "cells":
        return min(LIMITS[name].default, _memory() // 2 // CELL_BYTES)
    return _memory() // 2 // 1024**2


def whole_number(name: str, plain: int) -> int:
    """Give what a variable of the environment is set to. Raises BadValue where that is no whole number."""
    text = os.environ.get(name, "").strip()
    if not text:
        return plain
    if not text.isdecimal() or int(text) < 1:
        raise BadValue(f"{name} is “{text[:40]}”", remedy="set it to a whole number above 0, or take it out")
    return int(text)


def need(name: str, count: float, *, where: str = "") -> None:
    """Raise OverBudget where a count is beyond its limit, before what is counted is made."""
    limit = most(name)
    if count > limit:
        raise over(name, count, limit, where)


def over(name: str, count: float, limit: float, where: str = "") -> OverBudget:
    """Give the error for a count that is beyond a limit."""
    return OverBudget(
        f"this would come to {_grouped(count)} {LIMITS[name].of}, and {_grouped(limit)} is the most",
        where=where,
        remedy=f"{LIMITS[name].remedy}; {variable(name)} sets another limit",
    )


def out_of_memory() -> OverBudget:
    """Give the error for what has taken all memory that the process may have."""
    return OverBudget(
        f"this takes more than the {most('memory_mb')} MB of memory that a process may have",
        remedy=f"{LIMITS['memory_mb'].remedy}; {variable('memory_mb')} sets another limit",
    )


def _grouped(count: float) -> str:
    """Write a number with its digits in groups of three."""
    return f"{count:,.0f}".replace(",", "\N{NO-BREAK SPACE}")


def _memory() -> int:
    """Give bytes of memory of the machine, or its container's if less."""
    lines = (line.split() for line in Path("/proc/meminfo").read_text().splitlines())
    found = next(int(line[1]) * 1024 for line in lines if line[0] == "MemTotal:")
    try:
        return min(found, int(Path("/sys/fs/cgroup/memory.max").read_text()))
    except (OSError, ValueError):  # no container, or one without a limit
        return found

"""A report of a grid: what it comes to, whether it passes, its pictures and tables, and its recipe.

It is told once, as a list of parts; `html` and `pdf` write it out.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from importlib.metadata import version

import numpy as np

from plodek.core.check.groups import by_block, by_patch, by_region
from plodek.core.check.look.bricks import bricks_of
from plodek.core.check.look.cutter import Cutter
from plodek.core.check.look.section import section
from plodek.core.check.measure import CellValues
from plodek.core.check.metric import Metric
from plodek.core.check.metrics import known
from plodek.core.check.quality import gate, histogram, worst_cells
from plodek.core.check.tables import table
from plodek.core.check.walls import Walls
from plodek.core.dryrun.outside import Outside
from plodek.core.errors import NothingFound
from plodek.core.model.model import Model
from plodek.core.proof.findings import Finding
from plodek.core.report.drawing import (
    cells_picture,
    flow_picture,
    histogram_picture,
    outside,
    section_picture,
)

#: Rows of a table that are told at most, and worst cells.
_MOST_ROWS, _WORST = 40, 20


@dataclass(frozen=True)
class Heading:
    """A heading."""

    text: str


@dataclass(frozen=True)
class Lines:
    """Sentences, each on a line; numbered where they are steps."""

    lines: tuple[str, ...]
    numbered: bool = False


@dataclass(frozen=True)
class Rows:
    """A table: its heads and rows, numbers on the right; rows in ``bad`` miss a limit."""

    heads: tuple[str, ...]
    rows: tuple[tuple[str, ...], ...]
    bad: frozenset[int] = frozenset()


@dataclass(frozen=True)
class Picture:
    """A picture as PNG, and what it shows."""

    png: bytes
    caption: str


@dataclass(frozen=True)
class Report:
    """A report: its title, a line below it, and its parts."""

    title: str
    under: str
    parts: tuple[Heading | Lines | Rows | Picture, ...]


@dataclass(frozen=True)
class Solved:
    """A dry run: the name of the file, what was found, and the flow seen from outside where there is one.

    Its numbers are ``factor`` times those that the grid has in the project.
    """

    file: str
    findings: Sequence[Finding]
    outside: Outside | None = None
    factor: float = 1.0


@dataclass(frozen=True)
class Wish:
    """What a report is wanted of: its words, the metric of its pictures, sections by name, a dry run."""

    title: str
    note: str = ""
    metric: str = "scaled_jacobian"
    sections: Sequence[tuple[str, Cutter]] = ()
    solved: Solved | None = None


def report_of(model: Model, cells: CellValues, walls: Walls, sentences: Sequence[str], wish: Wish) -> Report:
    """Report on the measured grid of a model, whose recipe reads as ``sentences``.

    Raises BadValue for no metric.
    """
    metric, unit, grid = known(wish.metric), model.unit, cells.grid
    labels = {name: model.layout.labels.get(name, name) for name in grid.names}
    parts: list[Heading | Lines | Rows | Picture] = []
    if wish.note:
        parts.append(Lines(tuple(wish.note.splitlines())))
    parts += _verdict(model, cells, walls)
    parts += [Heading("Outside"), Picture(outside(cells, metric, unit), f"Coloured by {metric.label}.")]
    parts += _sections(model, cells, metric, wish.sections)
    parts += _worst(cells, metric, unit, labels)
    parts += [Heading("Metrics"), _metrics(model, cells)]
    limit = model.limits.get(metric.key)
    parts += [
        Heading(f"{metric.label[0].upper()}{metric.label[1:]}"),
        Picture(histogram_picture(histogram(cells, metric.key), metric, unit, limit), "Cells by value."),
    ]
    parts += _tables(model, cells, metric, labels)
    parts += _walls(walls, cells, unit)
    parts += _solved(wish.solved)
    parts += [Heading("Recipe"), Lines(tuple(sentences), numbered=True)]
    when = datetime.now().astimezone().strftime("%d %B %Y, %H:%M %Z")
    under = f"{when} · Plodek {version('plodek')} · lengths in {unit}"
    return Report(wish.title, under, tuple(parts))


def _solved(run: Solved | None) -> list[Heading | Lines | Rows | Picture]:
    """Tell of a dry run."""
    if run is None:
        return []
    signs = {True: "✓", False: "✗", None: "–"}
    lines = tuple(f"{signs[one.fine]} {one.what}: {one.said}" for one in run.findings)
    parts: list[Heading | Lines | Rows | Picture] = [Heading(f"Dry run of {run.file}"), Lines(lines)]
    if run.outside is not None:
        words = "A potential flow by the types of the patches, with lines of equal potential."
        parts.append(Picture(flow_picture(run.outside, run.factor), words))
    return parts


def _verdict(model: Model, cells: CellValues, walls: Walls) -> list[Heading | Lines | Rows | Picture]:
    grid = cells.grid
    found = gate(cells, model.limits, walls, model.part_limits, model.unit, model.layout.labels)
    folded = f"{found.folded} folded cells" if found.folded else "no folded cell"
    size = f"{_whole(grid.cells)} cells in {len(grid.xyz)} blocks"
    what, power = ("volume", "³") if grid.dim == 3 else ("area", "²")
    volume = f"{what} {cells.volume.sum():.6g} {model.unit}{power}"
    lines = [f"{'✓' if not v.missed else '✗'} {v.sentence}" for v in found.verdicts]
    return [
        Heading(f"The gate is {'passed' if found.passed else 'not passed'}"),
        Lines((f"{size}; {volume}; {folded}.", *lines)),
    ]


def _sections(
    model: Model, cells: CellValues, metric: Metric, wanted: Sequence[tuple[str, Cutter]]
) -> list[Heading | Lines | Rows | Picture]:
    if not wanted or cells.grid.dim == 2:
        return []
    parts: list[Heading | Lines | Rows | Picture] = [Heading("Sections")]
    bricks, limit = bricks_of(cells.grid), model.limits.get(metric.key)
    for name, cutter in wanted:
        try:
            cut = section(cells.grid, bricks, cutter)
        except NothingFound as error:
            parts.append(Lines((f"{name}: {error}",)))
            continue
        told = f"{name}: {_whole(len(cut))} cells, {cut.area:.6g} {model.unit}²."
        missed = " Cells beyond the limit are outlined." if limit is not None else ""
        parts.append(Picture(section_picture(cells, cut, metric, model.unit, limit), told + missed))
    return parts


def _worst(
    cells: CellValues, metric: Metric, unit: str, labels: Mapping[str, str]
) -> list[Heading | Lines | Rows | Picture]:
    worst = worst_cells(cells.grid, cells, metric.key, _WORST)
    if not worst:
        return []
    rows = tuple(
        (
            metric.told(one.value, unit, 4),
            labels[cells.grid.names[one.block]],
            ", ".join(map(str, one.index)),
            ", ".join(f"{v:.4g}" for v in one.at),
        )
        for one in worst[:10]
    )
    chosen = np.array([one.cell for one in worst])
    return [
        Heading(f"Worst cells by {metric.label}"),
        Picture(cells_picture(cells, chosen, metric, unit), f"The {len(worst)} worst cells."),
        Rows((metric.label, "block", "i, j, k", f"at ({unit})"), rows),
    ]


def _metrics(model: Model, cells: CellValues) -> Rows:
    rows, bad = [], set()
    for n, found in enumerate(cells.summary):
        metric, limit = found.metric, model.limits.get(found.metric.key)
        rows.append(
            (
                metric.label,
                metric.told(found.worst, model.unit, 4),
                metric.told(found.mean, model.unit, 4),
                "" if limit is None else f"{'≥' if metric.better == 'high' else '≤'} {limit:g}{metric.unit}",
                _whole(found.cells),
            )
        )
        if limit is not None and metric.misses(cells.of(metric.key), limit).any():
            bad.add(n)
    return Rows(("metric", "worst", "mean", "limit", "cells"), tuple(rows), frozenset(bad))


def _tables(
    model: Model, cells: CellValues, metric: Metric, labels: Mapping[str, str]
) -> list[Heading | Lines | Rows | Picture]:
    parts: list[Heading | Lines | Rows | Picture] = []
    limit = model.limits.get(metric.key)
    blocks = {labels[name]: own for name, own in by_block(cells.grid).items()}
    for what, groups in (
        ("block", blocks),
        ("region", by_region(cells.grid)),
        ("patch", by_patch(cells.grid)),
    ):
        rows = table(cells, metric.key, groups, limit)
        if not rows:
            continue
        told = tuple(
            (
                row.name,
                _whole(row.cells),
                metric.told(row.worst, model.unit, 4),
                metric.told(row.mean, model.unit, 4),
                f"{row.beyond:.2%}" if row.beyond else "0",
            )
            for row in rows[:_MOST_ROWS]
        )
        bad = frozenset(n for n, row in enumerate(rows[:_MOST_ROWS]) if row.beyond)
        parts += [
            Heading(f"By {what}"),
            Rows((what, "cells", f"worst {metric.label}", "mean", "beyond the limit"), told, bad),
        ]
        if len(rows) > _MOST_ROWS:
            parts.append(Lines((f"… and {len(rows) - _MOST_ROWS} more that are better.",)))
    return parts


def _walls(walls: Walls, cells: CellValues, unit: str) -> list[Heading | Lines | Rows | Picture]:
    if not walls.heights:
        return []
    units = cells.wall_units
    rows = tuple(
        (
            one.wall,
            *(f"{v:.3g} {unit}" for v in (one.smallest, one.median, one.largest)),
            "" if one.held is None else f"{one.held:.1%}",
            *([f"{one.median / units.height:.3g}"] if units else []),
        )
        for one in walls.heights
    )
    heads = ["wall", "least height", "median", "most", "within 5 % of wanted"]
    heads += ["y⁺ of median"] if units else []
    return [Heading("First heights"), Rows(tuple(heads), rows)]


def _whole(value: int) -> str:
    return f"{value:,}".replace(",", "\u202f")

"""Hand-off: what must hold before a grid leaves, the files, and the small report beside them."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from plodek.core.check.limits import OwnLimit
from plodek.core.check.measure import CellValues, WallUnits, measure
from plodek.core.check.quality import Gate, gate
from plodek.core.check.walls import Walls
from plodek.core.errors import BadValue, FoldedGrid, NotReady
from plodek.core.formats import registry
from plodek.core.grid.grid import Grid
from plodek.core.units import METRES, factor, unit_of


@dataclass(frozen=True)
class HandedOff:
    """What left: the files, the outcome of the gate, and the summary as plain values."""

    files: tuple[Path, ...]
    gate: Gate
    facts: dict[str, Any]


def facts_of(grid: Grid, cells: CellValues) -> dict[str, Any]:
    """Sum up a grid in plain values: cells, blocks, folded, angles, volume, metrics and patches."""
    return {
        "cells": grid.cells,
        "blocks": len(grid.xyz),
        "folded": int(cells.folded.sum()),
        "smallest_angle": float(cells.of("smallest_angle").min()),
        "largest_angle": float(cells.of("largest_angle").max()),
        "volume": float(cells.volume.sum()),
        "metrics": {s.metric.key: {"worst": s.worst, "mean": s.mean} for s in cells.summary},
        "patches": {p.name: {"type": p.type, "faces": grid.patch_faces(p)} for p in grid.patches},
        "regions": {name: sum(grid.block_cells(b) for b in blocks) for name, blocks in grid.regions.items()},
        "poles": int(cells.poles.sum()),
        "unnamed_faces": unnamed_faces(grid),
    }


def unnamed_faces(grid: Grid) -> int:
    """Count the outer faces that belong to no patch."""
    return sum(grid.faces(window) for window in grid.unnamed)


def hand_off(
    grid: Grid,
    folder: Path,
    *,
    name: str,
    unit: str,
    limits: Mapping[str, float],
    walls: Walls | None = None,
    own_limits: Sequence[OwnLimit] = (),
    wall_units: WallUnits | None = None,
    formats: Sequence[str] | None = None,
    file_unit: str | None = None,
    scale: float = 1.0,
    folded_too: bool = False,
    poles_too: bool = False,
) -> HandedOff:
    """Write a grid of space to a folder: its files and ``report.md``.

    Coordinates are turned from ``unit`` into ``file_unit`` (the same where None) and multiplied by
    ``scale``; the files say the unit that they are in then, none where it has no name. ``limits`` is the
    gate, by metric key, with ``own_limits`` of parts, lengths in ``unit`` as ``wall_units`` are; what
    ``walls`` say is told in the report.
    Raises NotReady where faces are unnamed or the grid is still plane, FoldedGrid for folded cells
    without ``folded_too``, or cells at poles without ``poles_too``.
    """
    chosen = registry.writers(list(registry.written()) if formats is None else list(formats))
    plane = next((one for one in chosen if not one.plane), None)
    if grid.dim != 3 and plane is not None:
        raise NotReady(
            f"the grid is still plane, and {plane.label} takes grids of space only",
            remedy="extrude it first; one cell of depth is enough",
        )
    if grid.unnamed:
        faces = unnamed_faces(grid)
        raise NotReady(
            f"{faces} outer faces on {len(grid.unnamed)} block sides belong to no patch",
            remedy="name them, or name all the rest in one go",
        )
    if not scale > 0:
        raise BadValue(f"the scale factor is {scale:g}", remedy="give a factor above 0")
    out = file_unit or unit
    if out not in METRES:
        raise BadValue(f"“{out}” is not a length unit", remedy=f"use {', '.join(METRES)}")
    cells = measure(grid, wall_units)
    outcome = gate(cells, limits, walls, own_limits, unit)
    if outcome.folded and not folded_too:
        raise FoldedGrid(
            f"{outcome.folded} cells are folded, and most solvers refuse such a grid",
            remedy="smooth or change the blocks there; to hand it off all the same, say so explicitly",
        )
    poles = int(cells.poles.sum())
    if poles and not poles_too:
        raise FoldedGrid(
            f"{poles} cells have an edge that has shrunk to a pole, and some solvers refuse such cells",
            remedy="put a butterfly core in place of the pole; to hand them off all the same, say so",
        )
    # With a further factor the numbers are in another unit than the one chosen, perhaps in none with a name.
    metres = METRES[out] / scale
    truly = unit_of(metres) or ""
    told = cells.scaled(factor(unit, out) * scale)
    grid = told.grid
    folder.mkdir(parents=True, exist_ok=True)
    files: list[Path] = []
    for one in chosen:
        assert one.write is not None
        files += one.write(folder / f"{name}{one.endings[0]}", grid, truly)
    facts = facts_of(grid, told) | {
        "unit": truly,
        "metres": metres,
        "scale": scale,
        "gate": outcome.passed,
    }
    facts |= _told(walls or Walls(), unit)
    report = folder / "report.md"
    report.write_text(report_of(name, facts, outcome), encoding="utf-8")
    return HandedOff((*files, report), outcome, facts)


def _told(walls: Walls, unit: str) -> dict[str, Any]:
    """Sum up walls in plain values, in the project's unit."""
    return {
        "guides": {
            fit.guide: {
                "misfit": fit.misfit, "sag": fit.sag, "unit": unit,
                "crease": fit.crease and fit.crease.degrees,
            }
            for fit in walls.fits
        },
        "first_heights": {
            one.wall: {
                "wanted": one.wanted, "smallest": one.smallest, "median": one.median,
                "largest": one.largest, "held": one.held, "unit": unit,
            }
            for one in walls.heights
        },
    }  # fmt: skip


def report_of(name: str, facts: dict[str, Any], outcome: Gate) -> str:
    """Write the report that goes beside the files, as Markdown."""
    unit = facts["unit"] or f"({facts['metres']:.9g} m)"
    lines = [
        f"# {name}",
        "",
        f"{facts['cells']} cells in {facts['blocks']} blocks; coordinates in {unit}; "
        f"volume {facts['volume']:.6g} {unit}³.",
        "",
        f"Gate: **{'passed' if outcome.passed else 'NOT passed'}**. Folded cells: {outcome.folded}.",
        "",
        *(f"- {'✓' if not v.missed else '✗'} {v.sentence}" for v in outcome.verdicts),
        "",
        "| patch | type | faces |",
        "|---|---|---:|",
        *(f"| {n} | {p['type']} | {p['faces']} |" for n, p in facts["patches"].items()),
        "",
    ]
    if facts["guides"]:
        lines += ["| guide | nodes off it at most | sag of faces at most |", "|---|---:|---:|"]
        lines += [
            f"| {n} | {g['misfit']:.3g} {g['unit']} | {g['sag']:.3g} {g['unit']} |"
            for n, g in facts["guides"].items()
        ]
        bent = {n: g["crease"] for n, g in facts["guides"].items() if g["crease"]}
        lines += ["", *(f"A side on {n} runs over a crease of {a:.0f}°." for n, a in bent.items())]
        lines.append("")
    if facts["first_heights"]:
        lines += ["| wall | first height: least | median | most | within 5 % of that wanted |"]
        lines += ["|---|---:|---:|---:|---:|"]
        lines += [
            f"| {n} | {h['smallest']:.3g} {h['unit']} | {h['median']:.3g} {h['unit']} "
            f"| {h['largest']:.3g} {h['unit']} | {'–' if h['held'] is None else format(h['held'], '.1%')} |"
            for n, h in facts["first_heights"].items()
        ]
        lines.append("")
    return "\n".join(lines)

"""Hand-off: what must hold before a grid leaves, the files, and the small report beside them."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

from plodek.core.check.limits import OwnLimit
from plodek.core.check.measure import CellValues, measure
from plodek.core.check.measured import WallUnits
from plodek.core.check.metric import LENGTH
from plodek.core.check.quality import Gate, gate
from plodek.core.check.walls import Walls
from plodek.core.errors import BadValue, FoldedGrid, NotReady
from plodek.core.formats import registry
from plodek.core.formats.cargo import Cargo
from plodek.core.grid.grid import Grid
from plodek.core.telling import Tell, unheard_of
from plodek.core.units import METRES, factor, unit_of


@dataclass(frozen=True)
class HandedOff:
    """What left: the files, the grid as ``sent``, the outcome of the gate, and a summary as plain values."""

    files: tuple[Path, ...]
    sent: Cargo
    gate: Gate
    facts: dict[str, Any]

    @property
    def report(self) -> Path:
        """The small report beside the files."""
        return self.files[-1]


def facts_of(grid: Grid, cells: CellValues, factor: float = 1.0) -> dict[str, Any]:
    """Sum up a grid in plain values: cells, blocks, folded, angles, volume, metrics and patches.

    Lengths are multiplied by a factor.
    """
    times = {s.metric.key: factor if s.metric.unit == LENGTH else 1.0 for s in cells.summary}
    return {
        "cells": grid.cells,
        "blocks": len(grid.xyz),
        "folded": int(cells.folded.sum()),
        "smallest_angle": float(cells.of("smallest_angle").min()),
        "largest_angle": float(cells.of("largest_angle").max()),
        "volume": float(cells.volume.sum()) * factor**grid.dim,
        "metrics": {
            s.metric.key: {"worst": times[s.metric.key] * s.worst, "mean": times[s.metric.key] * s.mean}
            for s in cells.summary
        },
        "patches": {p.name: {"type": p.type, "faces": grid.patch_faces(p)} for p in grid.patches},
        "regions": {name: sum(grid.block_cells(b) for b in blocks) for name, blocks in grid.regions.items()},
        "poles": int(cells.poles.sum()),
        "left_handed": len(cells.left),
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
    formats: Sequence[str] = ("cgns",),
    options: Mapping[str, registry.Choices] | None = None,
    file_unit: str | None = None,
    scale: float = 1.0,
    labels: Mapping[str, str] | None = None,
    folded_too: bool = False,
    poles_too: bool = False,
    recipe: str = "",
    tell: Tell = unheard_of,
) -> HandedOff:
    """Write a grid to a folder: its files in some formats, with their ``options``, and ``report.md``.

    Coordinates are turned from ``unit`` into ``file_unit`` (the same where None) and multiplied by
    ``scale``; the files say the unit that they are in then, none where it has no name, and the ``recipe``
    where they have a place for it. ``limits`` is the gate, by metric key, with ``own_limits`` of parts,
    lengths in ``unit`` as ``wall_units`` are; blocks are called by their ``labels``. What
    ``walls`` say is told in the report. ``tell`` hears how far it is, and may stop it by raising Halted: no
    file is left then.
    Raises NotReady where faces are unnamed or a plane grid cannot leave as one, FoldedGrid for folded cells
    without ``folded_too``, or cells at poles without ``poles_too``.
    """
    chosen = registry.writers(formats)
    wished = options or {}
    choices = [one.choices(wished.get(one.key)) for one in chosen]
    plane = next((one for one in chosen if not one.plane), None)
    if grid.dim != 3 and plane is not None:
        raise NotReady(
            f"the grid is still plane, and {plane.label} takes grids of space only",
            remedy="extrude it first (one cell of depth is enough), or leave that format out",
        )
    _need_names(grid, chosen)
    if not scale > 0:
        raise BadValue(f"the scale factor is {scale:g}", remedy="give a factor above 0")
    out = file_unit or unit
    if out not in METRES:
        raise BadValue(f"“{out}” is not a length unit", remedy=f"use {', '.join(METRES)}")
    cells = measure(grid, wall_units)
    outcome = gate(cells, limits, walls, own_limits, unit, labels)
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
    times = factor(unit, out) * scale
    sent = Cargo(grid, truly, times, recipe)
    files = write_all(folder, name, sent, chosen, choices, tell)
    facts = facts_of(grid, cells, times) | {
        "unit": truly,
        "metres": metres,
        "scale": scale,
        "gate": outcome.passed,
    }
    facts |= _told(walls or Walls(), unit) | {"notes": registry.types_told(chosen, grid)}
    report = folder / "report.md"
    report.write_text(report_of(name, facts, outcome), encoding="utf-8")
    return HandedOff((*files, report), sent, outcome, facts)


def _need_names(grid: Grid, chosen: Sequence[registry.Format]) -> None:
    """Raise NotReady where outer sides have no patch; periodic ones need none where files say they are."""
    paired = {window for joint in grid.periodic for window in (joint.first, joint.second)}
    nameless = [window for window in grid.unnamed if window not in paired]
    silent = next((one for one in chosen if not one.periodic), None)
    if not nameless and silent is None:
        return
    left = nameless or list(grid.unnamed)
    if left:
        faces = sum(grid.faces(window) for window in left)
        more = ""
        if not nameless and silent is not None:
            more = f", and {silent.label} says nothing of periodic ones"
        raise NotReady(
            f"{faces} outer faces on {len(left)} block sides belong to no patch{more}",
            remedy="name them, or name all the rest in one go",
        )


def write_all(
    folder: Path,
    name: str,
    cargo: Cargo,
    chosen: Sequence[registry.Format],
    choices: Sequence[registry.Choices],
    tell: Tell = unheard_of,
) -> list[Path]:
    """Write a cargo to ``name`` in a folder in each of the formats: all of it, or nothing."""
    folder.mkdir(parents=True, exist_ok=True)
    nodes = sum(block[..., 0].size for block in cargo.grid.xyz)
    files: list[Path] = []
    with TemporaryDirectory(dir=folder, prefix=".writing-") as aside:
        for number, (one, choice) in enumerate(zip(chosen, choices, strict=True)):
            words = f"writing {one.label}"
            tell(number / len(chosen), words)
            done = 0

            def told(more: int, number: int = number, words: str = words) -> None:
                nonlocal done
                done += more
                tell((number + min(done / nodes, 1.0)) / len(chosen), words)

            assert one.write is not None
            path = Path(aside) / f"{name}{one.endings[0]}"
            files += [f for f in one.write(path, replace(cargo, told=told), choice) if f not in files]
        found = [folder / file.relative_to(aside) for file in files]
        for file, place in zip(files, found, strict=True):
            place.parent.mkdir(parents=True, exist_ok=True)
            file.replace(place)
    return found


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
        *(f"{note[0].upper()}{note[1:]}.\n" for note in facts["notes"]),
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

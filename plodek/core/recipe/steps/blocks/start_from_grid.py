"""The step that takes up a grid received in a file."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import replace
from typing import ClassVar, Literal

from pydantic import Field

from plodek.core.blocks.layout import Edge, edge_of, side_of
from plodek.core.blocks.operations.copies import join, meeting
from plodek.core.blocks.reports import Finding, Note
from plodek.core.budget import need
from plodek.core.errors import BadValue, Refused
from plodek.core.grid.grid import Grid
from plodek.core.grid.matching import matched
from plodek.core.grid.outside import doubled_faces, is_free
from plodek.core.grid.to_layout import TakenUp, take_up
from plodek.core.model.model import Model
from plodek.core.model.named import Patch
from plodek.core.recipe.fields import GridFile, Length, MapFile
from plodek.core.recipe.step import Context
from plodek.core.recipe.steps.blocks.block_step import BlockStep
from plodek.core.recipe.steps.handoff.patch import PATCH_NAME
from plodek.core.spacing.edge_law import EdgeLaw
from plodek.core.units import LengthUnit, factor


class StartFromGrid(BlockStep):
    """Take up a received grid: its blocks, nodes, patches and regions, on which all that follows works.

    Blocks are divided where they meet others on parts of sides, or themselves. What later steps leave alone
    keeps its nodes to the bit; where edges get another spacing, nodes go along the received lines. A second
    grid is joined to the blocks that are there.
    """

    kind: Literal["start-from-grid"] = "start-from-grid"
    verb: ClassVar[str] = "Start from a grid"
    key: ClassVar[str] = "J"
    order: ClassVar[int] = 5
    family: ClassVar[str] = "Lay down"
    known_as: ClassVar[tuple[str, ...]] = ("import a grid", "read", "CGNS", "PLOT3D", "structured grid")
    sentence: ClassVar[str] = "Start from the grid {file}, joined within {within}"
    file: GridFile = Field(title="Grid file")
    map: MapFile | None = Field(
        default=None, title="Map of it", description="patches, interfaces and the unit of a PLOT3D file"
    )
    file_unit: LengthUnit | None = Field(
        default=None, title="Unit of the file", description="needed where the file does not say it"
    )
    within: Length | None = Field(
        default=None,
        title="Close gaps up to",
        description="blocks meet whose nodes are so near; a thousandth of a cell edge where left out",
    )

    def apply(self, model: Model, context: Context) -> Model:
        found, told = context.files.grid(self.file, self.map)
        unit = told or self.file_unit
        if not unit:
            raise BadValue("the file does not say its unit", where=self.file, remedy="choose its unit")
        need("cells", found.cells)
        scale = factor(unit, model.unit)
        within = None if self.within is None else self.sizes(model, self.within, "gap to close")
        grid = _closer(found if scale == 1.0 else found.scaled(scale), within)
        return self._joined(model, grid, take_up(self.id, grid, model.unit, within or 0.0), within)

    def _joined(self, model: Model, grid: Grid, taken: TakenUp, within: float | None) -> Model:
        part, layout = taken.layout, model.layout
        if layout.blocks:
            if layout.dim != part.dim:
                raise BadValue("of the grid and the blocks that are there one is plane", where=self.file)
        else:
            layout = replace(layout, dim=part.dim)
        names = meeting(layout, part, within)
        laws: dict[Edge, EdgeLaw] = {}
        counts: dict[Edge, int] = {}
        for (a, b), s in taken.nodes.items():
            first, second = names.get(a, a), names.get(b, b)
            law = EdgeLaw("kept", places=tuple(s.tolist()))
            laws[edge_of(first, second)] = law if first < second else law.turned()
            counts[edge_of(first, second)] = len(s) - 1
        _need_same_counts(model, counts)
        after = model.changed(join(layout, part, within))
        spacing = after.spacing
        spacing = replace(spacing, counts=counts | dict(spacing.counts), laws=laws | dict(spacing.laws))
        patches, called = _patches(model, taken, names)
        return replace(after, spacing=spacing, patches=patches, known=after.facts).reporting(
            self.id, *_said(grid, taken), *called
        )


def _closer(grid: Grid, within: float | None) -> Grid:
    """Let blocks meet whose free sides are within a length of each other."""
    if within is None:
        return grid
    near = matched(grid.xyz, grid.dim, within=within)
    new = tuple(joint for joint in near if is_free(grid, joint.first) and is_free(grid, joint.second))
    return replace(grid, interfaces=(*grid.interfaces, *new))


def _need_same_counts(model: Model, counts: dict[Edge, int]) -> None:
    """Raise Refused where a grid has other numbers of cells than the blocks that it meets."""
    there = model.laid.counts if model.layout.blocks else {}
    for edge, own in counts.items():
        if there.get(edge, own) != own:
            raise Refused(
                f"where the grid meets the edge {' to '.join(model.layout.labels[c] for c in edge)} it has "
                f"{own} cells, and the edge {there[edge]}",
                remedy="give that tier as many cells first",
            )


def _patches(model: Model, taken: TakenUp, names: Mapping[str, str]) -> tuple[tuple[Patch, ...], list[Note]]:
    """Give the patches that are there with those of a grid, and what is said where names cannot stay.

    Only those of the very same name and type are one: names that become alike when signs are taken out of
    them, or differ in large and small letters alone, are told apart by numbers.
    """
    found = {patch.name.lower(): patch for patch in model.patches}
    told_as = {patch.name.lower(): (patch.name, patch.type) for patch in model.patches}
    for told, type, _ in taken.patches:  # names that can stay do
        if PATCH_NAME.fullmatch(told):
            told_as.setdefault(told.lower(), (told, type))
    changed = []
    for told, type, sides in taken.patches:
        stem = re.sub(r"[^A-Za-z0-9_-]+", "-", told).strip("-") or "patch"
        stem = (stem if stem[0].isalpha() else f"p-{stem}")[:28]
        name = stem if PATCH_NAME.fullmatch(told) is None else told
        number = 1
        while told_as.setdefault(name.lower(), (told, type)) != (told, type):
            number += 1
            name = f"{stem}-{number}"
        if name != told:
            changed.append(Note(f"patch “{told[:60]}”, {type}, is called {name} now"))
        there = tuple(side_of(*(names.get(c, c) for c in side)) for side in sides)
        patch = found.get(name.lower(), Patch(name, type))
        found[name.lower()] = replace(patch, sides=(*patch.sides, *there))
    return tuple(found.values()), changed


def _said(grid: Grid, taken: TakenUp) -> Iterator[Note | Finding]:
    def told(text: str, blocks: Iterable[int]) -> Finding:
        return Finding(text, tuple(name for block in sorted(set(blocks)) for name in taken.made[block]))

    yield from taken.said
    yield from (Note(note) for note in grid.notes)
    twice = doubled_faces(grid)
    if twice:
        faces = sum(twice.values())
        yield told(f"{faces} faces are in several patches or interfaces: the last patch has them", twice)
    if grid.patches and grid.unnamed:
        faces = sum(grid.faces(w) for w in grid.unnamed)
        yield told(f"{faces} outer faces are in no patch", (w.block for w in grid.unnamed))
    if not grid.patches:
        yield Note("no outer face is in a patch yet")

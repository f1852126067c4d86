"""Turning models and grids into what the screen shows: messages, and binary pictures of a grid.

A picture is one binary message: the length of a JSON index (uint32, little endian), the index padded
to 4 bytes, then the arrays one after the other. Only faces are sent, never the volume: the cells of a
plane grid, or the outer faces of one in space.
"""

from __future__ import annotations

from collections.abc import Mapping
from math import prod
from typing import Any, cast

import numpy as np

from plodek.core.arrays import Floats
from plodek.core.blocks.angles import corner_angles
from plodek.core.blocks.edge_path import EdgePath
from plodek.core.blocks.layout import Edge, Side, edge_of
from plodek.core.blocks.plan import clearest, plan
from plodek.core.blocks.soundness import findings
from plodek.core.blocks.tiers import Tier
from plodek.core.check.metrics import CellValues, measure
from plodek.core.check.quality import WorstCell
from plodek.core.errors import NothingFound
from plodek.core.grid.grid import BlockSide, Grid, outer_sides
from plodek.core.recipe import selectors
from plodek.core.recipe.build import coarse, filled_grid
from plodek.core.recipe.model import Model
from plodek.core.recipe.recipe import Evaluation
from plodek.core.recipe.spacing_steps import Count, Space, WallLayer
from plodek.core.spacing.jumps import GROWTH_LIMIT, jumps, worst_growth
from plodek.server.api.guide_pictures import guides_out
from plodek.server.api.messages import (
    BlockOut,
    CellOut,
    CornerOut,
    EdgeOut,
    Effect,
    FindingOut,
    GroupOut,
    JumpOut,
    ModelOut,
    PatchOut,
    PlanBlock,
    PlanOut,
    SideOut,
    StepState,
    TierOut,
)
from plodek.server.api.packing import packed

_CURVED = np.linspace(0.0, 1.0, 33)
_STRAIGHT = np.array([0.0, 1.0])
_ENDS_AND_MIDDLE = np.array([0.0, 0.5, 1.0])
#: Cells on a tier at most, and blocks, for the quick fill that an effect in space is measured on.
_COARSE, _MOST_BLOCKS = 5, 60
_MOST_CELLS = 400_000
#: Jumps that are shown at most, the worst.
_MOST_JUMPS = 500
#: A face of no patch, in the list of face groups.
UNNAMED = 65535


def model_out(evaluation: Evaluation) -> ModelOut:
    """Give the model after the last step that could be applied, with the state of all steps."""
    model, layout = evaluation.model, evaluation.model.layout
    faces = _face_counts(model)
    laid = model.laid if layout.blocks else None
    return ModelOut(
        unit=model.unit,
        dim=layout.dim,
        steps=_steps(evaluation),
        guides=guides_out(evaluation),
        groups=[
            GroupOut(name=name, colour=group.colour, members=list(group.members))
            for name, group in model.groups.items()
        ],
        corners=[
            CornerOut(
                id=c, label=layout.labels[c], xyz=list(k.xyz), sign=k.sign, guide=k.guide, fraction=k.fraction
            )
            for c, k in layout.corners.items()
        ],
        edges=_edges(model) if laid else [],
        blocks=[_block(model, name) for name in layout.blocks],
        sides=_sides(model) if layout.dim == 3 else [],
        tiers=_tiers(evaluation) if laid else [],
        patches=[
            PatchOut(
                name=p.name,
                type=p.type,
                sides=[list(s) for s, owner in model.patch_of.items() if owner is p],
                faces=sum(faces[s] for s, owner in model.patch_of.items() if owner is p),
            )
            for p in model.patches
        ],
        findings=_findings(model) if laid else [],
        twins=[[[a, b] for a, b in twin.corners.items()] for twin in layout.twins],
        jumps=[
            JumpOut(
                corner=j.corner,
                at=list(layout.corners[j.corner].xyz),
                edges=[list(j.fine), list(j.coarse)],
                ratio=j.ratio,
            )
            for j in (jumps(laid, model.continuing) if laid else [])[:_MOST_JUMPS]
        ],
        growth_limit=GROWTH_LIMIT,
        unnamed_sides=[list(s) for s in model.unnamed],
        unnamed_faces=sum(faces[s] for s in model.unnamed),
        faces=sum(faces.values()),
        plane_step=_plane_step(evaluation),
        cells=model.cells if laid else 0,
        smoothing=len(model.plane.smoothing),
        limits=dict(model.limits),
    )


def _plane_step(evaluation: Evaluation) -> int | None:
    """Give the number of steps that make the plane, where a later one has lifted it."""
    return next((n for n, model in enumerate(evaluation.models) if model.lift), None)


def _findings(model: Model) -> list[FindingOut]:
    shapes = {edge: path.at(_ENDS_AND_MIDDLE) for edge, path in model.laid.paths.items()}
    return [
        FindingOut(
            text=f.text, blocks=list(f.blocks), corners=list(f.corners), edges=[list(e) for e in f.edges]
        )
        for f in findings(model.layout, model.tiers, shapes)
    ]


def _sides(model: Model) -> list[SideOut]:
    layout = model.layout
    found = []
    for side, uses in layout.sides.items():
        a, b, c, d = layout.ordered(side)
        hollow = all(layout.blocks[use.block].hollow for use in uses)
        state = "hollow" if hollow else ("outer" if side in layout.outer else "inner")
        patch = model.patch_of.get(side)
        names = "–".join(layout.labels[use.block] for use in uses)
        found.append(
            SideOut(
                id=list(side),
                around=[a, b, d, c],
                label=f"{names} {'ijk'[uses[0].axis]}{'-+'[uses[0].end]}",
                state=cast(Any, state),
                lies=layout.lies.get(side),
                patch=patch.name if patch else None,
                blocks=[use.block for use in uses],
            )
        )
    return found


def plan_out(model: Model, label: str | None) -> PlanOut:
    """Lay the layout out flat; in space the sheet of a tier, the clearest where none is named."""
    layout = model.layout
    tier = None
    labels: list[str] = []
    if layout.dim == 3:
        labels = clearest(layout, model.tiers)
        tier = next((t for t in model.tiers if t.label == (label or labels[0])), None)
        if tier is None:
            raise NothingFound(f"no tier is called “{label}”", remedy=f"the tiers are {', '.join(labels)}")
    found = plan(layout, tier)
    return PlanOut(
        tier=tier.label if tier else None,
        tiers=labels,
        blocks=[
            PlanBlock(
                id=name, label=layout.labels[name], hollow=layout.blocks[name].hollow, corners=list(corners)
            )
            for name, corners in found.blocks
        ],
        xy=found.xy.tolist(),
        names=list(found.names),
    )


def _steps(evaluation: Evaluation) -> list[StepState]:
    """Tell each step's state, with the labels of the entities it names, as they were when it was applied."""
    states = []
    for number, step in enumerate(evaluation.recipe.steps):
        before = (
            evaluation.models[min(number, len(evaluation.models)) - 1]
            if number and evaluation.models
            else Model()
        )
        labels = before.layout.labels
        tiers = {e: t.label for e, t in before.tier_by_edge.items()} if before.layout.blocks else {}
        named = _named(step.model_dump(mode="json"), labels, tiers)
        if evaluation.failed is None or number < evaluation.failed:
            report = list(evaluation.model.reports.get(step.id, ()))
            states.append(StepState(state="ok", labels=named, report=report))
        elif number == evaluation.failed and evaluation.error is not None:
            error = evaluation.error
            states.append(StepState(state="error", title=error.title, error=str(error), labels=named))
        else:
            states.append(StepState(state="waiting", labels=named))
    return states


def _named(value: Any, labels: dict[str, str], tiers: dict[Edge, str]) -> dict[str, str]:
    """Collect friendly labels for the ids anywhere in a step."""
    found: dict[str, str] = {}
    if isinstance(value, dict):
        for part in value.values():
            found |= _named(part, labels, tiers)
    elif isinstance(value, list):
        if len(value) == 2 and all(isinstance(v, str) and v in labels for v in value):
            edge = edge_of(value[0], value[1])
            if edge in tiers:
                found["|".join(value)] = f"{tiers[edge]} ({labels[value[0]]}→{labels[value[1]]})"
        for part in value:
            found |= _named(part, labels, tiers)
    elif isinstance(value, str) and value in labels:
        found[value] = labels[value]
    return found


def _edges(model: Model) -> list[EdgeOut]:
    layout, laid = model.layout, model.laid
    outer = {edge for side in layout.outer for edge in layout.rim_of(side)}
    found = []
    for edge in layout.edges:
        path = laid.paths.get(edge)
        state = "hollow" if path is None else ("outer" if edge in outer else "inner")
        if path is None:
            start, end = (np.array(layout.corners[c].xyz) for c in edge)
            path = EdgePath(start, end)
        law = model.spacing.laws.get(edge)
        follow = layout.follows.get(edge)
        found.append(
            EdgeOut(
                id=list(edge),
                label=f"{layout.labels[edge[0]]}–{layout.labels[edge[1]]}",
                tier=model.tier_by_edge[edge].label,
                state=cast(Any, state),
                follows=follow.guide if follow else None,
                length=path.length,
                path=path.at(_STRAIGHT if path.curve is None else _CURVED).tolist(),
                nodes=laid.nodes[edge].tolist() if edge in laid.nodes else [],
                law=law.law if law else "uniform",
                own=_own_law(model, edge),
                before=[list(e) for e in model.continuing.get((edge, edge[0]), ())],
                beyond=[list(e) for e in model.continuing.get((edge, edge[1]), ())],
            )
        )
    return found


def _own_law(model: Model, edge: Edge) -> bool:
    """Whether an edge's law differs from that of its tier's first edge."""
    tier = model.tier_by_edge[edge]
    ours, first = model.spacing.laws.get(edge), model.spacing.laws.get(tier.first)
    if ours is None or first is None:
        return ours is not first
    return ours != (first if tier.edges[edge] == tier.edges[tier.first] else first.turned())


def _block(model: Model, name: str) -> BlockOut:
    block = model.layout.blocks[name]
    return BlockOut(
        id=name,
        label=model.layout.labels[name],
        corners=list(block.corners),
        hollow=block.hollow,
        cells=list(model.counts_of(name)),
        centre=model.layout.centre(name).tolist(),
    )


def _tiers(evaluation: Evaluation) -> list[TierOut]:
    model = evaluation.model
    laid, found, names = model.laid, [], model.spacing.names
    counted, ruled = _setters(evaluation)
    for tier in model.tiers:
        sizes = [np.diff(laid.nodes[e]) * laid.paths[e].length for e in tier.edges if e in laid.nodes]
        lengths = [laid.paths[e].length for e in tier.edges if e in laid.paths]
        growths = [np.maximum(d[1:] / d[:-1], d[:-1] / d[1:]).max(initial=1.0) for d in sizes]
        found.append(
            TierOut(
                label=tier.label,
                name=next((names[e] for e in tier.edges if e in names), ""),
                count=laid.counts[tier.first],
                locked=tier.label in laid.locked,
                edges=[list(e) for e in tier.edges],
                shortest=min(lengths, default=0),
                longest=max(lengths, default=0),
                smallest=float(min((d.min() for d in sizes), default=0)),
                largest=float(max((d.max() for d in sizes), default=0)),
                growth=float(max(growths, default=1)),
                count_step=_setter(counted, tier),
                law_step=_setter(ruled, tier),
            )
        )
    return found


def _setter(setters: Mapping[Edge, str], tier: Tier) -> str | None:
    """Find the step that set a tier, by its edges' names or those they had in the plane."""
    for a, b in tier.edges:
        plane = edge_of(a.partition(".")[0], b.partition(".")[0])
        for edge in ((a, b), plane):
            if edge in setters:
                return setters[edge]
    return None


def _setters(evaluation: Evaluation) -> tuple[dict[Edge, str], dict[Edge, str]]:
    """Find the step that last set each edge's count, and its law: what it changed in the model tells."""
    counted: dict[Edge, str] = {}
    ruled: dict[Edge, str] = {}
    models = evaluation.models
    for step, before, after in zip(evaluation.recipe.steps[1:], models, models[1:], strict=False):
        if not isinstance(step, Count | Space | WallLayer):
            continue
        tiers = {before.tier_by_edge[e].label: before.tier_by_edge[e] for e in _spaced(step, before, after)}
        edges = [edge for tier in tiers.values() for edge in tier.edges]
        if isinstance(step, Count | WallLayer) or step.cells is not None or _counts_itself(step):
            counted |= dict.fromkeys(edges, step.id)
        if not isinstance(step, Count):
            ruled |= dict.fromkeys(edges, step.id)
    return counted, ruled


def _spaced(step: Count | Space | WallLayer, before: Model, after: Model) -> list[Edge]:
    """Give edges of the tiers that a step sets."""
    if isinstance(step, WallLayer):
        laws = after.spacing.laws
        return [e for e in laws if before.spacing.laws.get(e) is not laws[e]]
    return [selectors.tier(before, step.tier)[0].first]


def _counts_itself(step: Space) -> bool:
    """Whether a step without a count works one out."""
    sizes = [step.first, step.last, step.growth, step.expansion]
    return step.law == "by curvature" or (
        step.growth is not None and len([v for v in sizes if v is not None]) > 1
    )


def _face_counts(model: Model) -> dict[Side, int]:
    """Count the cell faces of every outer side."""
    if not model.layout.blocks:
        return {}
    counts = {name: model.counts_of(name) for name in model.layout.filled}
    return {
        side: prod(n for axis, n in enumerate(counts[use.block]) if axis != use.axis)
        for side, use in model.layout.outer.items()
    }


def faces_of(model: Model) -> int:
    """Count the faces that a grid in space shows."""
    return sum(_face_counts(model).values())


def effect_of(model: Model) -> Effect | None:
    """Give the effect of a model in numbers; None before there are blocks."""
    if not model.layout.blocks:
        return None
    corners = corner_angles(model.layout, model.laid.paths).degrees
    found = Effect(
        cells=model.cells,
        blocks=len(model.layout.filled),
        smallest_corner=float(corners.min()),
        largest_corner=float(corners.max()),
        folded=None,
        smallest_angle=None,
        largest_angle=None,
        jump=None,
        growth=worst_growth(model.laid),
        jumps=len(jumps(model.laid, model.continuing)),
    )
    if model.layout.dim == 3:
        if len(model.layout.filled) > _MOST_BLOCKS:
            return found
        model = coarse(model, _COARSE)
    elif model.cells > _MOST_CELLS:
        return found
    cells = measure(filled_grid(model))
    found.folded = int(cells.folded.sum())
    found.smallest_angle = float(cells.of("smallest_angle").min())
    found.largest_angle = float(cells.of("largest_angle").max())
    if model.layout.dim == 2:  # a coarse fill says nothing about jumps
        found.jump = finite(float(cells.of("volume_ratio").max()))
    return found


def cell_out(grid: Grid, cell: WorstCell, label: str) -> CellOut:
    """Give a cell with its corners."""
    i, j, k = (n - 1 for n in cell.index)
    box = grid.xyz[cell.block][i : i + 2, j : j + 2, k : k + 2]
    corners = box.transpose(2, 1, 0, 3).reshape(-1, 3)
    return CellOut(
        block=label,
        index=list(cell.index),
        value=finite(cell.value),
        at=list(cell.at),
        corners=corners.tolist(),
    )


def finite(value: float) -> float:
    """JSON knows no infinity: a ratio over a cell without volume is told as 1e30."""
    return value if np.isfinite(value) else 1e30


def grid_picture(
    grid: Grid, cells: CellValues | None = None, metric: str | None = None, model: Model | None = None
) -> bytes:
    """Draw a grid: nodes, faces with their patch and side, lines, borders, and perhaps a metric per face.

    With its model, the sides of a grid in space say which plane edge or block end they came from, and
    a plane grid says which nodes lie on each edge of the layout, from its first corner.
    """
    groups = _groups(grid)
    nodes, faces, lines, borders, group, sides = [], [], [], [], [], []
    start, face_cells = 0, []
    starts = np.concatenate([[0], np.cumsum([grid.block_cells(b) for b in range(len(grid.xyz))])])
    for at, (side, number) in enumerate(groups):
        xyz = grid.side_nodes(side)
        na, nb = xyz.shape[:2]
        ids = start + np.arange(na * nb, dtype=np.uint32).reshape(na, nb)
        nodes.append(xyz.reshape(-1, 3))
        quads = np.stack([ids[:-1, :-1], ids[1:, :-1], ids[1:, 1:], ids[:-1, 1:]], axis=-1).reshape(-1, 4)
        faces.append(quads)
        along = np.stack([ids[:-1], ids[1:]], axis=-1).reshape(-1, 2)
        across = np.stack([ids[:, :-1], ids[:, 1:]], axis=-1).reshape(-1, 2)
        lines += [along, across]
        borders += [np.stack([r[:-1], r[1:]], axis=-1) for r in (ids[0], ids[-1], ids[:, 0], ids[:, -1])]
        group.append(np.full(len(quads), number, dtype=np.uint16))
        sides.append(np.full(len(quads), at, dtype=np.uint16))
        index = starts[side.block] + np.arange(grid.block_cells(side.block)).reshape(
            grid.shape_of(side.block)
        )
        face_cells.append(np.take(index, -1 if side.end else 0, axis=side.axis).ravel())
        start += na * nb
    places = np.concatenate(nodes)
    origin = 0.5 * (places.min(axis=0) + places.max(axis=0))
    arrays: dict[str, np.ndarray[Any, Any]] = {
        "nodes": (places - origin).astype(np.float32),
        "faces": np.concatenate(faces).astype(np.uint32),
        "lines": np.concatenate(lines).astype(np.uint32),
        "borders": np.concatenate(borders).astype(np.uint32),
        "groups": np.concatenate(group),
        "sides": np.concatenate(sides),
    }
    if cells is not None and metric is not None:
        arrays["values"] = cells.of(metric)[np.concatenate(face_cells)].astype(np.float32)
    index_out = {
        "dim": grid.dim,
        "cells": grid.cells,
        "origin": origin.tolist(),
        "patches": [p.name for p in grid.patches],
        "origins": _origins(model, [side for side, _ in groups]) if model and grid.dim == 3 else [],
        "edges": _edge_nodes(model, grid) if model and grid.dim == 2 else {},
    }
    return packed(index_out, arrays)


def _origins(model: Model, sides: list[BlockSide]) -> list[str]:
    names = {place: "|".join(side) for side, place in outer_sides(model.layout).items()}
    return [names[side] for side in sides]


def _edge_nodes(model: Model, grid: Grid) -> dict[str, list[int]]:
    found: dict[str, list[int]] = {}
    start = 0
    for name, nodes in zip(grid.names, grid.xyz, strict=True):
        ni, nj = nodes.shape[:2]
        ids = start + np.arange(ni * nj).reshape(ni, nj)
        c = model.layout.blocks[name].corners
        for a, b, line in ((0, 1, ids[:, 0]), (2, 3, ids[:, -1]), (0, 2, ids[0]), (1, 3, ids[-1])):
            way = line if c[a] < c[b] else line[::-1]
            found["|".join(edge_of(c[a], c[b]))] = way.tolist()
        start += ni * nj
    return found


def _groups(grid: Grid) -> list[tuple[BlockSide, int]]:
    if grid.dim == 2:
        return [(BlockSide(b, 2, 0), UNNAMED) for b in range(len(grid.xyz))]
    named = [(side, n) for n, patch in enumerate(grid.patches) for side in patch.sides]
    return named + [(side, UNNAMED) for side in grid.unnamed]


def plane_picture(names: list[str], blocks: list[Floats]) -> bytes:
    """Draw plane blocks (ni, nj, 1, 3) as a grid that is still on its way."""
    return grid_picture(Grid(2, tuple(names), tuple(blocks)))

"""Grids and their quality: drawn whole or in part, measured, looked into."""

from __future__ import annotations

from collections.abc import Sequence
from contextlib import suppress
from dataclasses import asdict
from math import prod
from typing import Literal, TypeVar

import numpy as np
from apiflask import APIBlueprint
from flask import Response
from peewee import PeeweeException
from pydantic import Field

from plodek.core.budget import need
from plodek.core.build.build import coarse, filled_grid, layer_grid, shell
from plodek.core.check.groups import by_block, by_blocks, by_patch, by_region
from plodek.core.check.measure import CellValues, Summary
from plodek.core.check.measured import WallUnits
from plodek.core.check.metric import LEAKS, LENGTH, MISFIT, OF_GUIDES, Metric
from plodek.core.check.metrics import known
from plodek.core.check.quality import Gate, cells_between, gate, histogram, worst_cells
from plodek.core.check.tables import table
from plodek.core.check.walls import GuideFit, WallHeights
from plodek.core.errors import NothingFound
from plodek.core.formats.handoff import unnamed_faces
from plodek.core.grid.fill import Layer, layer_of
from plodek.core.grid.grid import Grid
from plodek.core.model.model import Model
from plodek.core.recipe.evaluation import Evaluation
from plodek.core.smooth.outcome import Reached
from plodek.server.api.context import UpTo, engine, evaluated, evaluated_upto, files_of, sends
from plodek.server.api.grids.messages import (
    CellsOut,
    CreaseOut,
    FitOut,
    HeightsOut,
    MetricOut,
    PartOf,
    PreviewGridIn,
    QualityOut,
    RowOut,
    TableOut,
    VerdictOut,
)
from plodek.server.api.grids.pictures import Shown, block_sheets, cell_out, finite, grid_picture, layer_sheets
from plodek.server.api.models.pictures import faces_of
from plodek.server.door.roles import needs
from plodek.server.engine import Measured, not_run
from plodek.server.pool.passing import evaluated_apart
from plodek.server.store import projects
from plodek.server.store.tables import Project

blueprint = APIBlueprint("grids", __name__)

_T = TypeVar("_T")

#: Cells of a histogram's bar that are shown at most.
MOST_CELLS = 400
#: Cells on a tier at most in the ghost of a grid in space, where it has more faces than that.
_COARSE, _MOST_FACES = 8, 600_000


class GridQuery(UpTo, PartOf):
    """Which grid: smoothed or as filled, which part of it, with a metric for the colours."""

    smoothed: bool = True
    metric: str | None = None


class QualityQuery(UpTo):
    """Which metric the histogram and the worst cells are of, and of which grid: smoothed or as filled."""

    metric: str = "scaled_jacobian"
    smoothed: bool = True
    log: bool | None = Field(
        default=None, description="bars by equal factors; as the metric asks, if not said"
    )


class CellsQuery(QualityQuery):
    """The bounds of a histogram's bar."""

    low: float = Field(allow_inf_nan=False)
    high: float = Field(allow_inf_nan=False)


@blueprint.post("/projects/<int:project>/preview/grid")
@blueprint.input(PreviewGridIn)
@blueprint.doc(responses=sends("a picture", "application/octet-stream"))
@needs("see")
@evaluated_apart()
def preview_grid(project: int, json_data: PreviewGridIn) -> Response:
    """Draw the filled plane of steps that are tried, or in space a part of the grid, coarse if large."""
    found = projects.get(project)
    evaluation = evaluated(found, json_data.steps)
    if evaluation.error is not None:
        raise evaluation.error
    model = evaluation.model
    model.need_blocks()
    if model.layout.dim == 2:
        need("preview_cells", model.cells)
        picture = grid_picture(filled_grid(model), model=model)
    else:
        picture = _part_picture(model, json_data, fine=json_data.fine)
    return Response(picture, mimetype="application/octet-stream")


def _part_picture(model: Model, part: PartOf, *, fine: bool) -> bytes:
    """Draw a part of a grid in space as it is filled, and nothing of it that is not seen; coarse if large."""
    if part.tier:
        layer = _layer(model, part)
        counts = {name: model.counts_of(name) for name in layer}
        faces = sum(prod(counts[name]) // counts[name][axis] for name, (axis, _) in layer.items())
        large = faces > _MOST_FACES and not fine
        if large:
            model = coarse(model, _COARSE)
            layer = _layer(model, part)
        grid = layer_grid(model, layer)
        return grid_picture(grid, model=model, shown=layer_sheets(grid, layer), coarse=large)
    large = faces_of(model) > _MOST_FACES and not fine
    if large:
        model = coarse(model, _COARSE)
    grid = shell(model)
    return grid_picture(grid, model=model, shown=shown_of(grid, model, part), coarse=large)


def shown_of(grid: Grid, model: Model, part: PartOf) -> list[Shown] | None:
    """Give the sheets of a grid that a part shows; None for all that is seen from outside."""
    if grid.dim == 2:
        return None
    if part.tier:
        return layer_sheets(grid, _layer(model, part))
    if not part.blocks:
        return None
    names = {str(piece) for name in part.blocks.split("|") for piece in model.parts(name)}
    if not names & set(grid.names):
        raise NothingFound("the chosen blocks are not there any more", remedy="choose others, or show all")
    return block_sheets(grid, names)


def _layer(model: Model, part: PartOf) -> Layer:
    tier = next((t for t in model.tiers if t.label == part.tier), None)
    if tier is None:
        known = ", ".join(t.label for t in model.tiers)
        raise NothingFound(f"no tier is called “{part.tier}”", remedy=f"the tiers are {known}")
    return layer_of(model.layout, model.laid, tier, part.at)


@blueprint.get("/projects/<int:project>/grid")
@blueprint.input(GridQuery, location="query")
@blueprint.doc(responses=sends("a picture", "application/octet-stream"))
@evaluated_apart()
def get_grid(project: int, query_data: GridQuery) -> Response:
    """Draw the grid: a binary picture; 422 “NotReady” where the smoothing has not been run yet."""
    found = projects.get(project)
    if query_data.metric is not None:
        known(query_data.metric)
    evaluation = evaluated_upto(found, query_data.upto)
    model = evaluation.model
    cells = None
    if query_data.metric is not None or query_data.tier:
        grid, cells, _ = measured(found, evaluation, smoothed=query_data.smoothed)
    else:  # what is not seen need not be there
        model.need_blocks()
        sides = engine().sides(evaluation, files_of(found), smoothed=query_data.smoothed)
        grid = _ready(sides)
    shown = shown_of(grid, model, query_data)
    picture = grid_picture(grid, cells, query_data.metric, model, shown)
    return Response(picture, mimetype="application/octet-stream")


@blueprint.get("/projects/<int:project>/quality")
@blueprint.input(QualityQuery, location="query")
@blueprint.output(QualityOut)
@evaluated_apart()
def get_quality(project: int, query_data: QualityQuery) -> QualityOut:
    """Measure the grid."""
    found = projects.get(project)
    key, evaluation, (grid, cells, walls) = _measured(found, query_data)
    limits = evaluation.model.limits
    model = evaluation.model
    outcome = gate(cells, limits, walls, model.part_limits, model.unit, model.layout.labels)
    if query_data.upto is None and query_data.smoothed and evaluation.error is None:
        _keep_facts(found, grid, cells, outcome.passed)
    spread = histogram(cells, key, log=query_data.log)
    labels = model.layout.labels
    return QualityOut(
        cells=grid.cells,
        folded=outcome.folded,
        poles=int(cells.poles.sum()),
        passed=outcome.passed,
        volume=float(cells.volume.sum()),
        metrics=[_metric(s, model, outcome) for s in cells.summary],
        metric=key,
        bounds=spread.bounds.tolist(),
        counts=spread.counts,
        volumes=spread.volumes,
        worst=[cell_out(grid, c, labels[grid.names[c.block]]) for c in worst_cells(grid, cells, key)],
        runs=_runs(found, evaluation),
        fits=_fits(walls.fits, limits.get(MISFIT.key)),
        heights=[_heights(one, cells.wall_units) for one in walls.heights],
        parts=[
            VerdictOut(metric=v.metric.key, missed=v.missed, sentence=v.sentence)
            for v in outcome.verdicts
            if v.own or v.metric in (LEAKS, *OF_GUIDES)
        ],
    )


def _heights(heights: WallHeights, units: WallUnits | None) -> HeightsOut:
    y_plus = heights.median / units.height if units else None
    return HeightsOut(**asdict(heights), y_plus=y_plus)


def _metric(found: Summary, model: Model, outcome: Gate) -> MetricOut:
    metric = found.metric
    verdict = next((v for v in outcome.verdicts if v.metric == metric and not v.own), None)
    return MetricOut(
        key=metric.key,
        label=metric.label,
        unit=unit_of(metric, model),
        better=metric.better,
        worst=finite(found.worst),
        mean=finite(found.mean),
        best=finite(found.best),
        cells=found.cells,
        group=metric.group,
        log=metric.log,
        limit=model.limits.get(metric.key),
        missed=verdict.missed if verdict else 0,
        sentence=verdict.sentence if verdict else "no limit",
    )


def unit_of(metric: Metric, model: Model) -> str:
    """Give the unit that values of a metric are told in, with the space before it."""
    return f" {model.unit}" if metric.unit == LENGTH else metric.unit


class TableQuery(QualityQuery):
    """What the metric is told by."""

    by: Literal["block", "region", "patch", "tier"] = "block"


@blueprint.get("/projects/<int:project>/table")
@blueprint.input(TableQuery, location="query")
@blueprint.output(TableOut)
@evaluated_apart()
def get_table(project: int, query_data: TableQuery) -> TableOut:
    """Tell a metric by block, region, patch or tier."""
    key, evaluation, (grid, cells, _) = _measured(projects.get(project), query_data)
    model = evaluation.model
    if query_data.by == "block":
        groups = {model.layout.labels[name]: own for name, own in by_block(grid).items()}
    elif query_data.by == "region":
        groups = dict(by_region(grid))
    elif query_data.by == "patch":
        groups = dict(by_patch(grid))
    else:
        groups = dict(by_blocks(grid, _blocks_of_tiers(model)))
    rows = table(cells, key, groups, model.limits.get(key))
    return TableOut(
        rows=[RowOut(**asdict(row) | {"worst": finite(row.worst), "mean": finite(row.mean)}) for row in rows]
    )


def _blocks_of_tiers(model: Model) -> dict[str, list[str]]:
    """Give the blocks that each tier runs through."""
    layout = model.layout
    uses = {name: set(layout.edges_of(name)) for name in layout.filled}
    found: dict[str, list[str]] = {tier.label: [] for tier in model.tiers}
    own = {edge: tier.label for tier in model.tiers for edge in tier.edges}
    for name, edges in uses.items():
        for label in {own[edge] for edge in edges if edge in own}:
            found[label].append(name)
    return found


@blueprint.get("/projects/<int:project>/cells")
@blueprint.input(CellsQuery, location="query")
@blueprint.output(CellsOut)
@evaluated_apart()
def get_cells(project: int, query_data: CellsQuery) -> CellsOut:
    """Give the cells of a bar of the histogram."""
    key, evaluation, (grid, cells, _) = _measured(projects.get(project), query_data)
    low, high = query_data.low, query_data.high
    labels = evaluation.model.layout.labels
    values = cells.of(key)
    return CellsOut(
        cells=[
            cell_out(grid, c, labels[grid.names[c.block]])
            for c in cells_between(grid, cells, key, low, high, MOST_CELLS)
        ],
        all=int(np.sum((values >= low) & (values <= high))),
    )


def _fits(fits: Sequence[GuideFit], limit: float | None) -> list[FitOut]:
    return [
        FitOut(
            guide=fit.guide,
            sides=fit.sides,
            misfit=fit.misfit,
            mean_misfit=fit.mean_misfit,
            sag=fit.sag,
            mean_sag=fit.mean_sag,
            sewn=fit.sewn,
            at=list(fit.at),
            crease=CreaseOut(degrees=fit.crease.degrees, at=list(fit.crease.at)) if fit.crease else None,
            missed=limit is not None and fit.share > limit,
        )
        for fit in fits
    ]


def _measured(project: Project, query: QualityQuery) -> tuple[str, Evaluation, Measured]:
    key = known(query.metric).key
    evaluation = evaluated_upto(project, query.upto)
    return key, evaluation, measured(project, evaluation, smoothed=query.smoothed)


def measured(project: Project, evaluation: Evaluation, *, smoothed: bool = True) -> Measured:
    """Give the grid of a project, measured. Raises NotReady where its smoothing has not been run."""
    evaluation.model.need_blocks()
    return _ready(engine().grid(evaluation, files_of(project), smoothed=smoothed))


def _ready(found: _T | None) -> _T:
    if found is None:
        raise not_run()
    return found


def _runs(project: Project, evaluation: Evaluation) -> list[Reached]:
    key = engine().smoothed_key(evaluation.recipe, files_of(project))
    found = engine().smoothed(key) if key else None
    return found[1] if found else []


def _keep_facts(project: Project, grid: Grid, cells: CellValues, passed: bool) -> None:
    shelf = {
        "cells": grid.cells,
        "blocks": len(grid.xyz),
        "folded": int(cells.folded.sum()),
        "unnamed_faces": unnamed_faces(grid),
        "passed": passed,
    }
    # On a full disk the shelf says less, that is all.
    with suppress(PeeweeException):
        projects.keep_facts(project, shelf)

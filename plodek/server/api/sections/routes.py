"""Sections: what planes, cylinders and spheres cut out of a grid, and those that are kept with a project."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

import numpy as np
from apiflask import APIBlueprint
from flask import Response

from plodek.core.arrays import Ints
from plodek.core.blocks.layout import edge_of
from plodek.core.budget import need
from plodek.core.build.causes import Cause, causes, guide_windows
from plodek.core.check.look.bricks import bricks_of
from plodek.core.check.look.choice import Range, choose, nearest, where
from plodek.core.check.look.pieces import Pieces, cells_of
from plodek.core.check.look.probe import probe
from plodek.core.check.look.section import section
from plodek.core.check.measure import CellValues
from plodek.core.check.metrics import known
from plodek.core.errors import BadValue, NothingFound
from plodek.core.model.model import Model
from plodek.server.api.advice.messages import AdviceOut
from plodek.server.api.advice.routes import advice_on
from plodek.server.api.comparison.other import State, looked_at
from plodek.server.api.context import UpTo, engine, evaluated_upto, files_of, sends
from plodek.server.api.grids.pictures import finite
from plodek.server.api.grids.routes import measured
from plodek.server.api.packing import packed
from plodek.server.api.sections.cutters import cutter_of
from plodek.server.api.sections.messages import (
    CauseOut,
    CausesOut,
    ChoiceIn,
    Look,
    LookIn,
    ProbeOut,
    SectionsIn,
    SectionsOut,
)
from plodek.server.door.roles import needs
from plodek.server.pool.passing import evaluated_apart
from plodek.server.store import projects

blueprint = APIBlueprint("sections", __name__)

#: Cells that are drawn apart from each other at most: all six sides of each travel then.
MOST_SHRUNK = 30_000


@blueprint.get("/projects/<int:project>/sections")
@blueprint.output(SectionsOut)
def get_sections(project: int) -> SectionsOut:
    """Give the sections that are kept with a project."""
    return SectionsOut.model_validate_json(projects.get(project).sections)


@blueprint.put("/projects/<int:project>/sections")
@blueprint.input(SectionsIn)
@blueprint.output(SectionsOut)
def keep_sections(project: int, json_data: SectionsIn) -> SectionsOut:
    """Keep sections with a project, instead of those there were."""
    projects.keep_sections(projects.get(project), json_data.model_dump_json())
    return SectionsOut(sections=json_data.sections)


@blueprint.post("/projects/<int:project>/sections/picture")
@blueprint.input(LookIn)
@blueprint.doc(responses=sends("a picture", "application/octet-stream"))
@needs("see")
@evaluated_apart()
def draw_sections(project: int, json_data: LookIn) -> Response:
    """Draw sections through the grid: polygons of cells, with their values; those that miss it are told."""
    state = _looked_into(project, json_data)
    evaluation, grid, cells = state.evaluation, state.grid, state.cells
    if grid.dim == 2:
        raise BadValue("this grid is plane", remedy="lift it first: sections are of grids in space")
    if state.own:
        smoothed = json_data.other.smoothed if json_data.other else json_data.smoothed
        bricks = engine().bricks(evaluation, files_of(state.project), grid, smoothed=smoothed)
    else:
        bricks = bricks_of(grid)
    pieces, told = [], []
    for one in json_data.sections:
        try:
            cut = section(grid, bricks, cutter_of(one, evaluation.model))
            pieces.append(cells_of(grid, cut.cells) if one.whole else cut)
            told.append({"area": cut.area, "cells": len(np.unique(cut.cells)), "problem": ""})
        except (BadValue, NothingFound) as error:
            told.append({"area": 0.0, "cells": 0, "problem": str(error)})
    return _picture(_together(pieces), cells, json_data.metric, {"told": told})


@blueprint.post("/projects/<int:project>/cells/picture")
@blueprint.input(ChoiceIn)
@blueprint.doc(responses=sends("a picture", "application/octet-stream"))
@needs("see")
@evaluated_apart()
def draw_cells(project: int, json_data: ChoiceIn) -> Response:
    """Draw chosen cells alone, and tell where they are."""
    _, evaluation, grid, cells, _ = _looked_into(project, json_data)
    chosen = _chosen(json_data, cells)
    need("faces", len(chosen), where="the chosen cells")
    shrunk = json_data.shrunk if len(chosen) <= MOST_SHRUNK else 0.0
    labels, found = evaluation.model.layout.labels, where(cells, chosen)
    told = asdict(found) | {"blocks": {labels[name]: count for name, count in found.blocks.items()}}
    drawn = cells_of(grid, chosen, shrunk=shrunk)
    return _picture(drawn, cells, json_data.metric, {"where": told, "shrunk": shrunk})


@blueprint.post("/projects/<int:project>/cells/causes")
@blueprint.input(ChoiceIn)
@blueprint.output(CausesOut)
@needs("see")
@evaluated_apart()
def tell_causes(project: int, json_data: ChoiceIn) -> CausesOut:
    """Tell what made chosen cells as they are, what helps, and which patches and guides are nearest."""
    found, evaluation, grid, cells, _ = _looked_into(project, json_data)
    chosen = _chosen(json_data, cells)
    metrics = [one.metric for one in json_data.ranges]
    advice = (
        []
        if json_data.other
        else [*advice_on(found, json_data.upto, "Blocks"), *advice_on(found, json_data.upto, "Spacing")]
    )
    return CausesOut(
        causes=[
            CauseOut(
                **asdict(one)
                | {
                    "edges": [list(edge) for edge in one.edges],
                    "advice": _cure(one, advice, evaluation.model),
                }
            )
            for one in causes(evaluation.model, grid, chosen, metrics)
        ],
        patches=nearest(cells, chosen, {patch.name: patch.windows for patch in grid.patches}),
        guides=nearest(cells, chosen, guide_windows(evaluation.model, grid)),
    )


def _cure(cause: Cause, advice: list[AdviceOut], model: Model) -> AdviceOut | None:
    """Find the advice that is about the part of the layout that is at fault."""
    tiers = {model.tier_by_edge[edge].label for edge in cause.edges if edge in model.tier_by_edge}
    for one in advice:
        edges = [edge_of(*edge) for edge in one.edges]
        same = tiers & {model.tier_by_edge[e].label for e in edges if e in model.tier_by_edge}
        if set(one.corners) & set(cause.corners) or set(one.blocks) & set(cause.blocks) or same:
            return one
    return None


def _chosen(choice: ChoiceIn, cells: CellValues) -> Ints:
    """Choose cells as they are asked for."""
    ranges = [
        Range(
            known(one.metric).key,
            -np.inf if one.low is None else one.low,
            np.inf if one.high is None else one.high,
        )
        for one in choice.ranges
    ]
    return choose(cells.grid, cells, ranges, choice.patch, choice.grown)


class ProbeQuery(UpTo):
    """Which grid: smoothed or as filled."""

    smoothed: bool = True


@blueprint.get("/projects/<int:project>/cells/<int:cell>")
@blueprint.input(ProbeQuery, location="query")
@blueprint.output(ProbeOut)
@evaluated_apart()
def probe_cell(project: int, cell: int, query_data: ProbeQuery) -> ProbeOut:
    """Look at one cell, by its number in the grid."""
    _, evaluation, grid, cells, _ = _looked_into(project, Look(**query_data.model_dump()))
    found = probe(grid, cells, cell)
    told = asdict(found) | {
        "block": evaluation.model.layout.labels[grid.names[found.block]],
        "corners": found.corners.tolist(),
        "values": {key: finite(value) for key, value in found.values.items()},
    }
    return ProbeOut(**told)


def _looked_into(project: int, look: Look) -> State:
    if look.metric is not None:
        known(look.metric)
    found = projects.get(project)
    evaluation = evaluated_upto(found, look.upto)
    if look.other is not None:
        return looked_at(found, look.other, evaluation.model.unit)
    grid, cells, _ = measured(found, evaluation, smoothed=look.smoothed)
    return State(found, evaluation, grid, cells)


def _picture(drawn: Pieces, cells: CellValues, metric: str | None, told: dict[str, Any]) -> Response:
    """Draw pieces of cells, coloured by a metric. Raises OverBudget for too many."""
    need("faces", len(drawn), where="what is drawn")
    middle = 0.5 * (drawn.places.min(axis=0) + drawn.places.max(axis=0)) if len(drawn) else np.zeros(3)
    arrays: dict[str, np.ndarray[Any, Any]] = {
        "nodes": (drawn.places - middle).astype(np.float32),
        "triangles": drawn.triangles.astype(np.uint32),
        "lines": drawn.lines.astype(np.uint32),
        "cells": drawn.cells.astype(np.uint32),
        "start": drawn.start.astype(np.uint32),
    }
    if metric is not None:
        arrays["values"] = cells.of(metric)[drawn.cells[drawn.owner]].astype(np.float32)
    picture = packed({"origin": middle.tolist(), **told}, arrays)
    return Response(picture, mimetype="application/octet-stream")


def _together(several: list[Pieces]) -> Pieces:
    nothing = np.empty(0, dtype=np.int64)
    starts, at = [nothing], 0
    for one in several:
        starts.append(one.start[:-1] + at)
        at += len(one.places)
    return Pieces(
        np.concatenate([np.empty((0, 3)), *(one.places for one in several)]),
        np.append(np.concatenate(starts), at),
        np.concatenate([nothing, *(one.cells for one in several)]),
    )

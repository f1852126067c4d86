"""Models, previews, grids and their quality: all that is derived from a recipe."""

from __future__ import annotations

import json
from itertools import count
from typing import Any, Literal

import numpy as np
from apiflask import APIBlueprint
from flask import Response
from pydantic import BaseModel, Field

from plodek.core.check.metrics import BY_KEY, CellValues
from plodek.core.check.quality import cells_between, gate, histogram, summary, worst_cells
from plodek.core.errors import BadValue, NotReady, PlodekError
from plodek.core.grid.grid import Grid
from plodek.core.handoff.handoff import facts_of
from plodek.core.recipe import recipe as recipes
from plodek.core.recipe.advice import Advice, advise
from plodek.core.recipe.build import coarse, filled_grid, shell
from plodek.core.recipe.recipe import Evaluation
from plodek.core.recipe.spacing_advice import advise_spacing
from plodek.server.api.effects import effect_of
from plodek.server.api.grid_pictures import cell_out, finite, grid_picture
from plodek.server.api.messages import (
    AdviceOut,
    AdvicesOut,
    CellsOut,
    Effect,
    MetricOut,
    ModelOut,
    PlanOut,
    PreviewIn,
    PreviewOut,
    QualityOut,
    RunOut,
)
from plodek.server.api.model_pictures import faces_of, model_out, plan_out
from plodek.server.api.presenting import engine, evaluated, sends
from plodek.server.store import projects
from plodek.server.store.tables import GridSummary, Project

blueprint = APIBlueprint("models", __name__)

#: Cells of a histogram's bar that are shown at most.
MOST_CELLS = 400
#: Cells on a tier at most in the ghost of a grid in space, where it has more faces than that.
_COARSE, _MOST_FACES = 8, 600_000


class UpTo(BaseModel):
    """How far to evaluate the recipe; all of it where left out."""

    upto: int | None = Field(default=None, ge=0, le=2000)


class AdviceQuery(UpTo):
    """Advice on what."""

    stage: Literal["Blocks", "Spacing"] = "Blocks"


class PlanQuery(UpTo):
    """Which sheet of the blocks: that of a tier, by its label; the largest where left out."""

    tier: str | None = Field(default=None, max_length=20)


class GridQuery(UpTo):
    """Which grid: smoothed or as filled, with a metric for the colours."""

    smoothed: bool = True
    metric: str | None = None


class QualityQuery(UpTo):
    """Which metric the histogram and the worst cells are of."""

    metric: str = "scaled_jacobian"


class CellsQuery(QualityQuery):
    """The bounds of a histogram's bar."""

    low: float = Field(allow_inf_nan=False)
    high: float = Field(allow_inf_nan=False)


@blueprint.get("/projects/<int:project>/model")
@blueprint.input(UpTo, location="query")
@blueprint.output(ModelOut)
def get_model(project: int, query_data: UpTo) -> ModelOut:
    """Give the model of a project's recipe."""
    return model_out(_evaluated(projects.get(project), query_data.upto))


@blueprint.post("/projects/<int:project>/preview")
@blueprint.input(PreviewIn)
@blueprint.output(PreviewOut)
def preview(project: int, json_data: PreviewIn) -> PreviewOut:
    """Try steps without keeping them, and tell the effect."""
    found = projects.get(project)
    after = evaluated(found, json_data.steps)
    before = evaluated(found, json_data.against)
    return PreviewOut(
        model=model_out(after),
        failed=after.failed,
        error=str(after.error) if after.error else "",
        before=_effect(before),
        after=None if after.error else _effect(after),
    )


@blueprint.get("/projects/<int:project>/advice")
@blueprint.input(AdviceQuery, location="query")
@blueprint.output(AdvicesOut)
def get_advice(project: int, query_data: AdviceQuery) -> AdvicesOut:
    """Look at the blocks or the spacing and suggest what would be better, each with its effect."""
    found = projects.get(project)
    steps = projects.steps_of(found)[: query_data.upto]
    kinds = {kind.model_fields["kind"].default: kind.stage for kind in recipes.KINDS}
    smoothed = [n for n, step in enumerate(steps) if step["kind"] == "smooth"]
    stages = {"Blocks": ("Blocks",), "Spacing": ("Blocks", "Spacing")}[query_data.stage]
    last = [n + 1 for n, step in enumerate(steps) if kinds.get(step["kind"]) in stages]
    at = min(smoothed[:1] + last[-1:], default=0)
    before = evaluated(found, steps[:at])
    if before.error is not None or not before.model.layout.filled:
        return AdvicesOut(at=at, advice=[])
    given = advise(before.model) if query_data.stage == "Blocks" else advise_spacing(before.model)
    return AdvicesOut(at=at, advice=[_advised(found, steps[:at], before, a) for a in given])


def _advised(project: Project, steps: list[dict[str, Any]], before: Evaluation, advice: Advice) -> AdviceOut:
    """Try a suggestion, and tell its effect."""
    taken = {step["id"] for step in steps}
    fresh = (f"advice-{n}" for n in count(1) if f"advice-{n}" not in taken)
    added = [step | {"id": next(fresh)} for step in advice.steps]
    after = evaluated(project, [*steps, *added]) if added else None
    return AdviceOut(
        rule=advice.rule,
        text=advice.text,
        steps=added,
        blocks=list(advice.blocks),
        corners=list(advice.corners),
        edges=[list(e) for e in advice.edges],
        before=_effect(before),
        after=_effect(after) if after and after.error is None else None,
        error=str(after.error) if after and after.error else "",
    )


@blueprint.get("/projects/<int:project>/plan")
@blueprint.input(PlanQuery, location="query")
@blueprint.output(PlanOut)
def get_plan(project: int, query_data: PlanQuery) -> PlanOut:
    """Lay the blocks out flat; in space the sheet of a tier."""
    evaluation = _evaluated(projects.get(project), query_data.upto)
    evaluation.model.need_blocks()
    return plan_out(evaluation.model, query_data.tier)


@blueprint.post("/projects/<int:project>/preview/grid")
@blueprint.input(PreviewIn)
@blueprint.doc(responses=sends("a picture", "application/octet-stream"))
def preview_grid(project: int, json_data: PreviewIn) -> Response:
    """Draw the filled plane of steps that are tried, or in space the outer faces."""
    found = projects.get(project)
    evaluation = evaluated(found, json_data.steps)
    if evaluation.error is not None:
        raise evaluation.error
    model = evaluation.model
    if model.layout.dim == 3 and model.layout.blocks:
        if faces_of(model) > _MOST_FACES:
            model = coarse(model, _COARSE)
        picture = grid_picture(shell(model), model=model)
    else:
        picture = grid_picture(filled_grid(model), model=model)
    return Response(picture, mimetype="application/octet-stream")


@blueprint.get("/projects/<int:project>/grid")
@blueprint.input(GridQuery, location="query")
@blueprint.doc(responses=sends("a picture", "application/octet-stream"))
def get_grid(project: int, query_data: GridQuery) -> Response:
    """Draw the grid: a binary picture; 422 “NotReady” where the smoothing has not been run yet."""
    found = projects.get(project)
    if query_data.metric is not None:
        _known(query_data.metric)
    evaluation = _evaluated(found, query_data.upto)
    grid, cells = _grid(found, evaluation, smoothed=query_data.smoothed)
    picture = grid_picture(grid, cells, query_data.metric, evaluation.model)
    return Response(picture, mimetype="application/octet-stream")


@blueprint.get("/projects/<int:project>/quality")
@blueprint.input(QualityQuery, location="query")
@blueprint.output(QualityOut)
def get_quality(project: int, query_data: QualityQuery) -> QualityOut:
    """Measure the grid."""
    found = projects.get(project)
    key, evaluation, grid, cells = _measured(found, query_data)
    limits = evaluation.model.limits
    outcome = gate(cells, limits)
    if query_data.upto is None and evaluation.error is None:
        _keep_facts(found, grid, cells, outcome.passed)
    verdicts = {v.metric.key: v for v in outcome.verdicts}
    bounds, counts = histogram(cells, key)
    labels = evaluation.model.layout.labels
    return QualityOut(
        cells=grid.cells,
        folded=outcome.folded,
        passed=outcome.passed,
        volume=float(cells.volume.sum()),
        metrics=[
            MetricOut(
                key=s.metric.key,
                label=s.metric.label,
                unit=s.metric.unit,
                better=s.metric.better,
                worst=finite(s.worst),
                mean=finite(s.mean),
                best=finite(s.best),
                limit=limits.get(s.metric.key),
                missed=verdicts[s.metric.key].missed if s.metric.key in verdicts else 0,
                sentence=verdicts[s.metric.key].sentence if s.metric.key in verdicts else "no limit",
            )
            for s in summary(cells)
        ],
        metric=key,
        bounds=bounds.tolist(),
        counts=counts,
        worst=[cell_out(grid, c, labels[grid.names[c.block]]) for c in worst_cells(grid, cells, key)],
        runs=_runs(found, evaluation),
    )


@blueprint.get("/projects/<int:project>/cells")
@blueprint.input(CellsQuery, location="query")
@blueprint.output(CellsOut)
def get_cells(project: int, query_data: CellsQuery) -> CellsOut:
    """Give the cells of a bar of the histogram."""
    key, evaluation, grid, cells = _measured(projects.get(project), query_data)
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


def _measured(project: Project, query: QualityQuery) -> tuple[str, Evaluation, Grid, CellValues]:
    key = _known(query.metric)
    evaluation = _evaluated(project, query.upto)
    return key, evaluation, *_grid(project, evaluation)


def _evaluated(project: Project, upto: int | None) -> Evaluation:
    return evaluated(project, projects.steps_of(project)[:upto])


def _grid(project: Project, evaluation: Evaluation, *, smoothed: bool = True) -> tuple[Grid, CellValues]:
    evaluation.model.need_blocks()
    found = engine().grid(evaluation, projects.reader(project), smoothed=smoothed)
    if found is None:
        raise NotReady("the smoothing has not been run yet", remedy="let it run first")
    return found


def _known(metric: str) -> str:
    if metric not in BY_KEY:
        raise BadValue(f"“{metric}” is no metric", remedy=f"the metrics are {', '.join(BY_KEY)}")
    return metric


def _effect(evaluation: Evaluation) -> Effect | None:
    try:
        return effect_of(evaluation.model)
    except PlodekError:
        return None


def _runs(project: Project, evaluation: Evaluation) -> list[RunOut]:
    key = engine().plane_key(evaluation.recipe, projects.reader(project))
    plane = engine().plane(key) if key else None
    return plane[1] if plane else []


def _keep_facts(project: Project, grid: Grid, cells: CellValues, passed: bool) -> None:
    facts: dict[str, Any] = facts_of(grid, cells)
    shelf = {k: facts[k] for k in ("cells", "blocks", "folded", "unnamed_faces")} | {"passed": passed}
    key = f"{project.id}.{project.revision}"
    GridSummary.replace(key=key, facts=json.dumps(shelf)).execute()
